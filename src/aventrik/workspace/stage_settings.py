"""The settings of every stage, each said once: its default, bounds, choices, what it means, when it counts, and how the
first configuration of a workspace shows it. Reading, sweeps, contributions, the starter and the reference's table follow
from what stands here."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Annotated, Any, Literal, cast

from pydantic import BaseModel, Field, field_validator, model_validator
from pydantic.fields import FieldInfo

from ..core.answering import STYLES
from ..core.chunking import METHODS, Cutting
from ..core.context.serving import WAYS, Serving
from ..core.embedding import MODELS
from ..core.errors import BadInput
from ..core.indexing.approximate import LAYOUTS, Nearness, Reach
from ..core.indexing.compact import BITS
from ..core.indexing.keyword import SCORINGS
from ..core.indexing.texts import KINDS
from ..core.searching import METHODS as SEARCHES
from ..core.searching.filters import parse
from ..core.searching.fusion import BLENDS, SCALINGS
from ..core.searching.words import STOP_WORDS
from ..core.text.languages import AUTO
from ..core.text.languages import CHOICES as LANGUAGES
from ..core.text.rulers import UNITS
from .toml import Table, allowed_by, one_of

NO_MODEL = "none"  # answering.model: no answers are made
PLACES = ("here", "postgres")


@dataclass(frozen=True)
class When:
    """When a setting counts: in words, and as a test of a configuration. Both must hold of `a & b`, one of `a | b`."""

    words: str
    holds: Callable[[Any], bool]

    def __and__(self, other: When) -> When:
        return When(f"{self.words}; {other.words}", lambda made: self.holds(made) and other.holds(made))

    def __or__(self, other: When) -> When:
        return When(f"{self.words} or {other.words}", lambda made: self.holds(made) or other.holds(made))


ALWAYS = When("", lambda made: True)


def _value(made: Any, name: str) -> Any:
    for part in name.split("."):
        made = getattr(made, part)
    return made


def is_one(name: str, *values: Any) -> When:
    """When another setting has one of some values."""
    listed = ", ".join(map(str, values[:-1])) + (" or " if len(values) > 1 else "") + str(values[-1])
    return When(f"`{name}` is {listed}", lambda made: _value(made, name) in values)


def is_not(name: str, value: Any) -> When:
    """When another setting has any value but one."""
    return When(f"`{name}` is not {value}", lambda made: _value(made, name) != value)


def over_zero(name: str) -> When:
    """When another setting is a number over 0."""
    return When(f"`{name}` is over 0", lambda made: _value(made, name) > 0)


def is_given(name: str) -> When:
    """When another setting, or list of tables, is not empty."""
    return When(f"`{name}` is given", lambda made: bool(_value(made, name)))


BY_WORDS = is_one("search.method", "keyword", "both")
BY_VECTORS = is_one("search.method", "vector", "both")
HERE = is_one("search.place", "here")
BLENDED = is_one("search.method", "both") | is_given("rewriting")
IN_GRAPH = BY_VECTORS & is_one("search.nearest", "graph")
IN_LISTS = BY_VECTORS & is_one("search.nearest", "lists")
BM25 = BY_WORDS & is_one("index.scoring", "bm25", "bm25+")
ANSWERED = is_not("answering.model", NO_MODEL)
OWN_TABLE = is_given("search.table.name")
LARGER = is_one("chunking.serve", "larger")
LEARNING = tuple(name for name, learns in MODELS.items() if learns)


@dataclass(frozen=True)
class InStarter:
    """How the first configuration of a workspace shows a setting: `offered` as a comment to be taken out; `value` where
    it is not the default; `comment` where it is not the list of choices."""

    comment: str = ""
    value: Any = None
    offered: bool = False


@dataclass(frozen=True)
class AboutSetting:
    """What a setting knows of itself beside its type, default and bounds. `unset`: what a default stands for that the
    program works out."""

    when: When = ALWAYS
    starter: InStarter | None = None
    unset: str = ""


def setting(
    default: Any, help: str, when: When = ALWAYS, starter: InStarter | None = None, unset: str = "", **bounds: Any
) -> Any:
    """A setting of a table; `bounds` are pydantic's: ge, gt, le, lt, pattern, strict."""
    known = cast(Any, {"known": AboutSetting(when, starter, unset)})
    return Field(default, description=help, json_schema_extra=known, **bounds)


def about(field: FieldInfo) -> AboutSetting:
    """What was said of a setting."""
    return cast(dict[str, Any], field.json_schema_extra)["known"]


