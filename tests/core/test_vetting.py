"""Findings: each on a document made to show it, and silent on its neighbours."""

from __future__ import annotations

import random

import numpy as np
import pytest

from aventrik.core.documents import Document
from aventrik.core.reading import read
from aventrik.core.vetting import Finding, vet
from aventrik.core.vetting.copies import differences, in_order
from aventrik.core.vetting.language import guess
from aventrik.core.vetting.minhash import jaccard, shingles, similar_pairs
from aventrik.core.vetting.personal import iban, luhn, personal_data

PROSE = """The keeper opens the gate at eight and closes it when the last boat has gone through. Boats wait below the
lock until the chamber is empty. The level is read every morning and written into the book that hangs in the hut. When
the wind is strong the bridges stay closed, and boats must wait at the landing until the keeper waves them on."""
TOPICS = {
    "locks.md": PROSE,
    "fees.md": "A licence for a year is sold at the help desk. The fee hangs on the length of the boat and is paid in full. "
    "A discount is given when the licence is renewed in time, and none when it is late.",
    "angling.md": "Anglers must hold a rod licence and a day ticket from the club. The close season runs in spring, and no "
    "fishing is allowed near a lock or in a winding hole while boats are turning.",
    "towpath.md": "The path is open to walkers at all hours. Cyclists give way to walkers and dismount under the bridges. "
    "Dogs are kept on a lead near the lock, and fallen trees are reported to the desk.",
}


def corpus(**more: str) -> list[Document]:
    texts = {**TOPICS, **{name.replace("__", "/").replace("_md", ".md"): text for name, text in more.items()}}
    return [read(name, text.encode()) for name, text in sorted(texts.items())]


def found(kind: str, documents: list[Document]) -> dict[str, Finding]:
    return {each.document: each for each in vet(documents) if each.kind == kind}


def test_ordinary_documents_raise_nothing() -> None:
    assert [each.kind for each in vet(corpus())] == []


def test_an_exact_copy_is_found_but_for_white_space_and_case() -> None:
    documents = corpus(old__copy_md=PROSE.upper().replace("\n", "  \n"))
    hits = found("exact copy", documents)
    assert {name: each.other for name, each in hits.items()} == {"old/copy.md": "locks.md"}


def test_a_near_copy_names_its_source_and_tells_its_figures_first() -> None:
    source = PROSE + " The fee is 5 pounds here."
    copy = PROSE.replace("every morning", "every evening") + " The fee is 7 pounds here."
    documents = [read("near.md", copy.encode()), read("source.md", source.encode())]
    [hit] = [each for each in vet(documents) if each.kind == "near copy"]
    assert (hit.document, hit.other) == ("source.md", "near.md")
    first, second = differences(documents[1], documents[0])
    assert (first["figures"], first["here"], first["there"]) == (True, "7", "5")
    assert second["figures"] is False
    assert "evening" in second["sentence"]
    assert "morning" in second["against"]


def test_the_newer_edition_is_kept_and_the_older_contradicts_it() -> None:
    new = "---\nedition: 2031\n---\n# Moorings\n\n" + PROSE + "\n\nAn overstay at the basin is charged at £25 a day.\n"
    old = "---\nedition: 2026\n---\n# Moorings\n\n" + PROSE + "\n\nAn overstay at the basin is charged at £15 a day.\n"
    documents = corpus(a__moorings_md=new, b__moorings_md=old)
    superseded = found("superseded", documents)
    assert {name: each.other for name, each in superseded.items()} == {"b/moorings.md": "a/moorings.md"}
    [clash] = found("contradicts", documents).values()
    assert (clash.details["differs"][0]["here"], clash.details["differs"][0]["there"]) == ("15", "25")
    text = next(d.text for d in documents if d.name == "b/moorings.md")
    assert text[slice(*clash.spans[0])] == "An overstay at the basin is charged at £15 a day."


