"""Questions that a passage answers: each rule turns one form of statement round; a row of a table gives others."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from itertools import pairwise
from typing import Any

from ..core.text import sentences
from .grammar import MONTH, NUMBER, WEEKDAY, capital, clause, is_person, known_names, lowered, sound, till_pause
from .paraphrases import paraphrase
from .rows import row_questions

_UNIT = r"[a-z]{2,}s|metres?|feet|per cent|m|km|mm|kg|day|hour|minute|week|month|year|mile"
_AMOUNT = re.compile(
    r"\b(?P<prep>within|for|after|before|every|at intervals of|in) "
    r"(?:a period of |up to |at least |at most |no more than |not more than |more than )?"
    rf"(?P<amount>(?:{NUMBER})[ -](?P<unit>(?:[a-z]+ )?(?:{_UNIT})))\b(?!['’-])"
)
_OBJECT = re.compile(
    r"^(?P<verb>(?!be )[a-z]+) "
    r"(?P<bound>at least |at most |no more than |not more than |up to |a maximum of |a minimum of |exactly )?"
    rf"(?:{NUMBER}) (?P<unit>(?:[a-z]+ )?(?:[a-z]{{3,}}s|people))\b(?!['’])(?P<rest>.*)$"
)
_MEASURE = re.compile(rf"^(?:{NUMBER})(?: ?[a-z]+)? (?P<adj>long|wide|high|deep|tall|thick|old)\b")
_TIME = (
    rf"(?:\d{{1,2}} {MONTH}|{MONTH}|{WEEKDAY}|\d{{1,2}}(?:[.:]\d\d)? ?(?:am|pm)|noon|midnight|sunrise|sunset|dusk|dawn)"
)
_WHEN = re.compile(
    rf"^(?P<what>(?:open|closed|held|published|issued|inspected|available|in force|\w+ed)\b[^,;]*?) "
    rf"(?:from|between|on|in|at|every|until|by) (?:the (?:first|last) \w+ (?:of|in) )?{_TIME}"
)
_PLACE = re.compile(
    r"^(?P<verb>kept|held|stored|located|found|installed|placed|displayed|posted|moored|parked|sold|issued) "
    r"(?:in|at|on|under|beside|inside|near) (?P<place>.+)$"
)
_CONDITION = re.compile(
    r"^(?P<word>If|When|Where|Before|After|While|Whenever) (?P<when>[^,]{8,110}), (?:then )?(?P<main>[a-zA-Z].+)$"
)
_TRAILING = re.compile(
    r"^(?P<do>[a-z]+ .+?) (?P<word>before|after|when|if|unless|while|whenever) (?P<when>[^,;]{6,90})$"
)
_PASSIVE = re.compile(r"^be (?P<verb>[a-z]+(?:ed|en|wn|de|ld|pt|nt|ut|id|ght))\b")
_HAS_VERB = re.compile(r"\b(?:is|are|was|were|has|have|had|does|do|can|must|may|will|cannot|[a-z]{3,}(?:s|ed))\b")
_PLAIN_VERB = re.compile(
    r"^(?P<subject>[A-Z][^,;:]{2,60}?) "
    r"(?P<verb>means|stands for|refers to|costs?|lasts?|takes?|opens?|closes?|begins?|starts?|ends?|expires?) "
    r"(?P<rest>.+)$"
)
_PRICED = re.compile(r"\b(fees?|charges?|costs?|prices?|deposits?|rates?|fines?|discounts?)\b", re.IGNORECASE)

_LEANS = re.compile(
    r"\b(?:this|these|those|such|above|below|following|former|latter|previous|aforementioned|here|there|it|they|them|he|she|"
    r"otherwise|however|therefore|thus)\b(?! (?:is|are) (?:no|any)\b)|\bas (?:follows|shown|described|mentioned)\b|"
    r"\b(?:first|second|third|last|other|another|same) (?:case|kind|form|way|one|step|example|argument|parameter|part)\b",
    re.IGNORECASE,
)
# Verbs after which a thing is not what or where it was: 'What happens to X?' has an answer.
_CHANGED = re.compile(
    r"^be (?:automatically |immediately |silently |then |also )?(?:removed|deleted|replaced|moved|closed|raised|ignored|"
    r"discarded|converted|restarted|cancelled|canceled|stopped|sent|lost|kept|restored|overwritten|charged|refused|forfeited|"
    r"renamed|truncated|rejected|skipped|dropped|destroyed|released|returned|suspended|withdrawn|terminated|killed|reset|"
    r"cleared|flushed|merged|split|drained|lowered|opened|shut|locked|unlocked|padlocked|tied up|barred|"
    r"stored|saved|updated|disabled|enabled|towed|"
    r"thrown|propagated|evaluated|compressed|encrypted|fined|revoked|downgraded|upgraded|held|reopened|sold|shortened|"
    r"extended|disconnected|invoked|printed|shown|hidden|expanded)\b"
)
# A definition says of what kind a thing is, and what sets it apart from others of the kind.
_APART = re.compile(
    r"^(?:an?|the|any|one of the) (?:[\w’'-]+ ){0,6}?[\w’'-]+(?:,)? (?:that|which|who|where|whose|used|for|to|of|with|"
    r"containing|consisting|made|built|without|between|in which|on which|by which|written|[a-z]+ing)\b"
)
_NO_TERM = re.compile(
    r"^(?:an?|the)? ?(?:good|bad|better|special|second|first|third|new|old|simple|typical|common|further|other|useful|"
    r"possible|main|next|last|big|small|large|final|important|single|whole|different|similar|complete|non-\w+|major|"
    r"more|most|recent|real|quick|easy|nice|basic|clear|key|reasonable|second|slight|result|example|way|problem|"
    r"reason|solution|case|point|idea|advantage|alternative|exception|thing|purpose|goal)\b",
    re.IGNORECASE,
)
_TO_DO = re.compile(
    r"^(?:To|In order to) (?P<do>[a-z]+ [^,;:()]{6,80}), (?:you (?:can|should|must|may|need to|have to) |just |simply |please |"
    r"first )?(?P<how>(?:use|run|type|enter|choose|select|click|press|call|set|add|put|write|send|apply|edit|install|execute|"
    r"issue|create|open|pass|specify|invoke|turn|push|pull|hold|ring|fill|bring|go|start|insert|give|make|do|configure|"
    r"follow|define|import|copy|remove|replace|ask|phone|show|buy|book|take)\b.+)$"
)
_BY_DOING = re.compile(
    r"^You can (?P<do>[a-z]+ [^,;:()]{6,70}?) (?:by (?P<how>[a-z]+ing .+)|(?:using|with) (?P<tool>.+))$"
)
_OPTION = re.compile(r"(?:-\w,? )?(?P<option>--?[A-Za-z][\w-]*)(?:[ =\[(<].*)?")
_COMMAND = re.compile(r"(?:\(\d\w*\))?(?: (?:manual page|documentation|command|man page))*$", re.IGNORECASE)
_DEFAULT = re.compile(r"^(?:The )?(?P<what>[^,;:()]{3,60}?) defaults to (?P<value>[^,;]+)")

Found = tuple[str, str]  # question, answer


def ask(fields: Mapping[str, Any]) -> dict[str, Any]:
    """All questions that the rules find in `passage`; each quotes the sentence or row that answers it."""
    passage = str(fields["passage"])
    names = known_names(passage) | known_names(" ".join(map(str, fields.get("headings", ()))))
    found: list[dict[str, Any]] = []
    for start, end in sentences(passage):
        sentence = passage[start:end].lstrip("- ")
        if not 6 <= len(sentence.split()) <= 45 or not sentence.endswith(".") or not sentence[0].isupper():
            continue
        if _LEANS.search(sentence):
            continue  # what it says can't be understood alone, so no answer can be quoted from it
        for rule in RULES:
            question = next((q for q in rule(sentence, names) if sound(q[0])), None)
            if question:
                found.append(
                    {
                        "question": question[0], "answer": question[1], "quote": sentence, "kind": "one-fact",
                        "rule": rule.__name__.strip("_").replace("_", " "),
                    }
                )  # fmt: skip
                break
    found.extend(_options(passage, str(fields.get("title", ""))))
    found.extend(row_questions(passage, str(fields.get("title", ""))))
    return {"questions": found}


def _options(passage: str, title: str) -> Iterator[dict[str, Any]]:
    """'What does OPTION do in COMMAND?' for an option that stands on a line of its own above what it does."""
    command = _COMMAND.sub("", title).strip()
    if not 1 <= len(command.split()) <= 3:
        return
    lines = [line.strip() for line in passage.split("\n") if line.strip()]
    for option, told in pairwise(lines):
        named = _OPTION.fullmatch(option)
        first = next(iter(sentences(told)), None)
        if named is None or first is None or told.startswith("-"):
            continue
        said = told[first[0] : first[1]].strip()
        if 4 <= len(said.split()) <= 45 and said.endswith(".") and said[0].isupper() and not _LEANS.search(said):
            question = f"What does {named['option']} do in {command}?"
            yield {"question": question, "answer": said, "quote": said, "kind": "one-fact", "rule": "option"}


def ask_in_its_place(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Questions that `passage` answers, in other words than `ask` would draft them in: a test set that was drafted by
    the same rules must not find its own questions word for word in the index."""
    found: list[str] = []
    for row in ask(fields)["questions"]:
        others = paraphrase({"question": row["question"], "count": 1})["paraphrases"]
        found.extend(other for other in others[:1] if other.lower() != row["question"].lower())
    return {"questions": list(dict.fromkeys(found))}


