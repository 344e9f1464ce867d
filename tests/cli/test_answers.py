"""Answers and their judging by the installed program: asked again, too far to tell, and read with an embedding model."""

from __future__ import annotations

import json

from aventrik.english import model
from tests.conftest import Program

BASE = 'name = "one"\n[embedding]\nmodel = "static"\n'


def test_a_question_is_asked_again_in_other_words_and_the_answers_are_compared(workspace: Program) -> None:
    (workspace.folder / "configs" / "one.toml").write_text(BASE + "[answering]\nagain = 2\n")
    workspace("run", "one", "--testset", "small")
    [run] = workspace.json("compare", "--measures", "consistency,relevance,untold-claims")["runs"]
    assert run["measures"]["consistency"]["n"] == run["questions"]
    assert 0 <= run["measures"]["consistency"]["mean"] <= 1
    assert run["measures"]["relevance"]["mean"] > 0.5
    stages = workspace.json("explain", "1", "a1")["stages"]
    assert len(stages["agreement"]["wordings"]) == len(stages["again"]["answers"]) > 0
    assert stages["verdicts"]["verdicts"][0]["confidence"] > 0.5
    (workspace.folder / "configs" / "one.toml").write_text(BASE)
    workspace("run", "one", "--testset", "small")
    assert "consistency" not in workspace.json("compare", "2")["runs"][0]["measures"]
    assert "agreement" not in workspace.json("explain", "2", "a1")["stages"]


def test_compare_warns_of_claims_that_the_judge_can_not_tell(workspace: Program) -> None:
    (workspace.folder / "configs" / "one.toml").write_text(BASE)
    kept = model._TASKS["verdict"]
    far = {"verdict": "too far to tell", "confidence": 0.5, "reason": "", "quotes": []}
    model._TASKS["verdict"] = lambda fields: {
        "verdicts": [{"claim": number, **far} for number, _ in enumerate(fields["claims"], 1)]
    }
    try:
        workspace("run", "one", "--testset", "small")
    finally:
        model._TASKS["verdict"] = kept
    [run] = workspace.json("compare")["runs"]
    assert run["untold"] == 1.0
    assert "groundedness" not in run["measures"]
    told = workspace("compare")
    assert "claims too far in wording for the judge to tell: run 1: 100 %" in " ".join(
        (told.stdout + told.stderr).split()
    )
    assert "too far to tell" in workspace("explain", "1", "a1").stdout


def test_a_built_in_model_reads_with_an_embedding_model(workspace: Program) -> None:
    settings = workspace.folder / "aventrik.toml"
    settings.write_text('[roles]\nanswerer = "reader"\n[models.reader]\nkind = "built-in"\nreads_with = "static"\n')
    (workspace.folder / "configs" / "one.toml").write_text(BASE)
    assert "works" in workspace("models", "--test").stdout
    workspace("run", "one", "--testset", "small")
    body = workspace.json("explain", "1", "a1")["stages"]["answer"]
    assert "48 hours" in body["text"]
    made = workspace.json("runs")[0]["made"]
    assert "reader" in json.dumps(made)


def test_a_built_in_model_needs_an_embedding_model_that_is_there(workspace: Program) -> None:
    settings = workspace.folder / "aventrik.toml"
    settings.write_text('[models.reader]\nkind = "built-in"\n')
    assert "reads_with" in workspace.fails("models")
    settings.write_text('[models.reader]\nkind = "built-in"\nreads_with = "nobody"\n')
    assert "no embedding model is named 'nobody'" in workspace.fails("models")
    settings.write_text('[models.reader]\nkind = "built-in"\ndoes = "embedding"\nreads_with = "static"\n')
    assert "is for language models" in workspace.fails("models")
