"""Structured replies: the record that each task wants, and how it is found in what a model writes."""

from __future__ import annotations

import ast
import json
import re
from collections.abc import Iterator, Mapping
from functools import cache
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from ..core.protocols import Task
from ..core.surrogates import mended_json
from .reply_checks import Unfit, check

_MOST = 200  # entries of a list that a reply may have: more is no answer to what was asked, and would never be judged
_Words = Annotated[str, Field(max_length=20_000)]


class _Record(BaseModel):
    model_config = ConfigDict(extra="ignore")


class Paraphrases(_Record):
    """Reply to `paraphrases`."""

    paraphrases: list[_Words] = Field(max_length=_MOST)


class Hypothetical(_Record):
    """Reply to `hypothetical`."""

    passage: _Words = Field(min_length=1)


class AskedReply(_Record):
    """Reply to `asked`."""

    questions: list[_Words] = Field(max_length=_MOST)


class Subquestions(_Record):
    """Reply to `subquestions`."""

    questions: list[_Words] = Field(min_length=1, max_length=_MOST)


class Broader(_Record):
    """Reply to `broader`."""

    question: _Words = Field(min_length=1)


class Keywords(_Record):
    """Reply to `keywords`."""

    keywords: list[_Words] = Field(min_length=1, max_length=_MOST)


class Expanded(_Record):
    """Reply to `expanded`."""

    question: _Words = Field(min_length=1)


class Standalone(_Record):
    """Reply to `standalone`."""

    question: _Words = Field(min_length=1)


class DraftedQuestion(_Record):
    """One question of a reply to `questions`; a single quote may also stand in `quote`."""

    question: _Words = Field(min_length=1)
    quotes: list[_Words] = Field(min_length=1, max_length=10)
    answer: _Words = Field(min_length=1)
    kind: Literal["passage", "one-fact", "table"] = "one-fact"

    @model_validator(mode="before")
    @classmethod
    def _one_quote(cls, value: Any) -> Any:
        if isinstance(value, dict) and "quote" in value and "quotes" not in value:
            return {**value, "quotes": [value["quote"]]}
        return value


class QuestionsReply(_Record):
    """Reply to `questions`: what users come with, before what they ask."""

    problems: list[_Words] = Field([], max_length=_MOST)
    questions: list[DraftedQuestion] = Field(max_length=_MOST)


class JoinedQuestion(_Record):
    """One question of a reply to `joined`."""

    question: _Words = Field(min_length=1)
    firstquotes: list[_Words] = Field(min_length=1, max_length=10)
    secondquotes: list[_Words] = Field(min_length=1, max_length=10)
    answer: _Words = Field(min_length=1)


class JoinedReply(_Record):
    """Reply to `joined`."""

    questions: list[JoinedQuestion] = Field(max_length=_MOST)


class UnansweredQuestion(_Record):
    """One question of a reply to `unanswered`."""

    question: _Words = Field(min_length=1)
    missing: _Words = ""


class UnansweredReply(_Record):
    """Reply to `unanswered`."""

    said: _Words = ""
    questions: list[UnansweredQuestion] = Field(max_length=_MOST)


class Known(_Record):
    """Reply to `known`."""

    known: bool
    answer: _Words = ""


class Fitness(_Record):
    """Reply to `fitness`."""

    reason: _Words = ""
    grade: int = Field(ge=0, le=3)


class Summary(_Record):
    """Reply to `summary`."""

    summary: _Words = Field(min_length=1)


class Facts(_Record):
    """Reply to `facts`."""

    facts: list[_Words] = Field(max_length=_MOST)


class Relevance(_Record):
    """Reply to `relevance`."""

    reason: _Words = ""
    relevant: bool


class Answered(_Record):
    """Reply to `answered`: the sentences that answer, before the reason and the level."""

    quotes: list[_Words] = Field([], max_length=_MOST)
    reason: _Words = ""
    level: int = Field(ge=0, le=3)


class Extract(_Record):
    """Reply to `extract`."""

    quotes: list[_Words] = Field(max_length=_MOST)


class AnswerStatement(_Record):
    """One sentence of a reply to `answer`."""

    quotes: list[_Words] = Field([], max_length=_MOST)
    cites: list[int] = Field([], max_length=_MOST)
    text: _Words


class AnswerReply(_Record):
    """Reply to `answer`."""

    declined: bool
    statements: list[AnswerStatement] = Field([], max_length=_MOST)


class ClaimReply(_Record):
    """One claim of a reply to `claims`."""

    text: _Words = Field(min_length=1)
    cites: list[int] = Field([], max_length=_MOST)


class Claims(_Record):
    """Reply to `claims`: whether the answer says that it has none, by which words, before what it claims."""

    quote: _Words = ""
    declining: Literal["none", "in part", "wholly"] = "none"
    claims: list[ClaimReply] = Field(max_length=_MOST)


