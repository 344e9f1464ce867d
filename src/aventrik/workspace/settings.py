"""What `aventrik.toml` holds, as models that check it."""

from __future__ import annotations

import json
import re
from typing import Annotated, Any, Literal
from urllib.parse import parse_qsl, urlsplit

from pydantic import AfterValidator, Field, ValidationInfo, field_validator, model_validator

from ..core.judging.joining import WAYS
from ..core.reading import Reading
from ..core.reading.records import Mapped
from .toml import Table, one_of

SETTINGS = "aventrik.toml"


class LimitSettings(Table):
    """What the program may take; before a run that may cost more than `money`, it asks (None: it never does)."""

    file_megabytes: int = Field(100, ge=1, le=1_000_000)
    money: float | None = Field(None, ge=0, le=1e12, strict=False)


class ReadingSettings(Table):
    """How files are read."""

    pdf: Literal["layout", "stream"] = "layout"
    rows: Literal["auto", "records", "table"] = "auto"
    text: tuple[str, ...] = Field((), strict=False)
    title: str = ""
    id: str = ""
    seconds: int = Field(120, ge=1, le=86_400)
    megabytes: int = Field(4000, ge=500, le=10_000_000)
    workers: int = Field(0, ge=0, le=64)

    @property
    def reading(self) -> Reading:
        """The part that decides what comes out."""
        return Reading(self.pdf, Mapped(self.text, self.title, self.id, self.rows))


class Pointers(Table):
    """Where things stand in the request and the reply of a system, as JSON Pointers (RFC 6901); "-" for what it does
    not tell. Those of an item of the context begin at the item."""

    question: str = "/question"
    answer: str = "/answer"
    context: str = "/context"
    declined: str = "-"
    text: str = "/text"
    document: str = "/document"
    start: str = "/start"
    end: str = "/end"

    @field_validator("*")
    @classmethod
    def _points(cls, pointer: str, info: ValidationInfo) -> str:
        if pointer == "-" and info.field_name in ("question", "answer"):
            raise ValueError("must be told")
        if pointer != "-" and (not pointer.startswith("/") or re.search(r"~(?![01])", pointer)):
            raise ValueError("must be a JSON Pointer: it begins with /, and ~ is written ~0, / inside a name ~1")
        return pointer


class Model(Table):
    """One named model, or system that answers; what is not said of a kind does not count for it."""

    kind: Literal["http", "local", "built-in"]
    does: Literal["language", "embedding", "reranking", "system", "entailment"] = "language"
    address: str = ""
    model: str = ""
    path: str = ""
    reads_with: str = ""
    key_variable: str = ""
    concurrency: int = Field(8, ge=1, le=512)
    requests_per_minute: int = Field(0, ge=0, le=10**9)
    tokens_per_minute: int = Field(0, ge=0, le=10**12)
    timeout: float = Field(60.0, gt=0, le=86_400, strict=False)
    patience: float = Field(600.0, ge=0, le=86_400, strict=False)
    reply_megabytes: int = Field(32, ge=1, le=1000)
    attempts: int = Field(6, ge=1, le=20)
    backoff: float = Field(0.5, ge=0, le=3600, strict=False)
    price_in: float = Field(0.0, ge=0, le=1e9, strict=False)
    price_out: float = Field(0.0, ge=0, le=1e9, strict=False)
    context: int = Field(8192, ge=128, le=10**9)
    reply_tokens: int = Field(1024, ge=16, le=10**9)
    temperature: float = Field(0.0, ge=0, le=2, strict=False)
    replicates: int = Field(1, ge=1, le=20)
    query_prefix: str = ""
    passage_prefix: str = ""
    pointers: Pointers = Pointers()
    request: dict[str, Any] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _reachable(self) -> Model:
        if self.kind == "http":
            _check_address(self.address)
        if self.does == "system" and self.kind != "http":
            raise ValueError("what does = 'system' must be of kind 'http'")
        if self.does == "system":
            self._asked()
        if self.kind == "http" and not self.model and self.does != "system":
            raise ValueError("kind 'http' needs the model's name on the server, in model")
        if self.kind == "local" and not self.path:
            raise ValueError("kind 'local' needs the path of the model's folder")
        if self.kind == "local" and self.does == "language":
            raise ValueError("kind 'local' is for embedding, reranking and entailment models")
        if self.does == "entailment" and self.kind != "local":
            raise ValueError("what does = 'entailment' must be of kind 'local': a folder with a classifier")
        if self.kind == "built-in" and self.does != "language":
            raise ValueError("kind 'built-in' is for language models")
        if self.kind == "built-in" and not self.reads_with:
            raise ValueError("kind 'built-in' needs the name of an embedding model, in reads_with")
        if self.reply_tokens > self.context // 2:
            raise ValueError("reply_tokens must leave at least half of the context for the prompt")
        return self

    def _asked(self) -> None:
        """Raises ValueError where the request has no place for the question."""
        inner: Any = self.request
        for part in self.pointers.question.split("/")[1:-1]:
            inner = inner.get(part.replace("~1", "/").replace("~0", "~"), {})
            if not isinstance(inner, dict):
                raise ValueError(
                    f"pointers.question: {self.pointers.question} leads through '{part}', which is no table"
                )
        try:
            json.dumps(self.request, allow_nan=False)
        except (TypeError, ValueError):
            raise ValueError("request: holds what JSON can't (a date, or a number that is not finite)") from None


