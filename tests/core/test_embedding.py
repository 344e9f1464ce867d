"""The embedding models that ship with the tool, against scikit-learn and against sums by hand."""

from __future__ import annotations

import numpy as np
import pytest
from sklearn.decomposition import TruncatedSVD
from sklearn.feature_extraction.text import TfidfVectorizer

from aventrik.core.embedding import MODELS, embedder, unit
from aventrik.core.indexing.texts import owners, texts_from, write
from aventrik.core.protocols import Reply, Task
from aventrik.core.text import content_terms
from aventrik.english import OfflineModel
from aventrik.models.prompts import load_prompt

TEXTS = [
    "The lock gate is opened by the keeper.",
    "The keeper closes the lock gates at night.",
    "A licence fee is paid each year.",
    "Fees for a licence rise by ten pounds.",
    "Swans nest on the island in spring.",
    "In spring the swans guard their nest.",
]


def test_lsa_gives_the_cosines_of_tf_idf_and_a_truncated_svd() -> None:
    model = embedder("lsa", 3)
    state = model.fit(lambda: TEXTS)
    ours = model.embed(TEXTS, state)
    table = TfidfVectorizer(analyzer=content_terms, sublinear_tf=True).fit_transform(TEXTS)
    reference = TruncatedSVD(3, n_iter=4, random_state=7).fit_transform(table)
    reference /= np.linalg.norm(reference, axis=1, keepdims=True)
    assert ours.shape == (6, 3)
    assert ours @ ours.T == pytest.approx(reference @ reference.T, abs=1e-4)


def test_lsa_brings_together_what_shares_words_and_knows_no_others() -> None:
    model = embedder("lsa", 3)
    state = model.fit(lambda: TEXTS)
    near = model.embed(["licence fees", "Swans!"], state, "query") @ model.embed(TEXTS, state).T
    assert set(np.argsort(-near[0])[:2]) == {2, 3}
    assert set(np.argsort(-near[1])[:2]) == {4, 5}
    assert model.embed(["zzz qqq"], state).tolist() == [[0, 0, 0]]


def test_a_term_that_stands_once_counts_in_a_small_corpus_only() -> None:
    small = embedder("lsa").fit(lambda: ["alpha beta", "beta gamma"])
    large = embedder("lsa", 2).fit(lambda: ["alpha beta", "beta gamma", *["delta epsilon"] * 2000])
    names = [state["vocabulary"].tobytes().decode().split("\n") for state in (small, large)]
    assert sorted(names[0]) == ["alpha", "beta", "gamma"]
    assert sorted(names[1]) == ["beta", "delta", "epsilon"]


@pytest.mark.parametrize("texts", [[], [""], ["the of and"], ["one"]])
def test_lsa_on_hardly_any_text(texts: list[str]) -> None:
    model = embedder("lsa")
    state = model.fit(lambda: texts)
    rows = model.embed(["lock", *texts], state)
    assert len(rows) == 1 + len(texts)
    assert np.isfinite(rows).all()


def test_batches_do_not_change_vectors() -> None:
    for name in MODELS:
        if name == "static":
            pytest.importorskip("wordllama")
        model = embedder(name)
        state = model.fit(lambda: TEXTS)
        apart = np.concatenate([model.embed([text], state) for text in TEXTS])
        assert model.embed(TEXTS, state) == pytest.approx(apart, abs=1e-6)


def test_static_is_the_mean_of_its_token_vectors() -> None:
    pytest.importorskip("wordllama")
    from aventrik.core.embedding.static import _table

    vectors, cutter = _table()
    ids = cutter.encode(TEXTS[0], add_special_tokens=False).ids
    mean = vectors[ids].mean(axis=0)
    rows = embedder("static").embed([TEXTS[0], ""], {})
    assert rows[0] == pytest.approx(mean / np.linalg.norm(mean), abs=1e-6)
    assert not rows[1].any()


def test_unit_rows_have_length_one_and_zero_stays_zero() -> None:
    rows = unit(np.array([[3.0, 4.0], [0.0, 0.0]]))
    assert rows.tolist() == [[pytest.approx(0.6), pytest.approx(0.8)], [0, 0]]
    assert rows.dtype == np.float32


class Silent:
    """A writer that fails on one passage and says nothing of another."""

    name = "silent"

    def identity(self, task: str) -> str:
        return "silent"

    def perform(self, tasks: list[Task]) -> list[Reply]:
        found = []
        for task in tasks:
            passage = task.fields["passage"]
            if "broken" in passage:
                found.append(Reply(None, "no reply"))
            elif "empty" in passage:
                found.append(Reply({"facts": ["", " "]}))
            else:
                found.append(Reply({"facts": [f"{passage} one", f"{passage} two", f"{passage} one"]}))
        return found


def test_a_chunk_that_the_writer_fails_on_is_matched_by_its_own_text() -> None:
    documents = [[("alpha", ["T"]), ("broken", [])], [], [("empty", ["T", "H"]), ("ümläut", [])]]
    parts = write(documents, "facts", Silent())  # type: ignore[arg-type]
    assert [texts_from(part) for part in parts] == [
        [(0, "alpha one"), (0, "alpha two"), (1, "broken")], [], [(0, "empty"), (1, "ümläut one"), (1, "ümläut two")],
    ]  # fmt: skip
    assert [part["failed"].tolist() for part in parts] == [[0, 1], [], [0, 0]]
    columns = {name: np.concatenate([part[name] for part in parts]) for name in parts[0]}
    ends = {name: np.cumsum([0, *(len(part[name]) for part in parts)]) for name in parts[0]}
    assert owners(columns, ends).tolist() == [0, 0, 1, 2, 3, 3]


def test_questions_of_the_index_are_not_those_of_a_drafted_set() -> None:
    """The two have tasks and prompts of their own: a drafted question does not stand word for word in the index."""
    passage = "A boat may stay at a visitor mooring for 48 hours. A bridge key costs 12 pounds and is sold at the desk."
    fields = {"title": "Moorings", "headings": [], "passage": passage}
    model = OfflineModel()
    [drafted, asked] = model.perform([Task("questions", fields), Task("asked", fields)])
    assert drafted.value is not None
    assert asked.value is not None
    own = {row["question"].lower() for row in drafted.value["questions"]}
    assert own
    assert asked.value["questions"]
    assert not own & {question.lower() for question in asked.value["questions"]}
    assert load_prompt("asked", None).text != load_prompt("questions", None).text
