"""Words that turn a statement round, widen it, narrow it or bind it to a condition."""

from __future__ import annotations

from collections.abc import Sequence

from ...core.wording.words import Word

NEGATIONS = frozenset("not no never none neither nor without hardly nobody nothing nowhere".split())
# Statements of what is not so, by their verb: as good as a 'not'.
DENYING = frozenset(
    "forbidden prohibited banned disallowed refuses refuse refused fails fail failed lacks lack lacking prevents prevent prevented "
    "avoid avoids impossible unable stops".split()
)
WIDE = frozenset(
    "all every each always entire entirely whole completely everyone everybody everything everywhere whenever any anyone anything "
    "never whatever wholly totally invariably exactly guaranteed guarantees guarantee".split()
)
NARROW = frozenset("only solely exclusively merely just alone sole".split())
HEDGES = frozenset(
    "may might could can usually often sometimes generally typically mostly most many some few almost nearly about approximately "
    "certain possibly perhaps probably likely rarely commonly normally other others".split()
)
BOLD = frozenset("always never only all none".split())
STRONG = frozenset("must shall always required requires require mandatory need needs never will cannot".split())
WEAK = frozenset(
    "may might could can should ought optional optionally usually recommended allowed permitted sometimes".split()
)
RECKONING = frozenset(
    "total altogether together sum difference twice double triple half average combined times saves longer shorter later earlier percent "
    "share quarter third yearly monthly weekly daily hourly annually per".split()
)
_CONDITIONS = (
    "if when whenever once where while provided assuming given", "unless except excluding", "until till", "before prior", "after",
    "because since as", "although though", "without",
)  # fmt: skip
CONDITIONS = {word: number for number, group in enumerate(_CONDITIONS) for word in group.split()}
_LOOSE = frozenset("as since where given while".split())  # conditions only in some of their uses

_OPPOSITES = (
    "open closed", "open shut", "opens closes", "allowed forbidden", "allow forbid", "permitted prohibited", "permitted forbidden",
    "allows prevents", "allow prevent", "permits prevents", "minimum maximum", "least most", "before after", "above below",
    "over under", "upstream downstream", "free charged", "required optional", "mandatory optional", "required forbidden",
    "start end", "starts ends", "begins ends", "begin end", "first last", "north south", "east west", "northern southern",
    "eastern western", "left right", "always never", "increase decrease", "increases decreases", "increased decreased",
    "raise lower", "raises lowers", "raised lowered", "more less", "more fewer", "higher lower", "highest lowest", "larger smaller",
    "largest smallest", "longer shorter", "longest shortest", "faster slower", "quickly slowly", "earlier later", "early late",
    "enable disable", "enabled disabled", "enables disables", "include exclude", "includes excludes", "included excluded",
    "add remove", "adds removes", "added removed", "install uninstall", "true false", "yes no", "valid invalid", "same different",
    "public private", "internal external", "inside outside", "up down", "upper lower", "upward downward", "top bottom",
    "front back", "forward backward", "new old", "newer older", "newest oldest", "early late", "long short", "wide narrow",
    "deep shallow", "high low", "hot cold", "full empty", "fast slow", "easy hard", "easy difficult", "safe dangerous",
    "success failure", "succeeds fails", "accept reject", "accepts rejects", "accepted rejected", "pass fail", "passes fails",
    "buy sell", "send receive", "sends receives", "push pull", "import export", "load unload", "lock unlock", "locked unlocked",
    "stable unstable", "major minor", "strong weak", "better worse", "best worst", "ascending descending", "lowercase uppercase",
    "absolute relative", "static dynamic", "local remote", "server client", "positive negative", "odd even", "single multiple",
    "present absent", "ignored honoured", "summer winter", "day night", "morning evening", "am pm", "weekday weekend",
    "income expense", "gain loss", "win lose", "win loss", "arrive leave", "arrival departure", "entrance exit", "compulsory voluntary",
    "weekdays weekends", "correctly incorrectly", "correct incorrect", "properly improperly", "implicit explicit", "implicitly explicitly",
    "automatic manual", "automatically manually", "directly indirectly", "temporary permanent", "temporarily permanently",
    "mutable immutable", "ordered unordered", "sorted unsorted", "signed unsigned", "readable unreadable", "known unknown",
)  # fmt: skip
OPPOSITES: dict[str, frozenset[str]] = {}
for _pair in _OPPOSITES:
    _one, _other = _pair.split()
    OPPOSITES[_one] = OPPOSITES.get(_one, frozenset()) | {_other}
    OPPOSITES[_other] = OPPOSITES.get(_other, frozenset()) | {_one}
_PREFIXES = ("un", "in", "non", "dis", "im", "ir", "il", "mis")


def opposite(one: str, other: str) -> bool:
    """Whether two lower-cased words are opposites: of the list, or one the other with a denying prefix."""
    if other in OPPOSITES.get(one, ()):
        return True
    longer, shorter = (one, other) if len(one) > len(other) else (other, one)
    return len(shorter) > 3 and any(longer == prefix + shorter for prefix in _PREFIXES)


def is_negation(words: Sequence[Word], place: int) -> bool:
    """Whether the word at a place denies: 'no', but not 'no.' of a number; 'not', but not of 'not only'."""
    lower = words[place].lower
    if lower == "not" and place + 1 < len(words) and words[place + 1].lower in ("only", "just", "merely"):
        return False
    return lower in NEGATIONS or lower in DENYING


def is_condition(words: Sequence[Word], place: int) -> bool:
    """Whether the word at a place opens a condition: 'if', but 'since' and 'as' only at the start of a clause."""
    lower = words[place].lower
    return lower in CONDITIONS and lower not in _LOOSE


def is_wide(words: Sequence[Word], place: int) -> bool:
    """Whether the word at a place speaks of all: 'each', but not 'each other'; 'all', but not 'at all' or 'all of a sudden'."""
    lower = words[place].lower
    before = words[place - 1].lower if place else ""
    behind = words[place + 1].lower if place + 1 < len(words) else ""
    fixed = (lower, behind) in (("each", "other"), ("whole", "number"), ("any", "more"))
    return lower in WIDE and not fixed and (before, lower) not in (("at", "all"), ("after", "all"))
