"""A folder with `aventrik.toml`: where its files are, and its settings."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ..core.embedding import MODELS as BUILT_IN
from ..core.errors import BadInput
from ..core.measuring import ESTIMATE, STATIC
from ..core.reading import Reading
from ..core.reading.records import Mapped
from .configuration import Configuration, load_configurations
from .corpus import Corpus
from .store import Store, told
from .toml import load_toml, nearest, place, validated

SETTINGS = "aventrik.toml"


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True)


class Limits(_Table):
    """What the program may take."""

    file_megabytes: int = Field(100, ge=1)


class ReadingSettings(_Table):
    """How files are read."""

    pdf: Literal["layout", "stream"] = "layout"
    rows: Literal["auto", "records", "table"] = "auto"
    text: tuple[str, ...] = Field((), strict=False)
    title: str = ""
    id: str = ""
    seconds: int = Field(120, ge=1)
    megabytes: int = Field(4000, ge=500)
    workers: int = Field(0, ge=0, le=64)

    @property
    def reading(self) -> Reading:
        """The part that decides what comes out."""
        return Reading(self.pdf, Mapped(self.text, self.title, self.id, self.rows))


class Model(_Table):
    """One named model; what is not said of a kind does not count for it."""

    kind: Literal["http", "local"]
    does: Literal["language", "embedding", "reranking"] = "language"
    address: str = ""
    model: str = ""
    path: str = ""
    key_variable: str = ""
    concurrency: int = Field(8, ge=1, le=512)
    requests_per_minute: int = Field(0, ge=0)
    tokens_per_minute: int = Field(0, ge=0)
    timeout: float = Field(60.0, gt=0, strict=False)
    attempts: int = Field(6, ge=1, le=20)
    backoff: float = Field(0.5, ge=0, strict=False)
    price_in: float = Field(0.0, ge=0, strict=False)
    price_out: float = Field(0.0, ge=0, strict=False)
    context: int = Field(8192, ge=128)
    reply_tokens: int = Field(1024, ge=16)
    temperature: float = Field(0.0, ge=0, le=2, strict=False)
    query_prefix: str = ""
    passage_prefix: str = ""

    @model_validator(mode="after")
    def _reachable(self) -> Model:
        if self.kind == "http" and not self.address.startswith(("http://", "https://")):
            raise ValueError("kind 'http' needs an address that begins with http:// or https://")
        if self.kind == "http" and not self.model:
            raise ValueError("kind 'http' needs the model's name on the server, in model")
        if self.kind == "local" and not self.path:
            raise ValueError("kind 'local' needs the path of the model's folder")
        if self.kind == "local" and self.does == "language":
            raise ValueError("kind 'local' is for embedding and reranking models")
        if self.reply_tokens > self.context // 2:
            raise ValueError("reply_tokens must leave at least half of the context for the prompt")
        return self


class Roles(_Table):
    """Which language model does what, unless a configuration says otherwise."""

    writer: str = "offline"
    rewriter: str = "offline"
    answerer: str = "offline"
    judge: str = "offline"


class Settings(_Table):
    """The content of `aventrik.toml`."""

    name: str = ""
    seed: int = 0
    cover: float = Field(0.9, gt=0, le=1)
    cut_offs: tuple[int, ...] = Field((1, 3, 5, 10), strict=False, min_length=1)
    limits: Limits = Limits()
    reading: ReadingSettings = ReadingSettings()
    roles: Roles = Roles()
    models: dict[str, Model] = Field(default_factory=dict)

    def able(self, does: str) -> list[str]:
        """Names of the configured models that do something: language, embedding or reranking."""
        return [name for name, model in self.models.items() if model.does == does]


class Workspace:
    """Opens a workspace; raises `BadInput` for a folder that is none."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        if not (folder / SETTINGS).is_file():
            raise BadInput(f"{folder}: not a workspace (no {SETTINGS} here); 'aventrik new DIR' starts one")
        content, text = load_toml(folder / SETTINGS)
        self.settings = validated(Settings, content, folder / SETTINGS, text)
        for role, name in self.settings.roles:
            if name != "offline" and name not in self.settings.able("language"):
                where = place(folder / SETTINGS, text, ("roles", role))
                raise BadInput(f"{where}: no language model is named '{name}'{nearest(name, self._language)}")

    @property
    def _language(self) -> list[str]:
        return ["offline", *self.settings.able("language")]

    @classmethod
    def around(cls, folder: Path) -> Workspace:
        """The workspace that a folder is, or lies in."""
        try:
            whole = folder.resolve()
        except FileNotFoundError:
            raise BadInput("the current folder is no longer there; change to one that is") from None
        for here in (whole, *whole.parents):
            if (here / SETTINGS).is_file():
                return cls(here)
        return cls(folder)

    @cached_property
    def store(self) -> Store:
        return Store(self.folder / ".aventrik")

    @cached_property
    def corpus(self) -> Corpus:
        return Corpus(self.store)

    def embedding_models(self) -> list[str]:
        """Names of the embedding models that a configuration may have, "none" first."""
        return ["none", *BUILT_IN, *self.settings.able("embedding")]

    def configurations(self, names: list[str]) -> list[Configuration]:
        """Configurations by file ('a' means configs/a.toml) or by their own name, such as one of a sweep; none means
        every file in configs/."""
        every = sorted((self.folder / "configs").glob("*.toml"))
        if not names and not every:
            raise BadInput(f"{self.folder / 'configs'}: holds no configuration (*.toml)")
        found: list[Configuration] = []
        for name in names or [str(path) for path in every]:
            path = self._file(name, "configs", ".toml")
            if path.is_file():
                found.extend(load_configurations(path))
                continue
            known = [configuration for each in every for configuration in load_configurations(each)]
            found.extend(configuration for configuration in known if configuration.name == name)
            if not found or found[-1].name != name:
                near = nearest(name, [*(each.stem for each in every), *(each.name for each in known)], listing=False)
                raise BadInput(f"{path}: no such file, and no configuration is named '{name}'{near}")
        seen: set[str] = set()
        for number, configuration in enumerate(found):
            self._check_models(configuration)
            found[number] = configuration = self._with_tokenizer(configuration)
            if configuration.name in seen:
                raise BadInput(f"two configurations are named '{configuration.name}'; give each a name of its own")
            seen.add(configuration.name)
        return found

    def _with_tokenizer(self, configuration: Configuration) -> Configuration:
        """The configuration with a tokenizer's path made whole; raises `BadInput` when no file is there."""
        name = configuration.chunking.tokenizer
        if name in (ESTIMATE, STATIC):
            return configuration
        path = (self.folder / name).resolve()
        if not path.is_file():
            near = nearest(name, [ESTIMATE, STATIC])
            raise BadInput(
                f"configuration '{configuration.name}', chunking.tokenizer: no file {name} in the workspace; it may be "
                f"'{ESTIMATE}', '{STATIC}', or a tokenizer.json{near}"
            )
        chunking = configuration.chunking.model_copy(update={"tokenizer": str(path)})
        return configuration.model_copy(update={"chunking": chunking})

    def _check_models(self, configuration: Configuration) -> None:
        """Refuses a configuration that names a model which is not there, with the nearest that is."""
        embedding = self.embedding_models()
        wanted = [
            ("embedding.model", configuration.embedding.model, embedding),
            ("answering.model", configuration.answering.model, ["", *self._language]),
            ("rewriting.model", configuration.rewriting.model, ["", *self._language]),
            ("index.model", configuration.index.model, ["", *self._language]),
        ]
        for step in configuration.reranking:
            if step["step"] == "cross-encoder":
                wanted.append(
                    ("reranking, cross-encoder, model", step.get("model", ""), self.settings.able("reranking"))
                )
            if step["step"] == "relevance":
                wanted.append(("reranking, relevance, model", step.get("model", "offline"), self._language))
        for setting, name, known in wanted:
            if name not in known:
                near = nearest(name, [each for each in known if each])
                raise BadInput(f"configuration '{configuration.name}', {setting}: no such model '{name}'{near}")

    def testset_path(self, name: str) -> Path:
        """The file of a test set: 'a' means testsets/a.jsonl."""
        return self._file(name, "testsets", ".jsonl")

    def _file(self, name: str, folder: str, suffix: str) -> Path:
        if Path(name).suffix == suffix and Path(name).is_file():
            return Path(name)
        return self.folder / folder / (name if name.endswith(suffix) else name + suffix)