def test_of_many_later_editions_the_newest_alone_is_named() -> None:
    def notice(number: int) -> str:
        return (
            f"---\nissued: 2031-0{number}-01\n---\n# Deficit stands at {number}7\n\nThe deficit of the reservoirs stood at "
            f"{number}7 megalitres on Monday. There are no measures on the arm, and boaters are asked to share the locks.\n"
        )

    documents = corpus(**{f"n{number}_md": notice(number) for number in range(1, 5)})
    superseded = found("superseded", documents)
    assert {name: each.other for name, each in superseded.items()} == dict.fromkeys(
        ["n1.md", "n2.md", "n3.md"], "n4.md"
    )
    clashes = found("contradicts", documents)
    assert {name: each.details["differs"][0]["here"] for name, each in clashes.items()} == {
        "n1.md": "17", "n2.md": "27", "n3.md": "37",
    }  # fmt: skip


SUBJECTS = {
    "locks": "gate paddle chamber cill keeper windlass",
    "fees": "licence fee discount renewal charge invoice",
    "fish": "angler rod peg pike keepnet bailiff",
    "path": "cyclist walker dog horse barrier gravel",
    "music": "choir tenor madrigal concert rehearsal piano",
    "food": "canteen lentil coffee cheese kettle scone",
}


def told(subject: str, draw: random.Random, sentences: int) -> str:
    words = SUBJECTS[subject].split()
    shared = "office"
    lines = [
        f"The {draw.choice(words)} and the {draw.choice(words)} need the {draw.choice(words)} of the {draw.choice(shared.split())}."
        for _ in range(sentences)
    ]
    return " ".join(lines)


def test_a_collection_of_unlike_pieces_has_mixed_topics() -> None:
    draw = random.Random(5)
    names = [f"{subject}{n}" for subject in ("locks", "fees", "fish", "path") for n in range(3)]
    documents = [
        read(f"{name}.md", "\n\n".join(told(name[:-1], draw, 12) for _ in range(5)).encode()) for name in names
    ]
    pieces = "\n\n".join(told(subject, draw, 12) for subject in ("music", "fees", "food", "path", "fish"))
    documents.append(read("newsletter.md", pieces.encode()))
    hits = [each for each in vet(documents) if each.kind == "mixed topics"]
    assert [each.document for each in hits] == ["newsletter.md"]
    text = documents[-1].text
    assert all(0 <= start < end <= len(text) for start, end in hits[0].spans)
    assert 0.5 <= hits[0].confidence <= 0.95


def test_few_or_short_documents_have_no_mixed_topics() -> None:
    draw = random.Random(6)
    documents = [read(f"{name}.md", told(name, draw, 40).encode()) for name in ("locks", "music", "food")]
    assert [each for each in vet(documents) if each.kind == "mixed topics"] == []


def test_without_a_date_the_shorter_name_is_kept() -> None:
    a, b = Document("a/long/name.md", "x"), Document("b.md", "x")
    assert in_order(a, b) == (b, a)


def test_garbled_short_foreign_and_chatty_documents() -> None:
    draw = random.Random(1)
    letters = "bcdfghjklmnpqrstvwxz0123456789#~|^"
    garbled = " ".join("".join(draw.choices(letters, k=draw.randint(4, 9))) for _ in range(80))
    documents = corpus(
        scan_md=garbled,
        tiny_md="See the office.",
        german_md="Die Schleuse ist von acht bis siebzehn Uhr offen und das Boot muss mit dem Schleusenwärter warten, "
        "der die Tore öffnet. Der Pegel wird jeden Morgen gelesen und in das Buch geschrieben.",
        chat_md="hey guys lol the lock was soooo slow!!! gonna bring cake on friday, thx mate :) see u there??",
    )
    kinds = {each.document: each.kind for each in vet(documents)}
    assert kinds["scan.md"] == "garbled"
    assert kinds["tiny.md"] == "too short"
    assert kinds["german.md"] == "other language"
    assert kinds["chat.md"] == "informal"
    assert not set(kinds) & set(TOPICS)


