"""An answer taken apart into claims: sentences, clauses, list items and rows, each with what it cites."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from ...core.text import WORD, sentences
from ...core.wording.refusals import REFUSAL, refusal_in

_SUPERSCRIPTS = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹", "0123456789")
_NUMBERS = r"\d+(?:\s*(?:,|and|&)\s*\d+)*"
_LABEL = r"(?:(?:sources?|items?|docs?|documents?|passages?|contexts?|refs?|references?|nos?\.?)\s*:?\s*)"
CITE = re.compile(
    rf"\s*(?:\[{_LABEL}?#?(?P<square>{_NUMBERS})\]|【(?:{_LABEL})?(?P<lens>{_NUMBERS})[^】]*】|"
    rf"\({_LABEL}#?(?P<round>{_NUMBERS})\)|\[\^(?P<note>\d+)\]|(?P<raised>[⁰¹²³⁴⁵⁶⁷⁸⁹]+(?:[,⸴ ]?[⁰¹²³⁴⁵⁶⁷⁸⁹]+)*))",
    re.IGNORECASE,
)
_LEADING = re.compile(rf"(?:{CITE.pattern.replace('?P<', '?P<lead_')}[\s,;.]*)+", re.IGNORECASE)
_MARKUP = re.compile(
    r"(?<!\w)(?:\*\*|__)|(?:\*\*|__)(?!\w)|`+|(?<!\w)\*(?=\S)|(?<=\S)\*(?!\w)|</?(?:b|i|em|strong|p|br|li|ul|ol|sup|sub|code|span|div)\b[^>]*>"
)
_LINK = re.compile(r"!?\[([^\]]+)\]\((?:https?:|#|/|\.)[^)]*\)")
_ITEM = re.compile(r"^\s*(?:[-*•–+‣◦]|\(?\d{1,2}[.)]|\(?[a-z][.)](?=\s))\s+")
_BEHIND_STOP = re.compile(r"([.!?])((?:【[^】]*】|\[\^?\d[^\]]*\]|[⁰¹²³⁴⁵⁶⁷⁸⁹]+)+)")
_INLINE_ITEM = re.compile(r"(?<=[.!?:;])\s+[-•*–]\s+(?=[A-Z0-9\"“'`*])")
_HEADING = re.compile(r"^\s*#{1,6}\s")
_RULE_ROW = re.compile(r"^\s*\|?\s*:?-{2,}:?\s*(?:\|\s*:?-{2,}:?\s*)*\|?\s*$")
_EMPTY = re.compile(
    r"^(?:(?:sure|certainly|of course|absolutely|yes|no|okay|ok|hello|hi|hey|thanks|thank you|great question|good question|"
    r"you'?re welcome|sorry|my apologies|apologies|unfortunately|in short|in summary|to summari[sz]e|in conclusion)\b[\s,!.:–—-]*)+$",
    re.IGNORECASE,
)
_WHETHER = re.compile(
    r"\W*(?:yes|no|nope|yep|certainly|of course|absolutely|never|nowhere|nobody|none|nothing)\b(?:,? (?:not|yes|no|of course))?\W*",
    re.IGNORECASE,
)
_POLITE = re.compile(
    r"^(?:(?:i )?hope (?:this|that)|let me know|feel free|please (?:let|feel|note that i|ask|contact me)|"
    r"if you (?:have|need) (?:any|more|further)|(?:i(?:['’]m| am) )?(?:very |more than )?(?:happy|glad|pleased) to|"
    r"here (?:is|are) (?:the|a|some|what|an)\b.*:$|i(?:'d| would) be (?:happy|glad)|is there anything else|"
    r"(?:for (?:more|further) (?:details|information)|for details)\b|"
    r"see (?:also )?(?:section|chapter|page|the|item|document|source|appendix|below|"
    r"above)\b|refer to\b|i(?:'m| am) sorry\b|as an ai\b)",
    re.IGNORECASE,
)
_SPEAKER = re.compile(
    r"\b(?:the )?(?:documents?|context|passages?|sources?|texts?|handbook|information|material|i|we|it)\b",
    re.IGNORECASE,
)
_FINITE = (
    r"(?:is|are|was|were|has|have|had|must|may|can|could|will|would|should|shall|does|do|did|cannot|needs?|costs?|takes?|gets?|goes|"
    r"[a-z]+(?:s|ed))"
)
_SUBJECT = (
    r"(?:it|they|he|she|this|these|that|those|there|we|you|one|"
    r"(?:the|a|an|all|each|every|its|their|no|some|both)\s+(?:[\w'’-]+\s+){1,4}?)"
)
_CLAUSE = re.compile(
    rf";\s+(?:and\s+|but\s+|however,?\s+)?(?=\S)|,\s+(?:and|but|while|whereas)\s+(?={_SUBJECT}\s*{_FINITE}\b)",
    re.IGNORECASE,
)
_PRONOUN = re.compile(r"^(?:It|They|He|She)\s+(?=" + _FINITE + r"\b)")
_BE = re.compile(
    r"\s(?:is|are|was|were|has|have|had|must|may|can|could|will|would|should|shall|does|do|did|cannot)\s", re.IGNORECASE
)
_VERBS = "|".join(
    sorted(
        f"{verb}es" if verb.endswith(("s", "x", "ch", "sh")) else f"{verb}s"
        for verb in """take cost hold need get make give