STARTER_SETTINGS = """\
# The settings of this workspace. Every one may be left out; what stands here are the defaults.

name = "{name}"
seed = 0                     # one seed for sampling, drafting and resampling
cover = 0.9                  # share of an evidence span that must be served for its need to be met
cut_offs = [1, 3, 5, 10]     # the k of hit@k and the other measures at a cut-off

[limits]
file_megabytes = 100         # larger files are not gathered

# How files are read.
[reading]
pdf  = "layout"              # layout (by the place of words on the page), stream (the file's own order)
rows = "auto"                # of a CSV: records (a row is a document), table, auto (records where rows hold text)
# text = ["body"]            # which fields of records are their text, title and id; found by name when not given
# title = "title"
# id = "id"
seconds   = 120              # longest time for one file
megabytes = 4000             # most memory for one file

# Which language model does what. "offline" is built in; others are described below.
[roles]
writer   = "offline"         # drafts questions
rewriter = "offline"
answerer = "offline"
judge    = "offline"

# A model on a server of yours; as many as you like. 'aventrik models --test' tries them.
# [models.house]
# kind         = "http"                    # http, or local (a folder, for embedding and reranking)
# does         = "language"                # language, embedding, reranking
# address      = "http://127.0.0.1:8080"   # what stands before /v1/chat/completions
# model        = "the-name-on-the-server"
# key_variable = "HOUSE_KEY"               # the NAME of the environment variable with the key
# concurrency  = 8                         # requests in flight
# requests_per_minute = 0                  # 0: no limit
# tokens_per_minute   = 0
# timeout      = 60                        # seconds
# price_in     = 0.0                       # per million tokens
# price_out    = 0.0
# context      = 8192                      # tokens
"""

