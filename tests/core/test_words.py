"""How queries are read and scored, each against the formula by hand; languages; and vectors that take less room."""

from __future__ import annotations

import math
from collections import Counter
from pathlib import Path

import numpy as np
import pytest

from aventrik.core.indexing import Narrowing
from aventrik.core.indexing.compact import BITS, Coding, Compact, compacted, cut
from aventrik.core.indexing.compact import search as compact_search
from aventrik.core.indexing.keyword import KeywordIndex, Scoring, build, merge
from aventrik.core.indexing.terms import count
from aventrik.core.searching.words import (
    PLAIN,
    WordSearch,
    expanded,
    holds,
    languages_of,
    likelihoods,
    read,
    search,
    terms_of,
)
from aventrik.core.text import content_terms, pieces_of, sentences, terms, words
from aventrik.core.text.languages import CHOICES, CODES, STEMMED, guess, language_of, stop_words

TEXTS = ["the lock gate lock", "a gate and a swan", "swan swan heron", "the weir"]


def found(
    index: KeywordIndex, query: str, how: WordSearch = PLAIN, texts: list[str] = TEXTS
) -> list[tuple[int, float]]:
    return search(index, query, 10, Narrowing(), how, texts.__getitem__)


def test_bm25_plus_by_hand() -> None:
    """Lv and Zhai (2011): ln((N + 1) / n) · (tf · (k1 + 1) / (tf + k1 · (1 − b + b · length ÷ mean)) + δ)."""
    index = build(TEXTS, Scoring("bm25+", delta=0.7))
    mean = (4 + 5 + 3 + 2) / 4

    def weight(tf: int, length: int, n: int) -> float:
        return math.log(5 / n) * (tf * 2.2 / (tf + 1.2 * (0.25 + 0.75 * length / mean)) + 0.7)

    assert dict(found(index, "swan")) == pytest.approx({1: weight(1, 5, 2), 2: weight(2, 3, 2)}, rel=1e-5)
    assert dict(found(index, "lock gate")) == pytest.approx(
        {0: weight(2, 4, 1) + weight(1, 4, 2), 1: weight(1, 5, 2)}, rel=1e-5
    )


def test_a_language_model_with_dirichlet_smoothing_by_hand() -> None:
    """Zhai and Lafferty (2004): Σ over query terms of ln((count + μ · p) / (length + μ)), less what is the same for all
    texts, ln p: so ln(1 + count / (μ · p)) + ln(μ / (length + μ))."""
    mu = 10.0
    index = build(TEXTS, Scoring("dirichlet", mu=mu))
    share = {"swan": 3 / 14, "gate": 2 / 14}
    counts = [Counter(text.split()) for text in TEXTS]
    lengths = [4, 5, 3, 2]

    def score(text: int) -> float:
        return sum(
            math.log((counts[text][word] + mu * p) / (lengths[text] + mu)) - math.log(p) for word, p in share.items()
        )

    hits = found(index, "swan gate")
    assert dict(hits) == pytest.approx({n: score(n) for n in (0, 1, 2)}, rel=1e-5)  # text 3 shares no term
    assert [n for n, _ in hits] == sorted((0, 1, 2), key=lambda n: -score(n))
    again = KeywordIndex.from_arrays(index.arrays())
    assert found(again, "swan gate") == hits
    only = search(
        index, "swan gate", 10, Narrowing(None, np.array([True, False, True, True])), PLAIN, TEXTS.__getitem__
    )
    assert [n for n, _ in only] == [n for n, _ in hits if n != 1]


def test_function_words_are_left_out_unless_quoted_or_alone() -> None:
    index = build(TEXTS)
    assert read("what is the lock?", index, PLAIN).weights == {"lock": 1}
    assert read("what is the lock?", index, WordSearch("keep")).weights == {"what": 1, "is": 1, "the": 1, "lock": 1}
    assert read("the and a", index, PLAIN).weights == {"the": 1, "and": 1, "a": 1}
    asked = read('"the lock" gates gates', index, PLAIN)
    assert asked.weights == {"the": 1, "lock": 1, "gate": 2}
    assert asked.phrases == (("the", "lock"),)
    assert read('""', index, PLAIN).weights == {}
    assert found(index, '""') == []


