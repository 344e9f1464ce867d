"""A folder with `aventrik.toml`: where its files are, and what stands in them."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from pathlib import Path

from ..core.criteria import Criterion
from ..core.embedding import MODELS as BUILT_IN
from ..core.errors import BadInput
from ..core.protocols import TASKS
from ..core.reranking import STEPS
from ..core.text.rulers import ESTIMATE, STATIC
from .configuration import Configuration
from .criteria import load_criteria
from .decisions import Decisions
from .labels import Labels
from .metadata import Metadata
from .reviews import Reviews
from .settings import SETTINGS, Settings
from .stage_settings import NO_MODEL
from .sweeps import load_configurations
from .toml import load_toml, nearest, place, validated


class Workspace:
    """Opens a workspace; raises `BadInput` for a folder that is none."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.written: Callable[[], None] = lambda: None  # is called when somebody's decision was written into a file
        if not (folder / SETTINGS).is_file():
            raise BadInput(f"{folder}: not a workspace (no {SETTINGS} here); 'aventrik new DIR' starts one")
        content, text = load_toml(folder / SETTINGS)
        self.settings = validated(Settings, content, folder / SETTINGS, text)
        self.check_prompts()
        for role, name in self.settings.roles.named:
            known = self.settings.judging_models if role == "judge" else self._language
            if name not in known:
                where = place(folder / SETTINGS, text, ("roles", role))
                what = "language or entailment model" if role == "judge" else "language model"
                raise BadInput(f"{where}: no {what} is named '{name}'{nearest(name, known)}")

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

    @property
    def hidden(self) -> Path:
        """The folder of what the program keeps: the store, or copies of what a server has."""
        return self.folder / ".aventrik"

    @property
    def prompts(self) -> Path:
        """The folder of the user's own prompts."""
        return self.folder / "prompts"

    @cached_property
    def decisions(self) -> Decisions:
        """What was left out, from decisions.csv."""
        return Decisions(self.folder / "decisions.csv", lambda: self.written())

    @cached_property
    def labels(self) -> Labels:
        """The labels of labels.csv."""
        return Labels(self.folder / "labels.csv", lambda: self.written())

    @cached_property
    def metadata(self) -> Metadata:
        """What metadata.csv says of documents beside what stands in them."""
        return Metadata(self.folder / "metadata.csv", lambda: self.written())

    @cached_property
    def reviews(self) -> Reviews:
        """What people decided, from reviews/."""
        return Reviews(self.folder / "reviews", lambda: self.written())

    @cached_property
    def criteria(self) -> list[Criterion]:
        """The user's criteria that answers are judged by: those that the settings name, or all of criteria/."""
        found = load_criteria(self.folder / "criteria", self.settings.judging.criteria)
        for path, criterion in found:
            judges = (criterion.judge,) if criterion.judge else self.settings.roles.judges
            for name in judges:
                if name not in self._language:
                    raise BadInput(f"{path}: judge: no language model is named '{name}'{nearest(name, self._language)}")
                patterns = any(level.pattern for level in criterion.levels)
                if not patterns and (name == "offline" or self.settings.models[name].kind == "built-in"):
                    raise BadInput(
                        f"{path}: the built-in judge knows levels by their patterns: give one level a pattern, or name "
                        "a model that reads, in judge or as the role judge"
                    )
        return [criterion for _, criterion in found]

    def check_prompts(self) -> None:
        """Refuses a file in prompts/ whose name is no task's and not domain: it would never be used."""
        for path in sorted(self.prompts.glob("*.txt")) if self.prompts.is_dir() else ():
            if path.stem not in TASKS and path.stem != "domain":
                hint = nearest(path.stem, [*TASKS, "domain"])
                raise BadInput(f"{path}: no task is named '{path.stem}'{hint}")

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
            ("answering.model", configuration.answering.model, ["", NO_MODEL, *self._language]),
            ("index.model", configuration.index.model, ["", *self._language]),
        ]
        wanted.extend(
            (f"rewriting, {each['method']}, model", each.get("model", ""), ["", *self._language])
            for each in configuration.rewriting
        )
        able = {"language": self._language, "reranking": self.settings.able("reranking"), "embedding": embedding}
        for step in configuration.reranking:
            kind = STEPS[step["step"]]
            if kind.model and kind.asks(step):
                name = step.get("model", kind.settings["model"])
                wanted.append((f"reranking, {step['step']}, model", name, able[kind.model]))
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