open close begin end start run lie stand contain include allow require provide use show return create remove set support write read
lead reach belong depend work carry cover apply pay keep serve rise last send store call load print delete replace""".split()
    )
)
_AUXILIARY = "is|are|was|were|has|have|had|must|may|can|could|will|would|should|cannot"
_AND_VERB = re.compile(rf"\s(?P<and>and)\s+(?=(?:{_AUXILIARY}|{_VERBS})\s+(?:[\w£$€\"'“‘-]))", re.IGNORECASE)
_ANDCITED = re.compile(r"(?:[\])】⁰¹²³⁴⁵⁶⁷⁸⁹])\s*,?\s+(?P<and>and|but)\s+(?=\w+\s+\S+)")
_ASIDE = re.compile(
    rf"^(?P<subject>(?:The|A|An|Each|Every|Its|[A-Z])[\w'’ -]{{1,50}}?), (?:which|who) (?P<aside>(?:{_AUXILIARY}|{_VERBS}|\w+ed)\s[^,;]+), "
    rf"(?P<rest>(?:{_AUXILIARY}|{_VERBS}|\w+ed)\s.+)$"
)
_LOWER_START = re.compile(r"(?<=[a-z\])】]{2})[.!?]\s+(?=[a-z]{2,})")
_SHORTENED = re.compile(
    r"\b(?:e\.g|i\.e|etc|cf|vs|viz|approx|no|nos|fig|sec|ch|dr|mr|mrs|ms|st|al|jan|feb|mar|apr|jun|jul|aug|sept?|oct|nov|dec|vol|pp?|ed|"
    r"incl|max|min|ca)\.$",
    re.IGNORECASE,
)
_LONGEST_SUBJECT = 7


def split_claims(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The claims of an answer, in order: {text, cites}.

    A claim is a sentence, or a clause that could stand as one; an item of a list; a row of a table with its column names. Marks
    such as [1, 2], 【1】, ¹, [Source 2] are its citations, before or after its stop. Pleasantries, pointers ('see section 3'),
    headings, questions and what says that something is *not* known make no claims. A pronoun that opens a sentence is put back
    into the subject of the sentence before.
    """
    claims: list[dict[str, Any]] = []
    for line in _lines(str(fields["answer"])):
        for start, end in _sentences(line):
            sentence = line[start:end]
            after = _LEADING.match(sentence)
            if after and claims and after.end() and start:
                claims[-1]["cites"].extend(_cites(after[0]))
                sentence = sentence[after.end() :]
            cites = _cites(sentence)
            bare = " ".join(CITE.sub("", sentence).split()).strip()
            if not WORD.search(bare):
                if cites and claims:
                    claims[-1]["cites"].extend(cites)
                continue
            if not _claims_something(bare):
                continue
            parts = _clauses(sentence)
            for number, part in enumerate(parts):
                own = _cites(part)
                text = " ".join(CITE.sub("", part).split()).strip()
                text = CITE.sub("", text).strip() if number < len(parts) - 1 else text
                if not WORD.search(text) or not _claims_something(text):
                    continue
                text = _named(text, claims[-1]["text"] if claims else "")
                claims.append(
                    {"text": text, "cites": own or (cites if len(parts) > 1 and number < len(parts) - 1 else own)}
                )
    whole = " ".join(CITE.sub("", str(fields["answer"])).split())
    if not claims and _WHETHER.fullmatch(whole):  # the question says of what
        claims.append({"text": whole, "cites": _cites(str(fields["answer"]))})
    for claim in claims:
        claim["cites"] = list(dict.fromkeys(claim["cites"]))
    declining, quote = refusal_in(str(fields["answer"]))
    return {"declining": declining, "quote": quote, "claims": claims}