def test_a_phrase_stands_side_by_side_in_any_form() -> None:
    texts = [
        "a visitor mooring at Skelder",
        "the mooring of a visitor",
        "visitors' moorings",
        "visitor",
        "a visitor, moorings",
    ]
    index = build(texts)
    assert {n for n, _ in found(index, '"visitor moorings"', texts=texts)} == {0, 2, 4}
    assert [n for n, _ in found(index, "“visitor”", texts=texts)] == sorted(
        range(5), key=lambda n: -dict(found(index, "visitor", texts=texts))[n]
    )
    assert found(index, '"mooring visitor"', texts=texts) == []
    assert holds("Visitor moorings", (("visitor", "mooring"),), index)
    assert not holds("visitor", (("visitor", "mooring"),), index)
    owner = np.array([0, 0, 1, 2, 3], dtype=np.int32)  # index texts 0 and 1 lead to chunk 0
    chunks = [f"{texts[0]} {texts[1]}", *texts[2:]]
    assert {n for n, _ in search(index, '"a visitor"', 5, Narrowing(owner), PLAIN, chunks.__getitem__)} == {0, 3}


def test_feedback_by_hand() -> None:
    """RM3: (1 − a) · p(w | query) + a · p(w | results), times the query's length."""
    how = WordSearch(feedback=2, feedback_terms=2, feedback_weight=0.4)
    models = [{"gate": 2.0, "lock": 2.0}, {"gate": 1.0, "swan": 3.0}]
    likely = likelihoods([3.0, 1.0], logarithms=False)
    assert likely == [0.75, 0.25]
    # p(gate) = 0.75 · 2/4 + 0.25 · 1/4 = 0.4375; p(lock) = 0.375; p(swan) = 0.1875: the first two, scaled to sum to 1
    gate, lock = 0.4375 / 0.8125, 0.375 / 0.8125
    assert expanded({"gate": 1.0, "heron": 1.0}, models, likely, how) == pytest.approx(
        {"gate": 0.6 + 0.4 * gate * 2, "heron": 0.6, "lock": 0.4 * lock * 2}
    )
    assert likelihoods([-1.0, -1.0 - math.log(3)], logarithms=True) == pytest.approx([0.75, 0.25])
    assert likelihoods([], logarithms=True) == []
    assert likelihoods([0.0, 0.0], logarithms=False) == [0.5, 0.5]


def test_feedback_finds_what_shares_no_word_with_the_query() -> None:
    texts = ["heron nest reeds", "reeds by the weir", "lock gate"]
    index = build(texts)
    assert [n for n, _ in found(index, "heron", texts=texts)] == [0]
    hits = found(index, "heron", WordSearch(feedback=1, feedback_terms=5), texts)
    assert [n for n, _ in hits] == [0, 1]
    assert terms_of("the herons of Oxmere", ("english",)) == Counter(["heron", "oxmer"])


def test_letters_of_scripts_without_white_space_are_matched_by_pairs() -> None:
    assert pieces_of("水門") == ["水門"]
    assert pieces_of("水門の鍵") == ["水門", "門の", "の鍵"]
    assert pieces_of("橋") == ["橋"]
    assert pieces_of("lock橋の") == ["lock", "橋の"]
    assert pieces_of("갑문") == ["갑문"]
    assert pieces_of("lock") == ["lock"]
    assert terms("the 水門の鍵 for lock2") == ["the", "水門", "門の", "の鍵", "for", "lock2"] or terms("水門の鍵") == [
        "水門",
        "門の",
        "の鍵",
    ]
    index = build(["水門の鍵", "橋の鍵", "水鳥"], language="japanese")
    assert [n for n, _ in search(index, "水門", 5, Narrowing(), PLAIN, ["水門の鍵", "橋の鍵", "水鳥"].__getitem__)] == [
        0
    ]


def test_marks_belong_to_their_word() -> None:
    assert words("हिन्दी में नाव") == ["हिन्दी", "में", "नाव"]
    assert words("ประตูน้ำ") == ["ประตูน้ำ"]
    assert words("cafe\u0301 au lait") == ["cafe\u0301", "au", "lait"]
    assert words("can't stop") == ["can't", "stop"]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("Das ist gut. Überall liegt Eis. Es ist kalt.", ["Das ist gut.", "Überall liegt Eis.", "Es ist kalt."]),
        ("水を入れます。先に開けます！座ってください。", ["水を入れます。", "先に開けます！", "座ってください。"]),
        ("यह पहला है। यह दूसरा है।", ["यह पहला है।", "यह दूसरा है।"]),
        ("هذا أول. هذا ثان؟ هذا ثالث", ["هذا أول.", "هذا ثان؟", "هذا ثالث"]),
        ("Это первое. Это второе.", ["Это первое.", "Это второе."]),
        ("¿Cuándo? ¡Ahora! Bien.", ["¿Cuándo?", "¡Ahora!", "Bien."]),
        ("It is 3.5 m. see below. Then go.", ["It is 3.5 m. see below.", "Then go."]),
        ("Gebühren, z. B. Das kostet. Nr. 5 gilt.", ["Gebühren, z. B. Das kostet.", "Nr. 5 gilt."]),
        ("The 水門 is open. 橋は閉じています。Then go.", ["The 水門 is open.", "橋は閉じています。", "Then go."]),
    ],
)
def test_sentences_of_many_scripts(text: str, wanted: list[str]) -> None:
    assert [text[start:end] for start, end in sentences(text)] == wanted