STARTER_CONFIGURATION = """\
# One configuration: the settings of every stage. All but `name` may be left out.
# To try several values at once, take the marks off [sweep] below: it stands for every combination.

name = "starter"
note = "paragraphs, keyword and vector search blended"

[chunking]
method  = "paragraph"     # fixed, sentence, paragraph, heading, page, topic
size    = 800
unit    = "chars"         # chars, words, tokens (of `tokenizer`: estimate, static, or a tokenizer.json)
overlap = 80
serve   = "chunk"         # chunk, neighbours (around = 1), section, page, document, larger (larger_size = 2400)

[index]
text     = "chunk"        # chunk, or what the writer model makes of it: summary, facts, questions
headings = true           # put the heading path in front of what is matched
# title_weight = 2.0      # search title and headings as a field of their own, weighted

[embedding]
model = "lsa"             # none, lsa (fitted on your documents), static (needs the extra 'static')

[rewriting]
method = "none"           # none, paraphrases, hypothetical, parts
count  = 3

[search]
method = "both"           # keyword, vector, both
top    = 40
blend  = "ranks"          # ranks, scores (scaling = "min-max" or "z-score")
weight = 0.5              # the share of the vector list; the keyword list has the rest
nearest = "exact"         # exact, or approximate: graph, lists
# where = "area = 'Moss Cut' and issued >= '2031-04-01'"    # only documents whose metadata say so

# [[reranking]]
# step   = "closeness"
# weight = 0.5

[context]
keep   = 5
budget = 1200             # tokens

[answering]
model = "offline"
style = "quote"           # quote, short

# [sweep]
# "chunking.size" = [300, 800, 1500]
# "search.method" = ["keyword", "vector", "both"]
"""


def create(folder: Path) -> None:
    """Lays out a new workspace; raises `BadInput` where one is already."""
    if (folder / SETTINGS).exists():
        raise BadInput(f"{folder}: is a workspace already")
    if folder.exists() and not folder.is_dir():
        raise BadInput(f"{folder}: is a file, not a folder")
    with told(folder):
        for name in ("configs", "testsets", "prompts", "reports"):
            (folder / name).mkdir(parents=True, exist_ok=True)
        starter = folder / "configs" / "starter.toml"
        if not starter.exists():
            starter.write_text(STARTER_CONFIGURATION, encoding="utf-8")
        name = folder.resolve().name.replace("\\", "\\\\").replace('"', '\\"')
        (folder / SETTINGS).write_text(STARTER_SETTINGS.format(name=name), encoding="utf-8")