def settings_of(table: type[BaseModel], name: str = "") -> Iterator[tuple[str, FieldInfo]]:
    """Every setting of a table by its dotted name, those of tables in it too."""
    for key, field in table.model_fields.items():
        dotted = f"{name}.{key}" if name else key
        if isinstance(field.annotation, type) and issubclass(field.annotation, BaseModel):
            yield from settings_of(field.annotation, dotted)
        elif isinstance(field.json_schema_extra, dict) and "known" in field.json_schema_extra:
            yield dotted, field


def choices_of(field: FieldInfo) -> list[str]:
    """The names that a setting may have, or none where it may be anything."""
    named = [each for metadata in field.metadata for each in allowed_by(metadata)]
    return named or [str(each) for each in getattr(field.annotation, "__args__", ()) if isinstance(each, str)]


class Chunking(Table):
    """How documents are cut, and what is served for a chunk."""

    method: Annotated[str, one_of(METHODS)] = setting(
        "paragraph",
        "where chunks end: `fixed` between words, `heading` at sections, split by the next lower headings, `topic` where "
        "neighbouring sentences drift apart",
        starter=InStarter(),
    )
    size: int = setting(800, "the longest chunk, in `chunking.unit`", starter=InStarter(), ge=1, le=1_000_000)
    unit: Annotated[str, one_of(UNITS)] = setting(
        "chars",
        "what size and overlap are counted in",
        starter=InStarter("chars, words, tokens (of `tokenizer`: estimate, static, or a tokenizer.json)"),
    )
    tokenizer: str = setting(
        "estimate",
        "what a token is: `estimate`, `static` (extra `static`), or the path of a `tokenizer.json`",
        is_one("chunking.unit", "tokens"),
    )
    overlap: int | None = setting(
        None,
        "what a chunk repeats of the one before, less than the size; in whole sentences but for `fixed`",
        starter=InStarter(value=80),
        unset="a tenth of the size",
        ge=0,
    )
    serve: Annotated[str, one_of(WAYS)] = setting(
        "chunk",
        "what is handed on for a chunk that matches: `section` to the next heading, `larger` the chunk of a larger "
        "chunking that holds most of it; no text is handed on twice",
        starter=InStarter("chunk, neighbours (around = 1), section, page, document, larger (larger_size = 2400)"),
    )
    around: int = setting(1, "chunks on each side", is_one("chunking.serve", "neighbours"), ge=1, le=100)
    larger_method: Annotated[str, one_of(METHODS)] = setting("paragraph", "where the larger chunks end", LARGER)
    larger_size: int | None = setting(
        None, "the longest larger chunk", LARGER, unset="three times the size", ge=1, le=10_000_000
    )

    @model_validator(mode="after")
    def _sizes_fit_together(self) -> Chunking:
        if self.overlap is not None and self.overlap >= self.size:
            raise ValueError(f"overlap ({self.overlap}) must be smaller than size ({self.size})")
        if self.serve == "larger" and self.larger_size is not None and self.larger_size <= self.size:
            raise ValueError(f"larger_size ({self.larger_size}) must be greater than size ({self.size})")
        return self

    @property
    def cutting(self) -> Cutting:
        """The part that decides where chunks begin and end; an overlap that is not given is a tenth of the size."""
        overlap = self.size // 10 if self.overlap is None else self.overlap
        return Cutting(self.method, self.size, self.unit, overlap, self.tokenizer)

    @property
    def serving(self) -> Serving:
        """The part that decides what is handed on; a larger chunking that is not sized is three times as large."""
        larger = Cutting(self.larger_method, self.larger_size or 3 * self.size, self.unit, 0, self.tokenizer)
        return Serving(self.serve, self.around, larger if self.serve == "larger" else None)


