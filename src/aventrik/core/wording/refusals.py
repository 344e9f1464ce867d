"""Words by which an answer says that it has none."""

from __future__ import annotations

import re

REFUSAL = re.compile(
    r"\b(?:(?:do|does|did)(?: not|n['’]t) (?:say|state|mention|specify|contain|include|tell|provide|give|answer|cover|know|"
    r"have (?:any|enough|the) (?:information|details))|"
    r"(?:is|are) (?:not|n['’]t) (?:stated|mentioned|specified|given|covered|provided|in the (?:context|documents?|passages?))|"
    r"no information (?:on|about|is)|"
    r"(?:can(?:not|['’]t| not)|unable to|could not|couldn['’]t) (?:answer|find|tell|determine|say)|i don['’]t know|"
    r"not enough information|there is no (?:mention|information))\b",
    re.IGNORECASE,
)
