"""A judge from a local folder: a sequence classifier with labels for entailment, contradiction and neutral. Nothing is downloaded."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.errors import BadInput, MissingExtra
from ..core.judging.entailing import LABELS, entailed
from ..core.keys import content_key
from ..core.protocols import Reply, Task
from ..english import OfflineModel
from .local import folder_hash, needs_library

_AT_ONCE = 32
_LONGEST = 512  # tokens of a pair, where the folder does not say
_VETO = 0.8  # how sure a rule has to be of what stands against a claim to overrule the model
_VERSION = 1


class EntailmentJudge:
    """A `LanguageModel` for judging: verdicts by the classifier over question, claim and passages, with the built-in judge's rules as
    vetoes (another figure, another name, a denial, a condition left out); all other tasks by the built-in model."""

    def __init__(self, name: str, path: Path) -> None:
        self.name = name
        self._path = path
        self._rules = OfflineModel()
        self._order = label_order(name, path)

    def identity(self, task: str) -> str:
        """The folder for verdicts, the rules for all."""
        own = content_key("entailment", _VERSION, folder_hash(self._path)) if task == "verdict" else ""
        return f"{own} {self._rules.identity(task)}".strip()

    @cached_property
    def _scorer(self) -> Any:
        if any(self._path.rglob("*.onnx")):
            return _OnnxScorer(self.name, self._path)
        library = needs_library(f"the entailment model '{self.name}' (its folder has no .onnx file)")
        return _Classifier(library.CrossEncoder(str(self._path), device="cpu"))

    def probabilities(self, pairs: Sequence[tuple[str, str]]) -> npt.NDArray[np.float64]:
        """See `core.judging.entailing.Entailment`."""
        logits = np.concatenate(
            [self._scorer.logits(pairs[at : at + _AT_ONCE]) for at in range(0, len(pairs), _AT_ONCE)]
        )[:, self._order]
        grown = np.exp(logits - logits.max(axis=1, keepdims=True))
        shares: npt.NDArray[np.float64] = grown / grown.sum(axis=1, keepdims=True)
        return shares

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in order."""
        ruled = self._rules.perform(tasks)
        return [
            Reply(self._verdicts(task, reply.value)) if task.name == "verdict" and reply.value else reply
            for task, reply in zip(tasks, ruled)
        ]

    def _verdicts(self, task: Task, ruled: Mapping[str, Any]) -> dict[str, Any]:
        fields = task.fields
        claims = [str(each) for each in fields["claims"]]
        found = entailed(str(fields.get("question", "")), claims, fields["context"], self)
        rows = [
            {"claim": number, **_overruled(said, rule)}
            for number, (said, rule) in enumerate(zip(found, ruled["verdicts"]), 1)
        ]
        return {"verdicts": rows}

    def test(self) -> dict[str, Any]:
        """Puts two pairs to the model."""
        rows = self.probabilities(
            [("The gate is open.", "The gate is open."), ("The gate is open.", "The gate is shut.")]
        )
        return {"known": True, "scores": [float(rows[0, 0]), float(rows[1, 0])]}


def _overruled(said: Mapping[str, Any], rule: Mapping[str, Any]) -> dict[str, Any]:
    """The model's verdict, or that of the rules where they are sure that something stands against the claim."""
    against = rule["verdict"] in ("contradicted", "not found") and rule["confidence"] >= _VETO
    if said["verdict"] == "supported" and against:
        return {**{key: rule[key] for key in ("verdict", "confidence", "reason", "quotes")}}
    return dict(said)


def label_order(name: str, path: Path) -> list[int]:
    """Where the three labels stand in what the classifier gives, by the names in its config.json; raises `BadInput` for a folder
    without such a model."""
    try:
        found = json.loads((path / "config.json").read_text(encoding="utf-8"))
        names = {int(at): str(label).lower() for at, label in dict(found["id2label"]).items()}
    except OSError:
        raise BadInput(f"model '{name}': {path} holds no model (no config.json there)") from None
    except (ValueError, KeyError, TypeError):
        raise BadInput(f"model '{name}': {path}/config.json names no labels (id2label)") from None
    order = []
    for label in LABELS:
        places = [at for at, each in names.items() if each.startswith(label[:7])]
        if len(places) != 1:
            told = ", ".join(names.values())
            raise BadInput(f"model '{name}': of its labels ({told}) none, or more than one, is for {label}")
        order.append(places[0])
    return order


class _OnnxScorer:
    """A classifier from a file of the open exchange format, read by onnxruntime, with the tokenizer of its folder."""

    def __init__(self, name: str, path: Path) -> None:
        try:
            import onnxruntime
            from tokenizers import Tokenizer
        except ImportError:
            raise MissingExtra(f"the entailment model '{name}'", "onnx") from None
        file = min(path.rglob("*.onnx"), key=lambda each: (len(each.parts), each.name))
        if not (path / "tokenizer.json").is_file():
            raise BadInput(f"model '{name}': {path} has no tokenizer.json")
        try:
            self._session = onnxruntime.InferenceSession(str(file), providers=["CPUExecutionProvider"])
            self._tokenizer = Tokenizer.from_file(str(path / "tokenizer.json"))
        except Exception as error:  # of the libraries, each of its own kind
            raise BadInput(f"model '{name}': {path} can't be read ({str(error).splitlines()[0][:200]})") from None
        self._tokenizer.enable_truncation(_LONGEST, strategy="only_first")
        self._tokenizer.enable_padding()
        self._inputs = {each.name for each in self._session.get_inputs()}

    def logits(self, pairs: Sequence[tuple[str, str]]) -> npt.NDArray[np.float64]:
        """What the classifier gives for each pair, shape (pairs, labels)."""
        encoded = self._tokenizer.encode_batch(list(pairs))
        rows = {
            "input_ids": [each.ids for each in encoded],
            "attention_mask": [each.attention_mask for each in encoded],
            "token_type_ids": [each.type_ids for each in encoded],
        }
        given = {name: np.array(value, dtype=np.int64) for name, value in rows.items() if name in self._inputs}
        return np.asarray(self._session.run(None, given)[0], dtype=np.float64)


class _Classifier:
    """A classifier by way of sentence-transformers."""

    def __init__(self, model: Any) -> None:
        self._model = model

    def logits(self, pairs: Sequence[tuple[str, str]]) -> npt.NDArray[np.float64]:
        """What the classifier gives for each pair, shape (pairs, labels)."""
        found = self._model.predict(list(pairs), batch_size=_AT_ONCE, show_progress_bar=False, apply_softmax=False)
        return np.asarray(found, dtype=np.float64)
