"""Letters that Unicode can write in several ways are one, and places stay those of the text as it stands."""

from __future__ import annotations

import unicodedata

from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.documents.relocating import relocated
from aventrik.core.reading.builder import TextBuilder
from aventrik.core.testsets import Need, Question, Quoted
from aventrik.core.text import terms
from aventrik.core.text.composing import composed, composed_with_places
from aventrik.pipeline.sources import sources_of

NFC = "Die Schleuse in Köln öffnet um acht."
NFD = unicodedata.normalize("NFD", NFC)
LETTERS = st.text("aeo\u0301\u0308\u0327 ñÅ\u212b\u1100\u1161\u11a8가각\n", max_size=12)


@given(LETTERS)
def test_each_composed_letter_begins_where_what_it_is_made_of_does(text: str) -> None:
    whole, places = composed_with_places(text)
    assert whole == unicodedata.normalize("NFC", text)
    assert len(places) == len(whole) + 1
    assert places == sorted(places)
    for place in range(len(whole)):
        piece = text[places[place] : next((p for p in places[place:] if p > places[place]), len(text))]
        assert whole[place] in unicodedata.normalize("NFC", piece)


def test_a_composed_text_stays_the_same_object() -> None:
    assert composed(NFC) is NFC
    assert composed(NFD) == NFC


def test_documents_and_questions_are_read_in_one_form() -> None:
    builder = TextBuilder()
    builder.heading(NFD, 1)
    builder.paragraph(NFD)
    builder.code(NFD)
    builder.table([NFD], [[NFD]])
    assert unicodedata.is_normalized("NFC", builder.finish("a").text)
    asked = Question("q", NFD, NFD, (Need("", (Quoted("a", 0, 4, NFD),)),), before=(NFD,))
    sources = sources_of(asked, lambda name: "in")
    assert terms(sources["wording"].text) == terms(NFC) != terms(NFD)
    assert sources["turns"].before == (NFC,)
    assert sources["reference"].facts == (NFC,)


def test_a_quote_in_the_other_form_is_found_at_its_place() -> None:
    for quote, text in ((NFC, f"Seite 1\n\n{NFD} Ende"), (NFD, f"Seite 1\n\n{NFC} Ende")):
        found = relocated(quote, -1, -1, text)
        assert found is not None
        start, end = found.place
        assert unicodedata.normalize("NFC", text[start:end]) == NFC