def _check_address(address: str) -> None:
    """Raises ValueError for an address that can't be one of a server, or that holds what belongs elsewhere."""
    if not address.startswith(("http://", "https://")):
        raise ValueError("kind 'http' needs an address that begins with http:// or https://")
    try:
        parts = urlsplit(address)
        host, port = parts.hostname, parts.port
    except ValueError:
        raise ValueError("address: is no address (its host or port can't be understood)") from None
    if not host or port == 0 or not address.isprintable() or " " in address:
        raise ValueError("address: is no address (its host or port can't be understood)")
    if parts.username is not None or parts.password is not None or parts.query or parts.fragment:
        raise ValueError("address: must hold no user, password, query or fragment; a key belongs in key_variable")


class Roles(Table):
    """Which language model does what, unless a configuration says otherwise."""

    writer: str = "offline"
    rewriter: str = "offline"
    answerer: str = "offline"
    judge: str | tuple[str, ...] = "offline"

    @field_validator("judge", mode="before")
    @classmethod
    def _one_or_several(cls, value: Any) -> Any:
        if isinstance(value, list):
            if not value or not all(isinstance(each, str) for each in value):
                raise ValueError("must be a model's name, or a list of names")
            if len(set(value)) < len(value):
                raise ValueError("names a judge twice")
            return tuple(value) if len(value) > 1 else value[0]
        return value

    @property
    def judges(self) -> tuple[str, ...]:
        """The judges, the first of which splits answers into claims for all."""
        return (self.judge,) if isinstance(self.judge, str) else self.judge

    @property
    def named(self) -> list[tuple[str, str]]:
        """(role, model), a line each; several for several judges."""
        return [(role, name) for role, who in self for name in ((who,) if isinstance(who, str) else who)]


class JudgingSettings(Table):
    """How the word of several judges is joined, and which criteria of the folder criteria/ answers are judged by (None:
    all of them). `known`: of how many questions a judge is given answers of which it is known what they are worth (None: 40, or 4
    for a model; 0: none)."""

    together: Annotated[str, one_of(WAYS)] = "majority"
    known: int | None = Field(None, ge=0, le=10_000)
    criteria: tuple[str, ...] | None = Field(None, strict=False)


class StatisticsSettings(Table):
    """What is inferred to: "these documents" (they stay, and questions are drawn), "documents like these" (documents are drawn
    too), or "auto": these where the set's evidence stands in at least half of the corpus, or the corpus has no more than 20
    documents."""

    infer: Literal["auto", "these documents", "documents like these"] = "auto"

    @model_validator(mode="before")
    @classmethod
    def _earlier(cls, found: Any) -> Any:
        """Reads what earlier versions called `cluster`."""
        if isinstance(found, dict) and "cluster" in found and "infer" not in found:
            told = {"document": "documents like these", "question": "these documents"}
            rest = {name: value for name, value in found.items() if name != "cluster"}
            return {**rest, "infer": told.get(str(found["cluster"]), "auto")}
        return found


_Share = Annotated[float, Field(ge=0, le=1, strict=False)]


class QuotaSettings(Table):
    """Documents that are to give a share of the questions of a draft, and at least so many: those that a condition lets
    pass, or the part of the corpus that a topic of the survey holds."""

    where: str = ""
    topic: str = ""
    share: _Share = 0.0
    least: int = Field(0, ge=0, le=1_000_000)

    @model_validator(mode="after")
    def _of_something(self) -> QuotaSettings:
        if bool(self.where) == bool(self.topic):
            raise ValueError("a quota is of documents (where) or of a topic: give one of the two")
        if not self.share and not self.least:
            raise ValueError("a quota needs a share or a least number of questions")
        return self


class DraftingSettings(Table):
    """What `draft` is asked to write."""

    audience: str = ""
    examples: str = ""
    kinds: dict[Literal["single", "passage", "one-fact", "table", "joined", "comparison", "unanswerable"], _Share] = (
        Field(default_factory=dict)
    )
    styles: dict[Literal["question", "indirect", "first person", "search", "hurried"], _Share] = Field(
        default_factory=dict
    )
    difficulty: dict[Literal["easy", "middle", "hard"], _Share] = Field(default_factory=dict)
    at_most: float = Field(0.1, gt=0, le=1, strict=False)
    quota: tuple[QuotaSettings, ...] = Field((), strict=False)

    @model_validator(mode="after")
    def _some(self) -> DraftingSettings:
        for name in ("kinds", "styles", "difficulty"):
            shares = getattr(self, name)
            if shares and not sum(shares.values()):
                raise ValueError(f"{name}: all shares are 0")
        if sum(quota.share for quota in self.quota) > 1 + 1e-9:
            raise ValueError("quota: the shares sum to more than 1")
        return self


