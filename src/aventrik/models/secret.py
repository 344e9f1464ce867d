"""A server's key: checked when it is read, and taken out of every text that comes from a connection."""

from __future__ import annotations

import base64
import json
import re
from typing import Any
from urllib.parse import quote, quote_plus

from ..core.errors import BadInput

_SIGN = "[key]"
_PLACEHOLDER = 8  # letters below which a key is a word such as "none", put where a server wants any
_SHORTEST = 4  # letters of a key, or of a form of it, below which it would be found in any text


class Secret:
    """A key, and the forms in which a server or a library may repeat it."""

    def __init__(self, value: str = "") -> None:
        self.value = value
        self._forms = (
            re.compile("|".join(map(re.escape, sorted(_forms(value), key=len, reverse=True)))) if value else None
        )

    @property
    def in_answers(self) -> Secret:
        """What is looked for in a good reply: the key, but for a placeholder, which any answer may hold as a word."""
        return self if len(self.value) >= _PLACEHOLDER else Secret()

    def __bool__(self) -> bool:
        return bool(self.value)

    def __repr__(self) -> str:
        return f"Secret({_SIGN})" if self.value else "Secret()"

    def clean(self, text: str) -> str:
        """A text without the key: as it is, with escapes, percent-encoded or in base64."""
        return self._forms.sub(_SIGN, text) if self._forms is not None else text

    def cleaned(self, value: Any) -> Any:
        """A value of JSON, all its texts without the key."""
        if self._forms is None:
            return value
        if isinstance(value, str):
            return self.clean(value)
        if isinstance(value, list):
            return value if set(map(type, value)) == {float} else [self.cleaned(each) for each in value]  # a vector
        if isinstance(value, dict):
            return {self.clean(name): self.cleaned(each) for name, each in value.items()}
        return value


def read_secret(who: str, variable: str, found: str | None) -> Secret:
    """The key that an environment variable holds, without white space round it.

    Raises `BadInput`, which never quotes it, for one that is missing, or that no header can hold: with a space, a
    control character or a letter beyond ASCII in it.
    """
    value = (found or "").strip()
    if not value:
        raise BadInput(f"{who}: the environment variable {variable} is not set; put the server's key in it")
    wrong = next((place for place, char in enumerate(value, 1) if not "!" <= char <= "~"), 0)
    if wrong:
        raise BadInput(
            f"{who}: the key in the environment variable {variable} can't be sent: its character {wrong} of {len(value)} "
            "is a space, a control character or no ASCII; set it again"
        )
    return Secret(value)


def _forms(value: str) -> set[str]:
    """The key and what it looks like where texts are escaped; of base64 the part that does not depend on what stands
    before and after it."""
    raw = value.encode()
    found = {value, quote(value, safe=""), quote(value), quote_plus(value), json.dumps(value)[1:-1], repr(value)[1:-1]}
    found |= {form.replace("/", "\\/") for form in set(found)}
    found |= {re.sub("%[0-9A-F]{2}", lambda hit: hit[0].lower(), form) for form in set(found)}
    found.add("".join(f"%{byte:02x}" for byte in raw))
    found.add("".join(f"%{byte:02X}" for byte in raw))
    found.add("".join(f"\\u{byte:04x}" for byte in raw))
    found.add("".join(f"\\x{byte:02x}" for byte in raw))
    for encode in (base64.b64encode, base64.urlsafe_b64encode):
        for before in range(3):
            whole = encode(b"\0" * before + raw).decode().rstrip("=")
            first = (0, 2, 3)[before]  # letters that what stands before has a part in
            last = len(whole) - (1 if (before + len(raw)) % 3 else 0)
            found.add(whole[first:last])
    return {form for form in found if len(form) >= min(_SHORTEST, len(value))}
