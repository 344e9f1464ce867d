"""Personal data: e-mail addresses, telephone and card numbers, national identifiers, and names beside them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from ..documents import Document
from ..documents.spans import Range
from . import Finding

REGION = "GB"
_EMAIL = re.compile(r"(?<![\w.+-])[A-Za-z0-9][\w.+-]{0,63}@(?:[A-Za-z0-9-]{1,63}\.)+[A-Za-z]{2,24}\b")
_CARD = re.compile(r"(?<![\d.,-])(?:\d[ -]?){12,18}\d(?![\d.,-]*\d)")
_IDENTIFIERS = (
    (
        "national insurance number",
        re.compile(r"\b(?!BG|GB|NK|KN|TN|NT|ZZ)[A-CEGHJ-PR-TW-Z]{2} ?\d{2} ?\d{2} ?\d{2} ?[A-D]\b"),
    ),
    ("social security number", re.compile(r"\b(?!000|666|9\d\d)\d{3}-(?!00)\d{2}-(?!0000)\d{4}\b")),
    ("bank account (IBAN)", re.compile(r"\b[A-Z]{2}\d{2}(?: ?[A-Z0-9]{4}){3,7}(?: ?[A-Z0-9]{1,3})?\b")),
)
_NAME = re.compile(r"\b(?:(?:Mr|Mrs|Ms|Dr)\.? )?[A-Z][a-z]+(?:[- ][A-Z][a-z]+){1,2}\b")
_BESIDE = 80
_SHARED = re.compile(
    r"^(?:info|office|help|helpdesk|contact|enquiries|admin|support|sales|press|noreply|no-reply)@", re.I
)


def find(documents: Sequence[Document]) -> list[Finding]:
    """One finding a document that holds any, with the places of all."""
    found = []
    for document in documents:
        hits = list(dict.fromkeys(personal_data(document.text)))
        if not hits:
            continue
        kinds: dict[str, int] = {}
        for kind, _ in hits:
            kinds[kind] = kinds.get(kind, 0) + 1
        beside = names_beside(document.text, [span for _, span in hits])
        if beside:
            kinds["name beside them"] = len(beside)
        told = ", ".join(f"{count} × {kind}" for kind, count in kinds.items())
        sure = min(0.99, 0.6 + 0.1 * len(hits) + 0.1 * bool(beside))
        found.append(
            Finding(
                "personal data", document.name, sure, told, tuple(span for _, span in hits) + tuple(beside), "", kinds
            )
        )
    return found


def personal_data(text: str) -> Iterator[tuple[str, Range]]:
    """(kind, place) of each; addresses of an office such as info@ do not count."""
    for found in _EMAIL.finditer(text):
        if not _SHARED.match(found[0]):
            yield "e-mail address", found.span()
    taken: list[Range] = []
    for found in _CARD.finditer(text):
        digits = re.sub(r"\D", "", found[0])
        if 13 <= len(digits) <= 19 and luhn(digits) and digits[0] in "3456" and len(set(digits)) > 1:
            taken.append(found.span())
            yield "card number", found.span()
    for kind, pattern in _IDENTIFIERS:
        for found in pattern.finditer(text):
            if kind != "bank account (IBAN)" or iban(found[0]):
                taken.append(found.span())
                yield kind, found.span()
    for span in _phones(text):
        if not any(start < span[1] and span[0] < end for start, end in taken):
            yield "telephone number", span


def _phones(text: str) -> Iterator[Range]:
    """Telephone numbers that are possible where they stand; a bare run of figures is none."""
    if not re.search(r"(?:\+|\b0)\d[\d ()/-]{6,}|\(\d{2,5}\) ?\d{3}", text):
        return
    import phonenumbers

    for match in phonenumbers.PhoneNumberMatcher(text, REGION, leniency=phonenumbers.Leniency.POSSIBLE):
        written = match.raw_string
        digits = re.sub(r"\D", "", written)
        grouped = re.search(r"\d[ ()/-]+\d", written) or written.startswith("+") or re.match(r"0[1-9]\d{8,9}$", written)
        dated = re.search(r"\b(?:19|20)\d\d[-/.]\d\d?[-/.]\d", written)
        if written.startswith(("+", "0", "(0")) and 9 <= len(digits) <= 15 and grouped and not dated:
            yield (match.start, match.end)


def luhn(digits: str) -> bool:
    """Whether the last digit is the check digit of a card number (ISO/IEC 7812-1, annex B)."""
    total = 0
    for place, digit in enumerate(reversed(digits)):
        value = int(digit) * (2 if place % 2 else 1)
        total += value - 9 if value > 9 else value
    return total % 10 == 0


def iban(text: str) -> bool:
    """Whether the check digits of an international bank account number hold (ISO 13616)."""
    plain = text.replace(" ", "")
    moved = plain[4:] + plain[:4]
    return 15 <= len(plain) <= 34 and int("".join(str(int(char, 36)) for char in moved)) % 97 == 1


def names_beside(text: str, places: Sequence[Range]) -> list[Range]:
    """Names of two or three words within 80 characters of personal data, on the same line."""
    found = []
    for start, end in places:
        left = max(text.rfind("\n", 0, start) + 1, start - _BESIDE)
        stop = text.find("\n", end)
        right = min(len(text) if stop < 0 else stop, end + _BESIDE)
        for name in _NAME.finditer(text, left, right):
            if name.span() not in found:
                found.append(name.span())
    return found
