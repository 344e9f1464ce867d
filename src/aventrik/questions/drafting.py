"""Test sets from the corpus, by the model in the role of writer."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from ..core.documents import Document
from ..core.documents.spans import Range
from ..core.errors import BadInput
from ..core.testsets import Question
from ..core.testsets.drafting import Draft, draft
from ..core.testsets.drafting.brief import Brief, Quota
from ..core.testsets.drafting.fitness import english, prose
from ..core.testsets.drafting.styles import shares_of
from ..corpora.surveying import survey
from ..english import EnglishRules
from ..execution.corpus import passed
from ..execution.open_workspace import OpenWorkspace
from ..people.passages import labels_of
from ..workspace.deciding import rejected_wordings
from ..workspace.settings import DraftingSettings, QuotaSettings
from ..workspace.testsets import load_examples
from ..workspace.toml import checked, nearest

_LOOKED_AT = 20_000  # characters of a document that tell its language
_LONGEST = 4000  # characters of an audience that a writer is told


def draft_questions(
    opened: OpenWorkspace,
    brief: Brief,
    writer: str = "",
    already: Sequence[Question] = (),
    progress: Callable[[int], None] = lambda done: None,
) -> Draft:
    """Up to `brief.count` checked questions beside those `already` there; raises `BadInput` for a writer that is no
    model, and for documents in another language than the offline writer knows."""
    if writer:
        opened.check_language("--writer", writer)
    model = opened.models.role("writer", writer)
    corpus = opened.corpus
    if model.name == "offline":
        _check_language(opened, brief)
    judge = None if model.name == "offline" else opened.models.role("judge", "")
    asked = judge if judge is not None and judge.name != "offline" else None
    return draft(corpus.names(), corpus.document, model, EnglishRules(), brief, already, progress, asked)


def _check_language(opened: OpenWorkspace, brief: Brief) -> None:
    """Raises `BadInput` where most of the documents, or the examples, are not in English."""
    if brief.examples and not english(" ".join(brief.examples)):
        raise BadInput("the examples are not in English, which is all that the offline writer writes; name a --writer")
    names = opened.corpus.names()
    looked_at = names[:: max(1, len(names) // 60)]
    foreign = [name for name in looked_at if not english(_prose(opened.corpus.document(name)))]
    if len(foreign) > 0.8 * len(looked_at):
        raise BadInput(
            f"the documents (such as {foreign[0]}) are not in English prose, which is all that the offline writer can "
            "turn into questions; name a --writer"
        )


def _prose(document: Document) -> str:
    return prose(document, 0, min(len(document.text), _LOOKED_AT))


def brief_of(
    opened: OpenWorkspace,
    count: int,
    seed: int | None = None,
    given: Mapping[str, object] | None = None,
    headings_only: bool = False,
) -> Brief:
    """What a draft is asked to be: the settings, with what is `given` for this once in their place.

    Raises `BadInput` for an audience or examples whose file can't be read, a name or share that is none, a quota whose
    condition can't be understood or that no document meets, and a topic that the survey does not know.
    """
    settings, folder = opened.workspace.settings, opened.workspace.folder
    wanted = settings.drafting
    if given:
        wanted = checked(DraftingSettings, {**wanted.model_dump(), **given}, "draft")
    plain = Brief(count)
    away, sound = labels_of(opened)
    examples = load_examples(folder / wanted.examples) if wanted.examples else ()
    styles = dict(wanted.styles) or (shares_of(examples) if examples else {})
    return Brief(
        count,
        settings.seed if seed is None else seed,
        kinds={str(kind): share for kind, share in wanted.kinds.items()} or plain.kinds,
        styles={str(style): share for style, share in styles.items()} or plain.styles,
        difficulty={str(name): share for name, share in wanted.difficulty.items()} or plain.difficulty,
        at_most=wanted.at_most,
        quotas=tuple(_quota(opened, each) for each in wanted.quota),
        audience=_audience(folder, wanted),
        examples=examples,
        headings_only=headings_only,
        unfit=away,
        sound=sound,
        rejected=rejected_wordings(opened.workspace.reviews),
    )


def _audience(folder: Path, settings: DraftingSettings) -> str:
    """The text of the audience, or that of the file that it names."""
    told = settings.audience.strip()
    if not told or " " in told or "\n" in told:
        return told[:_LONGEST]
    try:
        return (folder / told).read_text(encoding="utf-8")[:_LONGEST].strip()
    except (OSError, UnicodeDecodeError) as error:
        reason = "there is no such file" if isinstance(error, FileNotFoundError) else f"it can't be read ({error})"
        raise BadInput(f"drafting.audience: {folder / told}: {reason}; a text has more than one word") from None


def _quota(opened: OpenWorkspace, settings: QuotaSettings) -> Quota:
    if settings.where:
        places: dict[str, Sequence[Range] | None] = dict.fromkeys(sorted(passed(opened.corpus, settings.where)))
        if not places:
            raise BadInput(f"drafting.quota: no document meets the condition {settings.where}")
        return Quota(settings.where, places, settings.share, settings.least)
    return Quota(f"topic {settings.topic}", _of_topic(opened, settings.topic), settings.share, settings.least)


def _of_topic(opened: OpenWorkspace, wanted: str) -> dict[str, Sequence[Range] | None]:
    """The ranges of the chunks of a topic of the survey, which is named by its number or one of its own words."""
    [first, *_] = opened.workspace.configurations([])
    made = survey(opened, first, seed=opened.workspace.settings.seed)
    for topic in made.topics:
        if wanted == str(topic.number) or wanted.lower() in topic.words:
            places: dict[str, list[Range]] = {}
            for chunk in made.found.members(topic.number - 1).tolist():
                ranges = made.chunks.table.ranges(chunk)
                places.setdefault(made.chunks.table.name(chunk), []).append((ranges[0][0], ranges[-1][1]))
            return dict(places)
    words = [word for topic in made.topics for word in topic.words]
    raise BadInput(f"drafting.quota: the survey has no topic '{wanted}'{nearest(wanted, words)}")