class VerdictQuote(_Record):
    """What a verdict rests on."""

    item: int
    quote: _Words


class VerdictReply(_Record):
    """The verdict on one claim, by its number from 1."""

    claim: int
    quotes: list[VerdictQuote] = Field([], max_length=_MOST)
    reason: _Words = ""
    verdict: Literal["supported", "contradicted", "not found", "too far to tell"]
    confidence: float = Field(ge=0, le=1)

    @model_validator(mode="before")
    @classmethod
    def _of_hundred(cls, value: Any) -> Any:
        """A confidence in per cent as a share."""
        sure = value.get("confidence") if isinstance(value, dict) else None
        if isinstance(sure, int | float) and not isinstance(sure, bool) and 1 < sure <= 100:
            return value | {"confidence": sure / 100}
        return value


class Verdicts(_Record):
    """Reply to `verdict`, one record a claim; a bare one counts as that of the first, and those without a number count in order."""

    verdicts: list[VerdictReply] = Field(max_length=_MOST)

    @model_validator(mode="before")
    @classmethod
    def _single(cls, value: Any) -> Any:
        if isinstance(value, dict) and "verdict" in value and "verdicts" not in value:
            return {"verdicts": [{"claim": 1, **value}]}
        rows = value.get("verdicts") if isinstance(value, dict) else None
        if isinstance(rows, list) and all(isinstance(each, dict) and "claim" not in each for each in rows):
            return {"verdicts": [{"claim": n, **each} for n, each in enumerate(rows, 1)]}
        return value


class StatedFact(_Record):
    """Whether one fact, by its number from 1, is stated, and by which words."""

    fact: int
    words: _Words = ""
    stated: bool


class Stated(_Record):
    """Reply to `stated`, one record a fact; a bare list of true and false counts as one, in order."""

    stated: list[StatedFact] = Field(max_length=_MOST)

    @model_validator(mode="before")
    @classmethod
    def _in_order(cls, value: Any) -> Any:
        said = value.get("stated") if isinstance(value, dict) else None
        if isinstance(said, list) and all(isinstance(each, bool) for each in said):
            return value | {"stated": [{"fact": n, "stated": each} for n, each in enumerate(said, 1)]}
        return value


class Addressed(_Record):
    """Reply to `addressed`."""

    reason: _Words = ""
    level: int = Field(ge=0, le=3)


class Consistent(_Record):
    """Reply to `consistent`."""

    reason: _Words = ""
    level: int = Field(ge=0, le=2)


class CriterionReply(_Record):
    """Reply to `criterion`: the words that decide, before the reason and the level."""

    quotes: list[_Words] = Field([], max_length=_MOST)
    reason: _Words = ""
    level: int


RECORDS: dict[str, type[_Record]] = {
    "paraphrases": Paraphrases,
    "hypothetical": Hypothetical,
    "subquestions": Subquestions,
    "broader": Broader,
    "keywords": Keywords,
    "expanded": Expanded,
    "standalone": Standalone,
    "questions": QuestionsReply,
    "joined": JoinedReply,
    "unanswered": UnansweredReply,
    "known": Known,
    "fitness": Fitness,
    "asked": AskedReply,
    "summary": Summary,
    "facts": Facts,
    "relevance": Relevance,
    "answered": Answered,
    "extract": Extract,
    "answer": AnswerReply,
    "claims": Claims,
    "verdict": Verdicts,
    "stated": Stated,
    "addressed": Addressed,
    "consistent": Consistent,
    "criterion": CriterionReply,
}


_LEFT_OUT = ("title", "description", "default", "maxItems", "maxLength")
_MOST_TOKENS = 10**9
_LARGEST = 10**18  # a whole number beyond it is taken for it: no count and no place comes near
_LONGEST = 1_000_000  # characters of a model's text in which a record is looked for


def parsed(text: str) -> dict[str, Any]:
    """The JSON object that a server sent, all its texts fit to be stored: half of a pair of surrogates, which is left
    where an emoji was cut in two, becomes U+FFFD. Raises ValueError with what is wrong, as the end of a sentence."""
    try:
        found = _loads(text)
    except (ValueError, RecursionError):
        raise ValueError("is not JSON, or nested too deeply") from None
    if not isinstance(found, dict):
        raise ValueError("is not a JSON object")
    return found


def _loads(text: str) -> Any:
    """JSON, its texts mended and its numbers of bearable length; raises ValueError or RecursionError."""
    return mended_json(json.loads(text, strict=False, parse_int=_whole))


def _whole(digits: str) -> int:
    if len(digits) <= 18:
        return int(digits)
    return -_LARGEST if digits[0] == "-" else _LARGEST