@pytest.mark.parametrize(
    ("text", "language"),
    [
        (
            "Ein Boot darf an dem Platz nicht länger als zwei Tage liegen, und es ist verboten, zurückzukehren.",
            "german",
        ),
        ("Le bateau peut rester dans le port pour une journée et il ne paie pas de frais.", "french"),
        ("Лодка может стоять у причала не больше двух дней, и это не касается гостей.", "russian"),
        ("Το σκάφος μένει δύο μέρες στη μαρίνα", "greek"),
        ("水路の手引きです", "japanese"),
        ("水闸的规则", "chinese"),
        ("갑문의 규칙", "korean"),
        ("กฎของประตูน้ำ", "thai"),
        ("a lock", ""),
        ("", ""),
        ("12 34 56", ""),
    ],
)
def test_the_language_of_a_text(text: str, language: str) -> None:
    assert language_of(text) == language
    assert 0 <= guess(text)[1] <= 1


def test_stemmers_and_stop_words_of_languages() -> None:
    assert set(STEMMED) <= set(CODES)
    assert {"auto", "none", "english", "german", "tamil"} <= set(CHOICES)
    assert "der" in stop_words("german")
    assert "welche" in stop_words("german")
    assert "the" in stop_words("english")
    assert stop_words("klingon") == frozenset()
    assert terms("Schleusen der Boote", "german") == ["schleus", "der", "boot"]
    assert terms("Schleusen", "thai") == ["schleusen"]  # no stemmer: as it stands
    assert terms("Locks", "none") == ["locks"]
    assert content_terms("水門の鍵") == ("水門", "門の", "の鍵")


def test_each_document_is_stemmed_in_its_language_and_a_query_in_all_of_them() -> None:
    german = "Die Schleusen sind für alle Boote offen und werden nach jeder Durchfahrt wieder geschlossen."
    english = "The locks are open for all boats and they are closed after each passage of a boat."
    columns = count([[german], [english]])
    ends = {name: np.cumsum([0, *(len(each[name]) for each in columns)]) for name in columns[0]}
    whole = {name: np.concatenate([each[name] for each in columns]) for name in columns[0]}
    index = merge((whole, ends))
    assert set(index.languages) == {"german", "english"}
    texts = [german, english]
    assert [n for n, _ in found(index, "Schleuse", texts=texts)] == [0]
    assert [n for n, _ in found(index, "lock", texts=texts)] == [1]
    # "offen" is in the list of German function words, and frequent here.
    assert read("Wann sind die Schleusen offen?", index, PLAIN).weights == {"schleus": 1}
    assert read("Schleusen locks", index, PLAIN).weights == {"schleus": 1, "schleusen": 1, "lock": 1}
    assert languages_of(["wann", "sind"], index) == ("german",)
    assert set(languages_of(["locks"], index)) == {"german", "english"}
    rare = build([german, *["Ein Boot liegt am Ufer."] * 40], language="german")
    assert read("Wann sind die Schleusen offen?", rare, PLAIN).weights == {"schleus": 1, "off": 1, "sind": 1, "die": 1}
    assert KeywordIndex.from_arrays(index.arrays()).languages == index.languages
    plain = count([[german]], "none")
    assert plain[0]["language"].tolist() == [-1]


def test_four_languages_are_found_better_by_their_own_stemmers(tongues: list[tuple[str, str, str]]) -> None:
    folder = Path(__file__).parents[1] / "data" / "tongues"
    documents = [path.read_text(encoding="utf-8") for path in sorted(folder.glob("*.md"))]
    lines = [[text[a:b] for a, b in sentences(text)] for text in documents]
    texts = [line for each in lines for line in each]

    def first(language: str) -> int:
        columns = count(lines, language)
        ends = {name: np.cumsum([0, *(len(each[name]) for each in columns)]) for name in columns[0]}
        index = merge(({name: np.concatenate([each[name] for each in columns]) for name in columns[0]}, ends))
        hits = [found(index, question, texts=texts) for _, question, _ in tongues]
        return sum(bool(row) and wanted in texts[row[0][0]] for row, (_, _, wanted) in zip(hits, tongues, strict=True))

    own, english, plain = first("auto"), first("english"), first("none")
    assert own > english > plain
    assert own >= 0.7 * len(tongues)