def check_database(address: str) -> None:
    """Raises ValueError for what is not the address of a PostgreSQL database, or holds a password."""
    if not address.startswith(("postgresql://", "postgres://")):
        raise ValueError("must begin with postgresql://, as in postgresql://user@host:5432/database")
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        raise ValueError("is no address (its host or port can't be understood)") from None
    if port == 0 or not address.isprintable() or " " in address:
        raise ValueError("is no address (its host or port can't be understood)")
    named = dict(parse_qsl(parts.query))
    if parts.password or "password" in named or "sslpassword" in named:
        raise ValueError("must hold no password; it belongs in PGPASSWORD, or in the file that PGPASSFILE names")


def _of_server(address: str) -> str:
    if address:
        check_database(address)
    return address


_Database = Annotated[str, AfterValidator(_of_server)]


class StoreSettings(Table):
    """Where the store is: in the folder `.aventrik` ("" for `address`), or on a PostgreSQL server, in a `schema` of a
    database; `arrays` is another folder for what is too large for a row, or an fsspec address. `patience`: how many
    seconds a server that has gone away is waited for."""

    address: _Database = ""
    schema_: str = Field("aventrik", alias="schema", pattern=r"^[a-z_][a-z0-9_]{0,62}$")
    arrays: str = ""
    patience: float = Field(60.0, ge=0, le=86_400, strict=False)

    @field_validator("arrays")
    @classmethod
    def _no_secret(cls, arrays: str) -> str:
        if "://" in arrays and "@" in arrays.split("://", 1)[1].split("/", 1)[0]:
            raise ValueError("must hold no user or password; they belong where the service looks for them")
        return arrays


class DatabaseSettings(Table):
    """The PostgreSQL database in which configurations with `search.place` "postgres" search: that of the store where no
    `address` is given. Index texts are loaded into tables of `schema`; an index of vectors is built in so many `megabytes` of
    the server's memory."""

    address: _Database = ""
    megabytes: int = Field(1024, ge=1, le=2_000_000)
    schema_: str = Field("aventrik_search", alias="schema", pattern=r"^[a-z_][a-z0-9_]{0,62}$")


class EngineSettings(Table):
    """Who does the work: this process, or the workers of Dask, at a `scheduler` or so many on this machine. `seconds` is
    how long a piece of work may take before it is given to another worker; `shards` is into how many parts indexes are
    cut, so that a worker need hold only some of them (0: not at all)."""

    kind: Literal["local", "dask"] = "local"
    scheduler: str = ""
    workers: int = Field(0, ge=0, le=4096)
    seconds: float = Field(600.0, gt=0, le=86_400, strict=False)
    shards: int = Field(0, ge=0, le=100_000)

    @model_validator(mode="after")
    def _one_of_both(self) -> EngineSettings:
        if self.kind == "dask" and bool(self.scheduler) == bool(self.workers):
            raise ValueError("kind 'dask' needs the address of a scheduler, or a number of workers on this machine")
        if self.kind == "local" and (self.scheduler or self.workers):
            raise ValueError("scheduler and workers are for kind 'dask'")
        if self.scheduler:
            check_scheduler(self.scheduler)
        return self


def check_scheduler(address: str) -> None:
    """Raises ValueError for what is no address of a scheduler."""
    try:
        parts = urlsplit(address)
        good = parts.scheme in ("tcp", "tls", "ws", "wss") and bool(parts.hostname) and bool(parts.port)
    except ValueError:
        good = False
    if not good or not address.isprintable():
        raise ValueError(f"{address!r} is no address of a scheduler, such as tcp://host:8786")


class Settings(Table):
    """The content of `aventrik.toml`."""

    name: str = ""
    seed: int = Field(0, ge=0, lt=2**32)
    cover: float = Field(0.9, gt=0, le=1)
    cut_offs: tuple[Annotated[int, Field(ge=1, le=10_000)], ...] = Field(
        (1, 3, 5, 10), strict=False, min_length=1, max_length=20
    )
    limits: LimitSettings = LimitSettings()
    reading: ReadingSettings = ReadingSettings()
    roles: Roles = Roles()
    judging: JudgingSettings = JudgingSettings()
    drafting: DraftingSettings = DraftingSettings()
    statistics: StatisticsSettings = StatisticsSettings()
    store: StoreSettings = StoreSettings()
    engine: EngineSettings = EngineSettings()
    database: DatabaseSettings = DatabaseSettings()
    models: dict[str, Model] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _read_with(self) -> Settings:
        for name, model in self.models.items():
            other = self.models.get(model.reads_with)
            if model.reads_with and model.reads_with != "static" and (other is None or other.does != "embedding"):
                raise ValueError(f"models.{name}.reads_with: no embedding model is named '{model.reads_with}'")
        return self

    def able(self, does: str) -> list[str]:
        """Names of the configured models that do something: language, embedding, reranking, entailment."""
        return [name for name, model in self.models.items() if model.does == does]

    @property
    def judging_models(self) -> list[str]:
        """Names of what can judge: the built-in model, language models, models of entailment."""
        return ["offline", *self.able("language"), *self.able("entailment")]
