"""A judge from a local folder: a tiny classifier is made here, which goes by single words of what is put to it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aventrik.core.errors import BadInput
from aventrik.core.judging.entailing import entailed, hypothesis_of, premises_of
from aventrik.core.protocols import Task
from aventrik.models.entailment import EntailmentJudge, label_order

onnx = pytest.importorskip("onnx")
pytest.importorskip("onnxruntime")
LABELS = {0: "CONTRADICTION", 1: "NEUTRAL", 2: "ENTAILMENT"}  # in another order than the program's
WORDS = ("shut", "open", "berths")  # each of which speaks for one label


def classifier(folder: Path, labels: dict[int, str] = LABELS) -> Path:
    """A folder with a classifier: the mean of the rows of a table, a word 'shut' speaks for contradiction, 'open' for entailment,
    anything else for neutral a little."""
    from onnx import TensorProto, helper, numpy_helper
    from tokenizers import Tokenizer, models, normalizers, pre_tokenizers, processors

    folder.mkdir(parents=True, exist_ok=True)
    vocabulary = {word: at for at, word in enumerate(("[PAD]", "[UNK]", "[SEP]", *WORDS))}
    tokenizer = Tokenizer(models.WordLevel(vocabulary, unk_token="[UNK]"))
    tokenizer.normalizer = normalizers.Lowercase()
    tokenizer.pre_tokenizer = pre_tokenizers.Whitespace()
    tokenizer.post_processor = processors.TemplateProcessing(
        single="$A [SEP]", pair="$A [SEP] $B [SEP]", special_tokens=[("[SEP]", 2)]
    )
    tokenizer.save(str(folder / "tokenizer.json"))
    table = np.zeros((len(vocabulary), 3), dtype=np.float32)
    table[:, 1] = 0.2
    table[vocabulary["shut"]] = [90, 0, 0]
    table[vocabulary["open"]] = [0, 0, 40]
    nodes = [
        helper.make_node("Gather", ["table", "input_ids"], ["rows"], axis=0),
        helper.make_node("ReduceMean", ["rows"], ["logits"], axes=[1], keepdims=0),
    ]
    graph = helper.make_graph(
        nodes, "classifier", [helper.make_tensor_value_info("input_ids", TensorProto.INT64, ["batch", "length"])],
        [helper.make_tensor_value_info("logits", TensorProto.FLOAT, ["batch", 3])],
        [numpy_helper.from_array(table, "table")],
    )  # fmt: skip
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 13)])
    model.ir_version = 8
    onnx.save(model, str(folder / "model.onnx"))
    (folder / "config.json").write_text(json.dumps({"id2label": {str(at): name for at, name in labels.items()}}))
    return folder


CONTEXT = [{"number": 4, "source": "Locks", "text": "The gate of the lock is open all day. The lock has six berths."}]


def verdicts(judge: EntailmentJudge, claims: list[str], question: str = "") -> list[dict[str, Any]]:
    [reply] = judge.perform([Task("verdict", {"context": CONTEXT, "question": question, "claims": claims})])
    assert reply.value is not None
    return list(reply.value["verdicts"])


def test_the_classifiers_labels_are_read_by_their_names(tmp_path: Path) -> None:
    judge = EntailmentJudge("mini", classifier(tmp_path / "m"))
    assert label_order("mini", tmp_path / "m") == [2, 0, 1]
    rows = judge.probabilities(
        [("The gate is open.", "Anybody passes."), ("It is shut.", "Shut."), ("Six berths.", "Boats.")]
    )
    assert rows.sum(axis=1) == pytest.approx([1, 1, 1])
    assert rows.argmax(axis=1).tolist() == [0, 1, 2]  # entailment, contradiction, neutral


def test_a_far_wording_is_told_by_the_model_and_its_premise_is_quoted(tmp_path: Path) -> None:
    judge = EntailmentJudge("mini", classifier(tmp_path / "m"))
    [found] = verdicts(judge, ["Boats of all sizes can pass the gate at any hour whatever."])
    assert found["verdict"] == "supported"
    assert found["claim"] == 1
    assert "The gate of the lock is open all day." in [each["quote"] for each in found["quotes"]]
    assert {each["item"] for each in found["quotes"]} == {4}


def test_a_rule_that_is_sure_of_a_fault_overrules_the_model(tmp_path: Path) -> None:
    judge = EntailmentJudge("mini", classifier(tmp_path / "m"))
    named, figure = verdicts(judge, ["The gate of the lock is not open all day.", "The open lock has nine berths."])
    assert named["verdict"] == "contradicted"
    assert "negated" in named["reason"]
    assert figure["verdict"] == "contradicted"


def test_all_other_tasks_are_the_built_in_judges(tmp_path: Path) -> None:
    judge = EntailmentJudge("mini", classifier(tmp_path / "m"))
    [reply] = judge.perform([Task("claims", {"question": "", "answer": "The documents do not say."})])
    assert reply.value is not None
    assert reply.value["declining"] == "wholly"
    assert judge.identity("claims") != judge.identity("verdict")
    assert judge.identity("verdict") != EntailmentJudge("mini", classifier(tmp_path / "n", LABELS | {3: "x"})).identity(
        "verdict"
    )


@pytest.mark.parametrize(
    ("labels", "told"),
    [({0: "yes", 1: "no"}, "none, or more than one, is for entailment"), ({}, "none, or more than one")],
)
def test_a_folder_without_the_three_labels_is_no_judge(tmp_path: Path, labels: dict[int, str], told: str) -> None:
    with pytest.raises(BadInput, match=told):
        EntailmentJudge("mini", classifier(tmp_path / "m", labels))
    with pytest.raises(BadInput, match="holds no model"):
        EntailmentJudge("mini", tmp_path / "nowhere")


def test_a_broken_file_is_told(tmp_path: Path) -> None:
    folder = classifier(tmp_path / "m")
    (folder / "model.onnx").write_bytes(b"no model")
    with pytest.raises(BadInput, match="can't be read"):
        EntailmentJudge("mini", folder).probabilities([("a", "b")])


def test_premises_are_stretches_that_share_words_and_a_bare_value_goes_behind_its_question() -> None:
    found = premises_of("How many berths?", "Six.", CONTEXT)
    assert found[0].sentences == ("The lock has six berths.",)
    assert hypothesis_of("How many berths?", "Six.") == "How many berths? Six."
    assert premises_of("", "Dragons fly.", CONTEXT) == []

    class Never:
        def probabilities(self, pairs: Any) -> Any:
            raise AssertionError("nothing is to be asked")

    [told] = entailed("", ["Dragons fly."], CONTEXT, Never())
    assert told["verdict"] == "too far to tell"