def used_tokens(body: Mapping[str, Any], name: str, estimate: int) -> int:
    """Tokens as the server counted them, or the estimate where what it says is no sensible count."""
    usage = body.get("usage")
    found = usage.get(name) if isinstance(usage, dict) else None
    if isinstance(found, int) and not isinstance(found, bool) and 0 <= found <= _MOST_TOKENS:
        return found
    return estimate


@cache
def schema(task: str) -> dict[str, Any]:
    """The JSON schema of a task's reply, without titles, defaults and limits that only cost tokens. Not to be changed."""

    def slim(value: Any) -> Any:
        if isinstance(value, dict):
            return {key: slim(inner) for key, inner in value.items() if key not in _LEFT_OUT}
        return [slim(inner) for inner in value] if isinstance(value, list) else value

    return dict(slim(RECORDS[task].model_json_schema()))


def understood(task: Task, text: str, last: bool = False) -> dict[str, Any]:
    """The record in a model's text; raises `Unfit` with what is wrong. `last`: it was told once what is wrong, and what can be taken
    of it is: a verdict whose quote does not stand in its item is "not judged". What a model thinks aloud before it replies is no
    reply, and of several objects that fit and differ none is: which is meant can't be known."""
    fitting: list[dict[str, Any]] = []
    wrong: Unfit | None = None
    for found in found_objects(text):
        try:
            record = RECORDS[task.name].model_validate(found).model_dump()
            check(task, record, last)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            wrong = Unfit(f"{where}: {first['msg']}")
        except Unfit as error:
            wrong = error
        else:
            if record not in fitting:
                fitting.append(record)
    if len(fitting) > 1:
        raise Unfit(f"the reply holds {len(fitting)} objects that differ; one is wanted")
    if not fitting:
        raise wrong or Unfit("the reply is not a JSON object")
    return fitting[0]


def found_objects(text: str) -> list[dict[str, Any]]:
    """The JSON objects in a text, in order: bare, in a code fence, with words around them, with single quotes or trailing
    commas; none of those that stand inside another, or in what the model thought aloud. Raises `Unfit` where there is none."""
    if len(text) > _LONGEST:
        raise Unfit(f"the reply is over {_LONGEST:,} characters")
    if (bare := _loaded(text.strip())) is not None:  # whatever tags stand in its texts are the material's
        return [bare]
    text = without_thoughts(text).strip()
    if not text:
        raise Unfit("the reply is empty")
    fences = [found[1] for found in re.finditer(r"```(?:json)?(.*?)```", text, re.DOTALL | re.IGNORECASE)]
    for pieces in ([text], fences, list(_balanced(text))):
        made: list[dict[str, Any]] = []
        for piece in pieces:
            for candidate in (piece, re.sub(r",(\s*[}\]])", r"\1", piece)):
                found = _loaded(candidate)
                if found is not None:
                    made.append(found)
                    break
        if made:
            return made
    raise Unfit("the reply is not a JSON object")


_THOUGHT = r"think(?:ing)?|thoughts?|reason(?:ing)?|reflection|scratchpad|analysis"


def without_thoughts(text: str) -> str:
    """A reply without what stands between tags of thinking; where a first tag is missing, as some servers leave it out, what
    stands behind the last one; "" where the model never came to an end of it."""
    text = re.sub(rf"<({_THOUGHT})>.*?</\1>", "", text, flags=re.DOTALL | re.IGNORECASE)
    *_, text = re.split(rf"</(?:{_THOUGHT})>", text, flags=re.IGNORECASE)
    return re.split(rf"<(?:{_THOUGHT})>", text, maxsplit=1, flags=re.IGNORECASE)[0]


def _loaded(text: str) -> dict[str, Any] | None:
    try:
        found = _loads(text)
    except RecursionError:
        return None
    except ValueError:
        try:
            plain = re.sub(
                r"\b(true|false|null)\b", lambda m: {"true": "True", "false": "False"}.get(m[0], "None"), text
            )
            found = _loads(json.dumps(ast.literal_eval(plain.strip())))
        except (ValueError, TypeError, SyntaxError, MemoryError, RecursionError):
            return None
    return found if isinstance(found, dict) else None


def _balanced(text: str) -> Iterator[str]:
    """Each stretch from a brace to the one that closes it; quoted braces do not count."""
    start, depth, quoted, escaped = -1, 0, False, False
    for place, char in enumerate(text):
        if escaped:
            escaped = False
        elif char == "\\" and quoted:
            escaped = True
        elif char == '"' and depth:
            quoted = not quoted
        elif not quoted and char == "{":
            start = start if depth else place
            depth += 1
        elif not quoted and char == "}" and depth:
            depth -= 1
            if not depth:
                yield text[start : place + 1]