def test_boilerplate_is_what_many_documents_share() -> None:
    notice = "This page belongs to the Trust and may be copied for private use if its source is named in full."
    more = {f"n{n}_md": f"{notice}\n\nNotice {n} tells of works at the {word} lock in week {n}, boats wait below." for n, word in
            enumerate("upper lower middle northern".split())}  # fmt: skip
    assert set(found("boilerplate", corpus(**more, page_md=notice))) == {"page.md"}


@pytest.mark.parametrize(
    ("text", "language"),
    [(PROSE, "English"), ("Le bateau est dans le bassin et les portes de la vanne sont fermées pour la nuit.", "French"),
     ("12 34 56", "")],
)  # fmt: skip
def test_languages_are_told_by_function_words(text: str, language: str) -> None:
    assert guess(text)[0] == language


def kinds(text: str) -> list[str]:
    return [kind for kind, _ in personal_data(text)]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("Write to jo.marlow@tarrow.example now.", ["e-mail address"]),
        ("Write to info@tarrow.example now.", []),
        ("Call 020 7946 0958 after six.", ["telephone number"]),
        ("Call +44 20 7946 0958.", ["telephone number"]),
        ("Card 4111 1111 1111 1111 was used.", ["card number"]),
        ("Card 4111 1111 1111 1112 was used.", []),
        ("NI number AB 12 34 56 C.", ["national insurance number"]),
        ("IBAN GB82 WEST 1234 5698 7654 32 it is.", ["bank account (IBAN)"]),
        ("IBAN GB83 WEST 1234 5698 7654 32 it is.", []),
        ("Order 2031-04-12, lock 7, 1,250.00 pounds, gauge 1.95.", []),
        ("Version 10.2.33.4 of 2022-12-17 has 0800 to 1600 in it.", []),
    ],
)
def test_personal_data_by_kind(text: str, wanted: list[str]) -> None:
    assert kinds(text) == wanted


def test_names_beside_personal_data_are_shown_too() -> None:
    [hit] = found(
        "personal data", corpus(staff_md="Rota of the Trust.\n\nJo Marlow, jo.marlow@tarrow.example, basin hut.")
    ).values()
    assert hit.details == {"e-mail address": 1, "name beside them": 1}


def test_check_digits_by_published_examples() -> None:
    assert luhn("79927398713")
    assert not luhn("79927398710")
    assert iban("GB82WEST12345698765432")
    assert not iban("GB82WEST12345698765431")


def test_shingles_and_jaccard_by_hand() -> None:
    a, b = shingles("one two three four five"), shingles("two three four five six")
    assert (len(a), len(b)) == (3, 3)
    assert jaccard(a, b) == pytest.approx(2 / 4)
    assert jaccard(a, shingles("")) == 0.0


def test_similar_pairs_are_those_of_comparing_all_with_all() -> None:
    draw = random.Random(3)
    words = [f"w{n}" for n in range(400)]
    texts = [draw.choices(words, k=60) for _ in range(60)]
    for n in range(40):
        copy = list(texts[n % 60])
        for place in draw.sample(range(60), draw.randint(0, 14)):
            copy[place] = draw.choice(words)
        texts.append(copy)
    sets = [shingles(" ".join(text)) for text in texts]
    slow = {(a, b) for a in range(100) for b in range(a + 1, 100) if jaccard(sets[a], sets[b]) >= 0.5}
    quick = {(a, b) for a, b, _ in similar_pairs(sets, 0.5)}
    assert quick <= slow
    assert len(quick) >= 0.98 * len(slow) > 10


def test_many_equal_texts_do_not_make_the_work_explode() -> None:
    sets = [shingles("the very same words again and again")] * 3000
    assert len(similar_pairs(sets, 0.5)) <= 6000
    assert similar_pairs([np.zeros(0, np.uint64)] * 5, 0.5) == []