class Index(Table):
    """What is matched for a chunk."""

    text: Annotated[str, one_of(KINDS)] = setting(
        "chunk",
        "what is matched: the chunk, or what the writer model makes of it",
        starter=InStarter("chunk, or what the writer model makes of it: summary, facts, questions"),
    )
    model: str = setting("", "the language model that writes it", is_not("index.text", "chunk"), unset="the role's")
    headings: bool = setting(
        True, "put title and headings in front of what is matched",
        starter=InStarter("put the heading path in front of what is matched"),
    )  # fmt: skip
    k1: float = setting(1.2, "how soon a term that occurs again adds less", BM25, ge=0, le=10, strict=False)
    b: float = setting(0.75, "how much a long text is marked down", BM25, ge=0, le=1, strict=False)
    language: Annotated[str, one_of(LANGUAGES)] = setting(
        AUTO,
        "by whose stemmer words are matched: `auto` of each document its own, `none` as they stand",
        BY_WORDS,
        InStarter("of each document its own; or english, german, …; none", offered=True),
    )
    title_weight: float = setting(
        0.0,
        "over 0: title and headings are a field of their own (BM25F) with this weight",
        BY_WORDS,
        InStarter("search title and headings as a field of their own, weighted", 2.0, offered=True),
        ge=0,
        le=100,
        strict=False,
    )
    title_b: float = setting(
        0.75, "as `index.b`, of title and headings", BM25 & over_zero("index.title_weight"), ge=0, le=1, strict=False
    )
    scoring: Annotated[str, one_of(SCORINGS)] = setting(
        "bm25", "how words are scored; `dirichlet` is a language model", BY_WORDS
    )
    delta: float = setting(
        1.0, "the least that a term adds that occurs", BY_WORDS & is_one("index.scoring", "bm25+"),
        ge=0, le=10, strict=False,
    )  # fmt: skip
    mu: float = setting(
        1000.0, "how many words of the whole corpus are mixed into each text",
        BY_WORDS & is_one("index.scoring", "dirichlet"), gt=0, le=1e6, strict=False,
    )  # fmt: skip


class Embedding(Table):
    """Which model turns texts into vectors."""

    model: str = setting(
        "lsa",
        "`none`, `lsa`, `static` (extra `static`), or an embedding model of `aventrik.toml`",
        BY_VECTORS,
        InStarter('none, lsa (fitted on your documents), static (needs the extra \'static\')'),
    )  # fmt: skip
    dimensions: int = setting(
        192, "numbers a vector; it is fitted on at most 60,000 index texts spread over the corpus",
        BY_VECTORS & is_one("embedding.model", *LEARNING), ge=2, le=4096,
    )  # fmt: skip
    keep: int = setting(
        0, "how many of a vector's first numbers are kept, scaled to length 1 again; 0: all", BY_VECTORS,
        ge=0, le=100_000,
    )  # fmt: skip
    bits: int = setting(32, "32, 8 or 1 bit a number; fewer than 32 with `search.nearest` exact alone", BY_VECTORS)
    rescore: int = setting(
        0,
        "so many times the wanted number are scored again by the whole vectors",
        BY_VECTORS & is_one("search.nearest", "exact") & (over_zero("embedding.keep") | is_not("embedding.bits", 32)),
        ge=0,
        le=1000,
    )

    @field_validator("bits")
    @classmethod
    def _of_some(cls, bits: int) -> int:
        if bits not in BITS:
            raise ValueError(f"{bits} is not one of {', '.join(map(str, BITS))}")
        return bits


class TableSettings(Table):
    """A table of the user's own that is searched as it is: its name, and its columns; "" for a column that it does not
    have. `words` is a column of type tsvector; without it the text is read with the configuration `language`."""

    name: str = setting(
        "",
        "of `postgres`: a table of your own, measured as it is and only read: ranked lists, without rewriting, reranking and "
        "answers",
        pattern=r"^([^.\"]{1,63}(\.[^.\"]{1,63})?)?$",
    )
    id: str = setting("id", "its column of keys", OWN_TABLE)
    text: str = setting("text", "its column of texts", OWN_TABLE)
    source: str = setting("", "its column of documents", OWN_TABLE)
    vector: str = setting("", "its column of vectors; `embedding.model` must be the model that made them", OWN_TABLE)
    words: str = setting("", "its column of type tsvector", OWN_TABLE)
    language: str = setting("english", "the text-search configuration", OWN_TABLE, pattern=r"^[a-z_]{1,63}$")
    distance: Literal["cosine", "inner product", "euclidean"] = setting("cosine", "between vectors", OWN_TABLE)