@pytest.fixture
def tongues() -> list[tuple[str, str, str]]:
    file = Path(__file__).parents[1] / "data" / "tongues" / "questions.tsv"
    rows = [line.split("\t") for line in file.read_text(encoding="utf-8").splitlines()]
    return [(doc, question, wanted) for doc, question, wanted in rows]


# Vectors that take less room.


def compact_of(vectors: np.ndarray, coding: Coding) -> Compact:
    columns = compacted(vectors, coding)
    return Compact(coding, columns["rows"], columns["scale"], int(columns["width"][0]))


@pytest.fixture
def vectors() -> np.ndarray:
    rows = np.random.default_rng(5).normal(size=(300, 40)).astype(np.float32)
    return rows / np.linalg.norm(rows, axis=1, keepdims=True)


def test_the_first_numbers_are_scaled_to_length_one() -> None:
    rows = np.array([[3.0, 4.0, 12.0], [0.0, 0.0, 1.0]], dtype=np.float32) / 13
    assert cut(rows, 2) == pytest.approx(np.array([[0.6, 0.8], [0.0, 0.0]]))
    assert cut(rows, 0) is not None
    assert cut(rows, 5).shape == (2, 3)


@pytest.mark.parametrize(("bits", "bytes_each"), [(32, 160), (8, 44), (1, 5)])
def test_what_a_vector_takes(vectors: np.ndarray, bits: int, bytes_each: int) -> None:
    assert compact_of(vectors, Coding(0, bits)).bytes_each == bytes_each
    assert bits in BITS


def test_eight_bits_find_nearly_the_same_and_rescored_the_same(vectors: np.ndarray) -> None:
    queries = vectors[:20] + 0.02
    true = np.argsort(-(queries @ vectors.T), axis=1, kind="stable")[:, :5]
    eight = compact_of(vectors, Coding(0, 8))
    assert np.abs(eight.decoded(0, 300) - vectors).max() < 1 / 127
    rough = compact_search(eight, vectors, queries, 5)
    assert np.mean([[n for n, _ in row] == list(wanted) for row, wanted in zip(rough, true, strict=True)]) >= 0.8
    exact = compact_search(eight, vectors, queries, 5, rescore=4)
    assert [[n for n, _ in row] for row in exact] == true.tolist()
    assert exact[0][0][1] == pytest.approx(float(queries[0] @ vectors[true[0][0]]), abs=1e-5)


def test_one_bit_counts_signs_and_estimates_the_cosine() -> None:
    rows = np.array([[1, 1, 1, 1, 1, 1, 1, 1], [1, 1, 1, 1, -1, -1, -1, -1], [-1] * 8], dtype=np.float32) / math.sqrt(8)
    one = compact_of(rows, Coding(0, 1))
    assert one.rows.tolist() == [[255], [240], [0]]
    [hits] = compact_search(one, rows, rows[:1], 3)
    # 0, 4 and 8 of 8 signs differ: cos(0) = 1, cos(π/2) = 0, cos(π) = −1 (Charikar, 2002)
    assert hits == [(0, 1.0), (1, 0.0), (2, -1.0)]
    [some] = compact_search(one, rows, rows[:1], 3, np.array([False, True, True]))
    assert [n for n, _ in some] == [1, 2]
    [again] = compact_search(one, rows, rows[:1], 1, rescore=3)
    assert again == [(0, 1.0)]


def test_one_bit_of_a_width_that_is_no_multiple_of_eight_or_sixty_four(vectors: np.ndarray) -> None:
    for keep in (5, 8, 13, 40):
        one = compact_of(vectors, Coding(keep, 1))
        [hits] = compact_search(one, vectors, vectors[7:8], 300)
        signs = vectors[:, :keep] > 0
        differ = (signs != signs[7]).sum(axis=1)
        assert [n for n, _ in hits] == np.lexsort((np.arange(300), differ)).tolist()


def test_nothing_to_search(vectors: np.ndarray) -> None:
    empty = compact_of(np.zeros((0, 4), np.float32), Coding(0, 8))
    assert compact_search(empty, np.zeros((0, 4), np.float32), vectors[:2, :4], 3) == [[], []]
    assert compact_search(compact_of(vectors, Coding(3, 32)), vectors, vectors[:0], 3) == []