def _lines(text: str) -> Iterator[str]:
    """The lines of an answer without markup; rows of a table as 'Column: value; …'."""
    header: list[str] = []
    rows = _INLINE_ITEM.sub("\n- ", text).split("\n")
    for place, row in enumerate(rows):
        if _RULE_ROW.match(row) and "-" in row:
            continue
        if row.strip().startswith("|") and row.count("|") > 2:
            cells = [_clean(cell) for cell in row.strip().strip("|").split("|")]
            if place + 1 < len(rows) and _RULE_ROW.match(rows[place + 1]):
                header = cells
                continue
            named = (
                [f"{name}: {cell}" for name, cell in zip(header, cells) if cell]
                if header
                else [cell for cell in cells if cell]
            )
            yield "; ".join(named)
            continue
        header = []
        if _HEADING.match(row):
            continue
        line = _clean(_ITEM.sub("", row))
        if line.endswith(":") and place + 1 < len(rows) and len(line.split()) < 15:
            continue  # it only leads to what follows
        yield line


def _clean(text: str) -> str:
    plain = _MARKUP.sub("", _LINK.sub(r"\1", text)).strip()
    return _BEHIND_STOP.sub(r"\2\1", plain)


def _sentences(line: str) -> Iterator[tuple[int, int]]:
    """Sentences of a line; one that begins in lower case after a full stop counts too, but not after an abbreviation."""
    left = -1
    for start, end in sentences(line):
        start = start if left < 0 else left
        if _SHORTENED.search(line[start:end]) and end < len(line):
            left = start
            continue
        left = start
        for found in _LOWER_START.finditer(line, start, end):
            if _SHORTENED.search(line[left : found.end()].rstrip()):
                continue
            yield left, found.end()
            left = found.end()
        yield left, end
        left = -1


def _cites(text: str) -> list[int]:
    found: list[int] = []
    for match in CITE.finditer(text):
        marks = next(group for group in match.groups() if group)
        found.extend(int(number) for number in re.findall(r"\d+", marks.translate(_SUPERSCRIPTS)) if len(number) < 6)
    return found


def _claims_something(bare: str) -> bool:
    if bare.endswith("?") or _EMPTY.match(bare) or _POLITE.match(bare):
        return False
    return not (REFUSAL.search(bare) and _SPEAKER.search(bare[: REFUSAL.search(bare).start() + 30]))  # type: ignore[union-attr]


def _clauses(sentence: str) -> list[str]:
    """The parts of a sentence that could stand alone, each with its subject where that is plain; a row of a table stays
    whole."""
    if re.match(r"^[^:;]{1,40}: [^;]+;", sentence):
        return [sentence]
    aside = _ASIDE.match(sentence)
    if aside:
        subject = aside["subject"]
        return [f"{subject} {aside['aside']}", *_coordinated(f"{subject} {aside['rest']}")]
    found: list[str] = []
    left = 0
    for break_ in _CLAUSE.finditer(sentence):
        part = sentence[left : break_.start()]
        rest = sentence[break_.end() :]
        opens = re.match(
            r"\s*(?:if|when|unless|although|though|because|since|while|as|before|after)\b", part, re.IGNORECASE
        )
        if len(part.split()) < 3 or len(rest.split()) < 3 or (opens and "," not in part):
            continue
        found.extend(_coordinated(part))
        left = break_.end()
    return [*found, *_coordinated(sentence[left:])]


def _coordinated(part: str) -> list[str]:
    """'The lock is 4 m wide and takes boats' in two, the second with the subject of the first."""
    opens = re.match(
        r"\s*(?:if|when|unless|although|though|because|since|while|as|before|after|to)\b", part, re.IGNORECASE
    )
    found = None if opens else _AND_VERB.search(part)
    cited = None if opens else _ANDCITED.search(part)
    if cited and (not found or cited.start() < found.start()):
        return [part[: cited.start("and")].rstrip(), *_coordinated(part[cited.end() :])]
    if not found:
        return [part]
    first, rest = part[: found.start()], part[found.end("and") :].strip()
    verb = _BE.search(first) or re.search(rf"\s(?:{_VERBS})\s", first)
    subject = first[: verb.start()] if verb else ""
    if not subject or len(subject.split()) > _LONGEST_SUBJECT or len(first.split()) < 3 or len(rest.split()) < 3:
        return [part]
    return [first, *_coordinated(f"{subject.strip()} {rest}")]


def _named(text: str, before: str) -> str:
    """A sentence whose opening pronoun is put back into the subject of the one before, where that is short and plain."""
    opening = _PRONOUN.match(text)
    subject = _BE.search(before)
    if not opening or not subject:
        return text
    name = before[: subject.start()]
    if (
        not 1 <= len(name.split()) <= _LONGEST_SUBJECT
        or "," in name
        or _PRONOUN.match(before)
        or name.split()[0].lower() in _NO_SUBJECT
    ):
        return text
    return f"{name} {text[opening.end() :]}"


_NO_SUBJECT = frozenset(
    "if when in on at for with by from there after before since because although while it this that these".split()
)