class Search(Table):
    """How candidates are found, and where: "here", in the program's own indexes, or by "postgres"."""

    method: Annotated[str, one_of(SEARCHES)] = setting("both", "what is looked at", starter=InStarter())
    top: int = setting(40, "candidates", starter=InStarter(), ge=1, le=10_000)
    least: float | None = setting(None, "candidates with a final score below this fall away", unset="–", strict=False)
    blend: Annotated[str, one_of(BLENDS)] = setting(
        "ranks", "how several lists become one: by reciprocal ranks (constant 60), or by scores", BLENDED,
        InStarter('ranks, scores (scaling = "min-max" or "z-score")'),
    )  # fmt: skip
    scaling: Annotated[str, one_of(SCALINGS)] = setting(
        "min-max",
        "of scores before they are added: each list from 0 to 1, or by mean and standard deviation",
        BLENDED & is_one("search.blend", "scores"),
    )
    weight: float = setting(
        0.5,
        "share of the vector lists; the keyword lists have the rest",
        is_one("search.method", "both"),
        InStarter("the share of the vector list; the keyword list has the rest"),
        ge=0,
        le=1,
        strict=False,
    )
    nearest: Annotated[str, one_of(LAYOUTS)] = setting(
        "exact",
        "how near vectors are found: by looking at all, or approximately (`faiss`); `run` and `ask` tell how much of the "
        "ten nearest is found",
        BY_VECTORS,
        InStarter("exact, or approximate: graph, lists"),
    )
    where: str = setting(
        "",
        "only documents that meet this condition are searched, see below",
        starter=InStarter(
            "only documents whose metadata say so", "area = 'Moss Cut' and issued >= '2031-04-01'", offered=True
        ),
    )
    links: int = setting(32, "links a vector", IN_GRAPH, ge=4, le=256)
    build_effort: int = setting(80, "vectors looked at when one is added", IN_GRAPH, ge=4, le=10_000)
    effort: int = setting(256, "vectors looked at when searching", IN_GRAPH, ge=1, le=100_000)
    lists: int = setting(
        0, "how many lists (eight bits a number; what is found is scored again exactly); 0: four times the square root of "
        "the number of vectors", IN_LISTS, ge=0, le=1_000_000,
    )  # fmt: skip
    probes: int = setting(20, "how many lists are looked into", IN_LISTS, ge=1, le=1_000_000)
    parts: int = setting(
        1,
        "so many indexes, each of its part of the texts; the lists found in them are merged",
        BY_VECTORS & is_one("search.nearest", "graph", "lists") & HERE,
        ge=1,
        le=10_000,
    )
    stop_words: Annotated[str, one_of(STOP_WORDS)] = setting(
        "drop",
        "`drop`: function and question words of a query are left out of keyword search, unless quoted or alone",
        BY_WORDS & HERE,
    )
    feedback: int = setting(
        0, "over 0: terms of so many first results join a keyword query", BY_WORDS & HERE, ge=0, le=1000
    )
    feedback_terms: int = setting(20, "how many", BY_WORDS & over_zero("search.feedback"), ge=1, le=1000)
    feedback_weight: float = setting(
        0.5, "their share of the query", BY_WORDS & over_zero("search.feedback"), ge=0, le=1, strict=False
    )
    place: Annotated[str, one_of(PLACES)] = setting(
        "here",
        "`postgres`: the database of `[database]` searches, vectors with pgvector (`graph` is its HNSW with M = `links`, "
        "ef_construction = `build_effort`, ef_search = `effort`; `lists` its IVFFlat), words with its full-text search "
        "(`ts_rank`, the configuration of `index.language`), and `search.where` as SQL",
    )
    match: Literal["any", "all"] = setting(
        "any", "texts that have any word of the question, or all", is_one("search.place", "postgres") & BY_WORDS
    )
    table: TableSettings = TableSettings()

    @field_validator("where")
    @classmethod
    def _understood(cls, condition: str) -> str:
        if condition.strip():
            try:
                parse(condition)
            except BadInput as error:
                raise ValueError(str(error).removeprefix("where, ")) from None
        return condition.strip()

    @property
    def nearness(self) -> Nearness:
        """How an approximate index is laid out."""
        return Nearness(self.nearest, self.links, self.build_effort, self.lists, self.parts)

    @property
    def reach(self) -> Reach:
        """How thoroughly it is searched."""
        return Reach(self.effort, self.probes)


class ContextSettings(Table):
    """What the answering model is shown."""

    keep: int = setting(5, "items shown to the answering model", ANSWERED, InStarter(), ge=1, le=1000)
    budget: int = setting(
        1200, "estimated tokens; at least one item is shown", ANSWERED, InStarter("tokens"), ge=1, le=10_000_000
    )


class Answering(Table):
    """Which model answers, and how; with the model "none" no answers are made."""

    model: str = setting(
        "",
        "a language model; `none`: no answers are made",
        starter=InStarter("none: no answers, retrieval alone", "offline"),
        unset="the role's",
    )
    style: Annotated[str, one_of(STYLES)] = setting(
        "quote", "`quote` the sentence, or `short`: the figure with the question's key words", ANSWERED, InStarter()
    )
    again: int = setting(
        0,
        "in how many other wordings each question is asked again, from the same context, for `consistency`",
        ANSWERED,
        ge=0,
        le=10,
    )
