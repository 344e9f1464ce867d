"""Just enough English grammar to turn a plain statement round: subject, auxiliary, predicate."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise

from ..core.text import STOP_WORDS

AUXILIARIES = frozenset("is are was were must may can should will shall".split())
MODALS = frozenset(["must", "may", "can", "should", "will", "shall"])
NUMBER = r"(?:\d[\d,.]*|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|fourteen|twenty|thirty|forty|fifty|sixty|ninety)"
MONTH = r"(?:January|February|March|April|May|June|July|August|September|October|November|December)"
WEEKDAY = r"(?:(?:Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)days?)"

_OPENERS = frozenset("the a an each every all any no only both most some".split())
_NEVER_IN_SUBJECT = frozenset(
    """that which who whom whose if when while because although though unless until since as so than where whether it
    they he she we you i this these those there such following above below however therefore thus instead otherwise
    not also then but what how why see us him them me e.g i.e says means gives needs makes takes contains includes
    requires provides has have had does do did""".split()
)
_NEVER_FIRST = frozenset(
    """here note for in at on by with from after before during under once to its their his her our your my another
    other same former latter both neither either and or""".split()
)
_DANGLING = frozenset("and or of to but in on at by for with from the a an".split())
_ANAPHORA = re.compile(
    r"\b(this|these|those|such|above|below|following|former|latter|previous|aforementioned|here|there|he|she|his|her"
    r"|they|them|we|us|our|i|my|it|same|latter|respectively|otherwise|however|therefore|also|thus|another|"
    r"first case|second case|section \d)\b",
    re.IGNORECASE,
)
_AFTER_COMMA = re.compile(
    r"\s*(?:which|who|whose|unless|since|because|except|so that|so|as|even|including|to|where|when|while|if|but|nor|"
    r"and (?:it|they|must|may|should|can|will|is|are)|using|for example|in order|although|though|however|after|before)\b"
)
_OWNED = re.compile(r"\b(its|their|itself|themselves|your|you|yours)\b", re.IGNORECASE)
_VAGUE = re.compile(
    r"\b(?:things?|if necessary|if needed|if so|example|case|cases|one|ones|way|fact|reason|support|do so|remaining|"
    r"resulting|corresponding|appropriate|too|if that|where possible|if possible|when necessary)\b"
)
_ODD = re.compile(r"[\[\]{}<>|\\^_=*#~@`•]|\.\.|https?:|\bwww\.|--|\be\.g|\bi\.e|\betc\b|/[a-z]+/")


@dataclass(frozen=True)
class Clause:
    """A plain statement: 'The keeper | must | record the level'. `negated` when 'not' follows the auxiliary."""

    subject: str
    aux: str
    predicate: str
    negated: bool = False

    @property
    def modal(self) -> bool:
        return self.aux in MODALS


def clause(sentence: str, names: frozenset[str] = frozenset()) -> Clause | None:
    """The subject, auxiliary and predicate of a sentence that is built that plainly; None for any other.

    `names` are words known to be capitalised in mid-sentence: the first word of the subject keeps its capital
    only when it is one of them.
    """
    body = sentence.rstrip(" .;")
    tokens = body.split(" ")
    for place, token in enumerate(tokens[:10]):
        if token in AUXILIARIES and place:
            subject = tokens[:place]
            rest = tokens[place + 1 :]
            negated = bool(rest) and rest[0] == "not"
            predicate = " ".join(rest[1:] if negated else rest)
            if token in MODALS and rest and re.fullmatch(r"[a-z]+[^su\W]s", rest[0]):
                return None  # a can that holds, a will that names: the word is a noun here
            if not _is_subject(subject) or len(predicate.split()) < 1:
                return None
            return Clause(lowered(" ".join(subject), names), token, predicate, negated)
        if token.endswith((",", ";", ":")):
            return None
    return None


def _is_subject(tokens: list[str]) -> bool:
    lowercase = [token.lower().strip("“”\"'’") for token in tokens]
    if not tokens[0][:1].isupper() or lowercase[-1] in _DANGLING:
        return False
    if lowercase[0] in _NEVER_FIRST or any(token in _NEVER_IN_SUBJECT for token in lowercase):
        return False
    if any(token in ("The", "A", "An", "Each", "Every") for token in tokens[1:]):
        return False
    if len(tokens) == 1:
        return lowercase[0] not in _OPENERS and len(lowercase[0]) > 2 and not lowercase[0].endswith("ing")
    if "and" in lowercase and len(tokens) > 6:
        return False
    if (lowercase[0].endswith("ly") and lowercase[0] != "only") or lowercase[0].isdigit():
        return False
    plural_or_named = tokens[0].lower() in _OPENERS or tokens[-1][-1:] == "s" or tokens[-1][:1].isupper()
    return plural_or_named


def lowered(phrase: str, names: frozenset[str]) -> str:
    """A phrase as it stands inside a sentence."""
    first, _, second = phrase.partition(" ")
    if second[:1].isupper() and first.lower() not in _OPENERS:
        return phrase  # a name of two words, such as Quarry Lock
    bare = re.sub(r"\W+$", "", first)
    if bare in names or bare[1:] != bare[1:].lower() or any(c.isdigit() for c in bare):
        return phrase
    return phrase[0].lower() + phrase[1:]


def capital(phrase: str) -> str:
    """A phrase as it begins a sentence."""
    return phrase[:1].upper() + phrase[1:]


def known_names(text: str) -> frozenset[str]:
    """Words that stand capitalised after a lower-case word or a comma somewhere in the text."""
    found = set(re.findall(r"(?<=[a-z,;] )[A-Z][\w’'-]*", text))
    return frozenset(word for word in found if word.lower() not in STOP_WORDS)


def till_pause(text: str) -> str | None:
    """The text up to its first pause; None where that would cut a list in the middle ('/opt, /var/opt and /usr')."""
    found = re.search(r"\s*(?:([,])|[;:(–—]|\s-\s)", text)
    if found is None:
        return text.rstrip(" .")
    if found[1] and not _AFTER_COMMA.match(text, found.end()):
        return None
    return text[: found.start()]


def is_person(phrase: str) -> bool:
    """Whether a noun phrase names a person or a body that acts, as far as its last noun tells."""
    head = re.split(r"\b(?:of|in|at|on|for|with|from|under)\b", phrase)[0].split()
    if not head:
        return False
    word = head[-1].lower().strip(",")
    if word in _PEOPLE or word.rstrip("s") in _PEOPLE:
        return True
    return word.rstrip("s").endswith(
        (
            "keeper",
            "master",
            "officer",
            "holder",
            "owner",
            "warden",
            "user",
            "maintainer",
            "developer",
            "driver",
            "manager",
            "leader",
            "boater",
            "angler",
            "visitor",
            "volunteer",
            "administrator",
            "author",
            "uploader",
            "engineer",
            "helmsman",
        )
    )


_PEOPLE = frozenset(
    """person people anyone child adult member staff crew trust committee council board team office helmsman
    skipper inspector contractor steward patrol diver walker cyclist rower hirer guest applicant parent guardian
    doctor editor operator secretary treasurer chair director clerk customer employee employer worker student
    teacher""".split()
)


_PAST = re.compile(r"\b(?:was|were|did|had)\b")


def sound(question: str) -> bool:
    """Whether a question reads as English and stands by itself: what fails here is dropped, not kept."""
    tokens = question.rstrip("?").split()
    if not 4 <= len(tokens) <= 24 or not question.endswith("?"):
        return False
    if _ANAPHORA.search(question) or _ODD.search(question) or question.count("(") != question.count(")"):
        return False
    if "(" in question or ";" in question or ":" in question or question.count(",") > 1:
        return False
    if any(quote in question for quote in '"“”'):
        return False
    last = tokens[-1].lower().strip(",")
    if last in ("and", "or", "the", "a", "an", "not", "only", "be", "both", "merely", "simply", "just", "so", "such"):
        return False
    owned = _OWNED.search(question)
    if owned and owned[1].lower() in ("you", "your", "yours"):
        return False
    if _VAGUE.search(question) or " now " in question:
        return False
    if _PAST.search(question) and not any(token[:1].isupper() for token in tokens[1:]):
        return False  # what happened once needs a name: 'For how many hours was the road closed?'
    repeated = any(a.lower() == b.lower() for a, b in pairwise(tokens))
    return not repeated