def _because(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    body, because, reason = sentence.rstrip(".").partition(" because ")
    found = clause(body + ".", names) if because else None
    if found:
        negation = " not" if found.negated else ""
        yield f"Why {found.aux} {found.subject}{negation} {found.predicate.rstrip(',')}?", capital(f"because {reason}.")


def _condition(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = _CONDITION.match(sentence.rstrip("."))
    if not found:
        return
    main = clause(capital(found["main"]) + ".", names)
    if main is None or not main.modal or main.negated:
        return
    subject = main.subject if found["main"][0].islower() else found["main"][: len(main.subject)]
    word = found["word"].lower()
    if not _HAS_VERB.search(found["when"]):
        return  # 'before doing anything': whose doing it is remains open
    if _CHANGED.match(main.predicate) and main.aux in ("will", "may", "can", "must"):
        yield f"What happens to {subject} {word} {found['when']}?", sentence
    elif _PASSIVE.match(main.predicate):
        return
    elif not main.predicate.startswith(("be ", "have ", "also ", "only ")) and main.aux in ("must", "should", "will"):
        yield f"What {main.aux} {subject} do {word} {found['when']}?", sentence


def _forbidden(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = clause(sentence, names)
    if found and found.negated and found.aux in ("must", "may", "can", "should"):
        opener = "Should" if found.aux == "should" else "Can" if found.aux == "can" else "May"
        guess = found.aux == "may" and found.predicate.startswith(("be ", "have "))  # 'may not be' is a doubt
        plain = not re.match(r"(be )?(only|necessarily|always|yet)\b", found.predicate)
        predicate = till_pause(found.predicate)
        if plain and not guess and predicate:
            yield f"{opener} {found.subject} {predicate}?", f"No. {sentence}"
    if sentence.startswith("No ") and found and found.aux in ("may", "can"):
        predicate = till_pause(found.predicate)
        if predicate:
            yield f"{capital(found.aux)} {_one(found.subject[3:])} {predicate}?", f"No. {sentence}"


def _one(noun: str) -> str:
    if noun.split()[-1].endswith("s"):
        return noun
    return ("an " if noun[:1].lower() in "aeiou" else "a ") + noun


def _who(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = clause(sentence, names)
    if found is None or found.negated:
        return
    only = found.subject.startswith("only ")
    if found.subject.lower() in ("users", "people", "anyone", "a user", "the user", "a person", "you", "users who"):
        return  # it says nothing of who
    if (only or found.modal) and is_person(found.subject) and not found.predicate.startswith("be "):
        predicate = till_pause(found.predicate)
        if predicate and len(predicate.split()) >= (2 if only else 3) and " only " not in predicate:
            yield f"Who {found.aux} {predicate}?", capital(found.subject) + "."
    by = re.match(
        r"^(?P<verb>(?:be )?[a-z]+(?:ed|en|wn|de|ld|pt|ut|ght)) by (?P<who>(?:the |a |an )?[^,;.]+)$", found.predicate
    )
    if by and is_person(by["who"]):
        yield f"By whom {found.aux} {found.subject} {by['verb']}?", capital(by["who"]) + "."
    duty = re.match(r"^responsible for (?P<what>[^,;.]+)$", found.predicate)
    if duty and found.aux in ("is", "are"):
        yield f"Who is responsible for {duty['what']}?", capital(found.subject) + "."


def _amount(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = clause(sentence, names)
    if found is None or found.negated:
        return
    measure = _MEASURE.match(found.predicate)
    if measure and found.aux in ("is", "are"):
        yield f"How {measure['adj']} {found.aux} {found.subject}?", sentence
    if (
        found.aux in ("is", "are")
        and re.match(r"^(?:[a-z]+ )?[£$€]\d", found.predicate)
        and _PRICED.search(found.subject)
    ):
        yield f"How much {found.aux} {found.subject}?", sentence
    thing = _OBJECT.match(found.predicate)
    if thing and found.modal and not re.match(r"^ (?:of|and|or|long|wide|high|deep|in advance)\b", thing["rest"]):
        bound = " at least" if thing["bound"] in ("at least ", "a minimum of ") else ""
        bound = bound or (" at most" if thing["bound"] else "")
        rest = till_pause(thing["rest"]) or ""
        yield f"How many {thing['unit']} {found.aux} {found.subject} {thing['verb']}{bound}{rest}?", sentence
    amount = _AMOUNT.search(found.predicate)
    if amount and " of " not in found.predicate[amount.end() : amount.end() + 4]:
        before = found.predicate[: amount.start()].rstrip()
        after = till_pause(found.predicate[amount.end() :]) or ""
        unit = amount["unit"] if amount["unit"].endswith(("s", "feet")) else amount["unit"] + "s"
        if before and not re.search(r",|;|\b(?:and|or|that|which|who)\b", before):
            predicate = f"{before}{after}"
            yield f"{capital(amount['prep'])} how many {unit} {found.aux} {found.subject} {predicate}?", sentence


def _when_where(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = clause(sentence, names)
    if found is None or found.negated or found.aux not in ("is", "are", "must", "may", "will"):
        return
    predicate = found.predicate.removeprefix("be ")
    be = "be " if predicate != found.predicate else ""
    when = _WHEN.match(predicate)
    if when and (be or not found.modal):
        yield f"When {found.aux} {found.subject} {be}{when['what']}?", sentence
    place = _PLACE.match(predicate)
    if place and (be or not found.modal) and not re.search(_TIME, place["place"]):
        yield f"Where {found.aux} {found.subject} {be}{place['verb']}?", sentence


def _duty(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = clause(sentence, names)
    if found is None or found.negated or found.aux not in ("must", "should"):
        return
    trailing = _TRAILING.match(found.predicate)
    if (
        trailing
        and is_person(found.subject)
        and not trailing["do"].startswith(("be ", "only ", "have ", "not ", "either ", "also "))
    ):
        yield f"What {found.aux} {found.subject} do {trailing['word']} {trailing['when']}?", sentence


def _meaning(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = clause(sentence, names)
    if found and found.aux in ("is", "are") and not found.negated:
        used = re.match(r"^(?:only )?used (?:to|for) .{6,}", found.predicate)
        if used:
            yield f"What {found.aux} {found.subject} used for?", sentence
        indefinite = re.match(r"^(?:an?|the|any|one of the) [a-z]", found.predicate)
        short = found.subject.startswith(("a ", "an ")) or found.subject[0].isupper()
        short = short and not found.subject.startswith("The ")
        told = _APART.match(found.predicate) and not _NO_TERM.match(found.subject)
        if indefinite and short and told and len(found.subject.split()) <= 4 and len(found.predicate.split()) >= 5:
            yield f"What is meant by {found.subject}?", sentence
        limit = re.match(r"^(?:\d|[£$€]\d)", found.predicate)
        if limit and found.subject.startswith("the ") and len(found.subject.split()) >= 3:
            yield f"What {found.aux} {found.subject}?", sentence


def _to_do(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    plain = sentence.rstrip(".")
    found = _TO_DO.match(plain)
    if found and len(found["do"].split()) <= 12:
        yield f"How do I {found['do']}?", capital(f"{found['how']}.")
    found = _BY_DOING.match(plain)
    if found and len(found["do"].split()) <= 12:
        yield f"How can I {found['do']}?", sentence


def _default(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = _DEFAULT.match(sentence.rstrip("."))
    if found and len(found["what"].split()) >= 2 and not re.search(r"\b(?:is|are|and|which|that|if)\b", found["what"]):
        yield f"What does {lowered(found['what'], names)} default to?", sentence


def _permitted(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = clause(sentence, names)
    if found and not found.negated and found.aux == "may" and found.subject[:1].isalpha():
        doubt = not is_person(found.subject) and not found.predicate.startswith("be used ")
        limited = re.search(
            r"\b(?:only|also|often|sometimes|never|either|still|even|cause|need|want|wish)\b", found.predicate
        )
        predicate = till_pause(found.predicate)
        if predicate and not doubt and not limited and len(predicate.split()) >= 3:
            yield f"{capital(found.aux)} {found.subject} {predicate}?", f"Yes. {sentence}"


def _plain_verb(sentence: str, names: frozenset[str]) -> Iterator[Found]:
    found = _PLAIN_VERB.match(sentence.rstrip("."))
    if not found or len(found["subject"].split()) > 7:
        return
    subject, verb, rest = lowered(found["subject"], names), found["verb"], found["rest"]
    if re.search(r"\b(is|are|was|that|which|who|if|when|it|they|and|of|must|may|by|to)\b", subject):
        return
    does = "does" if verb.split()[0].endswith("s") else "do"
    stem = {"means": "mean", "stands for": "stand for", "refers to": "refer to"}.get(verb, verb.rstrip("s"))
    if verb in ("means", "stands for", "refers to"):
        yield f"What does {subject} {stem}?", sentence
    elif re.match(r"^[£$€]\d", rest) and stem in ("cost",):
        yield f"How much {does} {subject} cost?", sentence
    elif re.match(rf"^(?:about |up to )?(?:{NUMBER}) (?:minutes|hours|days|weeks|months|years)", rest) and stem in (
        "last",
        "take",
    ):
        yield f"How long {does} {subject} {stem}?", sentence
    elif re.match(rf"^(?:at|on|from|in) (?:{_TIME})", rest) and stem in (
        "open",
        "close",
        "begin",
        "start",
        "end",
        "expire",
    ):
        yield f"When {does} {subject} {stem}?", sentence


Rule = Callable[[str, frozenset[str]], Iterator[Found]]
RULES: tuple[Rule, ...] = (
    _because, _to_do, _condition, _forbidden, _amount, _when_where, _duty, _who, _meaning, _default, _plain_verb,
    _permitted,
)  # fmt: skip
