"""A folder with `aventrik.toml`: where its files are, and its settings."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from ..core.errors import BadInput
from .configuration import Configuration, load_configurations
from .corpus import Corpus
from .store import Store, told
from .toml import load_toml, validated

SETTINGS = "aventrik.toml"


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True)


class Limits(_Table):
    """What the program may take."""

    file_megabytes: int = Field(100, ge=1)


class Settings(_Table):
    """The content of `aventrik.toml`."""

    name: str = ""
    seed: int = 0
    cover: float = Field(0.9, gt=0, le=1)
    cut_offs: tuple[int, ...] = Field((1, 3, 5, 10), strict=False, min_length=1)
    limits: Limits = Limits()


class Workspace:
    """Opens a workspace; raises `BadInput` for a folder that is none."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        if not (folder / SETTINGS).is_file():
            raise BadInput(f"{folder}: not a workspace (no {SETTINGS} here); 'aventrik new DIR' starts one")
        content, text = load_toml(folder / SETTINGS)
        self.settings = validated(Settings, content, folder / SETTINGS, text)

    @classmethod
    def around(cls, folder: Path) -> Workspace:
        """The workspace that a folder is, or lies in."""
        for here in (folder.resolve(), *folder.resolve().parents):
            if (here / SETTINGS).is_file():
                return cls(here)
        return cls(folder)

    @cached_property
    def store(self) -> Store:
        return Store(self.folder / ".aventrik")

    @cached_property
    def corpus(self) -> Corpus:
        return Corpus(self.store)

    def configurations(self, names: list[str]) -> list[Configuration]:
        """Configurations by file: 'a' means configs/a.toml; none means every file in configs/."""
        paths = [self._file(name, "configs", ".toml") for name in names]
        if not names:
            paths = sorted((self.folder / "configs").glob("*.toml"))
            if not paths:
                raise BadInput(f"{self.folder / 'configs'}: holds no configuration (*.toml)")
        found = [configuration for path in paths for configuration in load_configurations(path)]
        seen: set[str] = set()
        for configuration in found:
            if configuration.name in seen:
                raise BadInput(f"two configurations are named '{configuration.name}'; give each a name of its own")
            seen.add(configuration.name)
        return found

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
"""

STARTER_CONFIGURATION = """\
# One configuration: the settings of every stage. All but `name` may be left out.
# To try several values at once, take the marks off [sweep] below: it stands for every combination.

name = "starter"
note = "paragraphs, keyword and vector search blended"

[chunking]
method  = "paragraph"     # fixed, paragraph
size    = 800
unit    = "chars"         # chars, words, tokens
overlap = 80

[index]
headings = true           # put the heading path in front of what is matched

[embedding]
model = "lsa"             # none, lsa (fitted on your documents), static (needs the extra 'static')

[rewriting]
method = "none"           # none, paraphrases
count  = 3

[search]
method = "both"           # keyword, vector, both
top    = 40
blend  = "ranks"          # ranks, scores

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
