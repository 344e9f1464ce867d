"""What a word is, in any script, and the words of English that say little by themselves."""

from __future__ import annotations

import re

# Marks that stand on or beside letters and are no letters themselves: accents, vowel signs, joiners.
_MARKS = (
    "\u0300-\u036f\u0483-\u0489\u0591-\u05bd\u05bf\u05c1-\u05c7\u0610-\u061a\u064b-\u065f\u0670\u06d6-\u06ed"
    + "".join(
        f"{chr(block + 1)}-{chr(block + 3)}{chr(block + 0x3C)}{chr(block + 0x3E)}-{chr(block + 0x4D)}"
        f"{chr(block + 0x55)}-{chr(block + 0x57)}{chr(block + 0x62)}{chr(block + 0x63)}"
        for block in range(0x0900, 0x0E00, 0x80)
    )
    + "\u0e31\u0e34-\u0e3a\u0e47-\u0e4e\u0eb1\u0eb4-\u0ebc\u0ec8-\u0ecd\u102b-\u103e\u17b4-\u17d3\u200c\u200d"
    "\u3099\u309a\ufe20-\ufe2f"
)
_LETTERS = rf"[^\W\d_]+(?:[{_MARKS}]+[^\W\d_]*)*"
WORD = re.compile(rf"\d+(?:[.,:]\d+)*|{_LETTERS}(?:['’]{_LETTERS})*|[^\W_]+")

STOP_WORDS = frozenset(
    """a about above after again against all also am an and any are as at be because been before being below
    between both but by can could did do does doing down during each either else ever few for from further get
    got had has have having he her here hers him his how however i if in into is it its itself just let may me
    might more most much must my neither no nor not of off on once one only onto or other others ought our ours
    out over own per please rather same shall she should since so some still such than that the their theirs
    them then there these they this those though through thus to too under until up upon us very via was we were
    what when where whether which while who whom whose why will with within without would yes yet you your yours""".split()
)
