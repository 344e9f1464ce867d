"""Pages of HTML, and Markdown, which is read as one; and plain text by what its blocks look like."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.documents import Document, PackedParts, Part
from aventrik.core.errors import Unreadable
from aventrik.core.reading import read
from aventrik.core.reading.figures import reading_figures


def text_of(body: str) -> str:
    return read("a.html", f"<html><body>{body}</body></html>".encode()).text


@pytest.mark.parametrize(
    ("body", "text"),
    [
        (
            "<p>The gear<table><tr><td>a<td>b<tr><td>c<td>d</table>was renewed.",
            "The gear\n\na; b\nc; d\n\nwas renewed.",
        ),
        ("<ul><li>one<ul><li>two</ul><ul><li>three</ul></ul>", "- one\n  - two\n  - three"),
        ("<ul><li>one</li><ul><li>two</li></ul>stray<li>three</ul>", "- one\n  - two\n- stray\n- three"),
        ("<ul><li><p>one</p><p>more</p></li></ul>", "one\n\nmore"),
        ("<ul><li>run <pre>go\n  on</pre></ul>", "run\n\ngo\n  on"),
        ("<pre>a<br>b<img alt='1'> <b>c</b></pre>", "a\nb c"),
        ("<pre>go <button>Copy<svg><title>t</title></svg></button>on</pre>", "go on"),
        ("<p>a<br>b<img alt='(a lock)'>c <b>d</b><i>e</i></p>", "a b(a lock)c de"),
        ("<dl><dt>Beam<dd>4.3 m<div>wide</div></dl>", "Beam\n\n4.3 m\n\nwide"),
        ("<td>a</td><h2>Two <div>lines</div></h2>", "a\n\nTwo lines"),
        ("<h1>Fees<button>Copy</button></h1><p>Pay<script>x()</script><svg><title>t</title></svg></p>", "Fees\n\nPay"),
        ("<p>one<!-- no --><template>two</template></p><title>late</title>", "one"),
        ("<a href='#'><div>one</div><div>two</div></a>", "one\n\ntwo"),
    ],
)
def test_a_page_is_read_block_by_block(body: str, text: str) -> None:
    assert text_of(body) == text


def test_a_form_that_holds_the_page_is_read_and_one_of_fields_is_not() -> None:
    assert text_of("<form>Name <input><select><option>x</select></form><p>Locks</p>") == "Locks"
    assert text_of("<form id=page><h1>Locks</h1><p>Open at eight.</p><select><option>x</select></form>") == (
        "Locks\n\nOpen at eight."
    )


def test_what_is_beside_the_content_is_known_by_its_role_class_or_attribute() -> None:
    beside = "<div role=search>Find</div><div class='x navheader'>Next</div><div hidden>No</div>"
    beside += "<a role=button class=headerlink>¶</a><div role=note>Yes</div>"
    assert text_of(beside + "<div class=nav>Too</div>") == "Yes\n\nToo"
    nested = "<div role=navigation>" * 40 + "<a class=headerlink hidden>x</a>" * 40 + "</div>" * 40
    assert (
        read("a.html", f"<html hidden><body role=banner hidden>{nested}<p>Locks</p></body></html>".encode()).text
        == "Locks"
    )
    main = "<main><p>The beam of Hexley lock is 4.3 metres in all weathers.</p></main>"
    assert text_of(f"<p>Around it</p>{main}") == "The beam of Hexley lock is 4.3 metres in all weathers."
    assert text_of("<p>Around it</p><main>Short</main>") == "Around it\n\nShort"


def test_what_a_page_says_of_itself_becomes_metadata() -> None:
    head = "<title> Fees \n 2031</title><meta name=Author content='H. Marl'><meta name=keywords content=x>"
    found = read("a.html", f"<html lang=de><head>{head}</head><body><p>Text<p>More</body></html>".encode())
    assert (found.title, found.meta) == (
        "Fees 2031",
        {"format": "html", "encoding": "utf-8", "language": "de", "author": "H. Marl"},
    )


@pytest.mark.parametrize("body", ["", "<frameset><frame src=a></frameset>", "<script>x</script>", "<!-- only -->"])
def test_a_page_without_text_is_told(body: str) -> None:
    with pytest.raises(Unreadable, match="no text"):
        read("a.html", f"<html>{body}</html>".encode())


def test_pages_in_markdown_keep_their_tables_and_code_in_a_list_stays_code() -> None:
    source = "# Gear\n\n<table><tr><th>Lock<th>Beam<tr><td>Hexley<td>4.3</table>\n\n- first\n\n  ```\n  go  on\n  ```\n"
    found = read("a.md", source.encode())
    assert found.text == "Gear\n\nLock: Hexley; Beam: 4.3\n\nfirst\n\ngo  on"
    assert [part.kind for part in found.parts] == ["heading", "table", "row", "cell", "cell", "paragraph", "code"]


@given(st.text(alphabet="-*=~^#+1.) \nab\t", max_size=120))
def test_any_text_is_read_with_every_word_in_order_but_for_marks(source: str) -> None:
    try:
        found = read("a.txt", source.encode())
    except Unreadable:
        assert not any(letter in source for letter in "ab")
        return
    assert [letter for letter in found.text if letter in "ab"] == [letter for letter in source if letter in "ab"]
    assert all(0 <= part.start <= part.end <= len(found.text) for part in found.parts)


def test_columns_of_text_stay_as_they_stand_and_indented_lines_do_not() -> None:
    table = "Lock     Beam\nHexley   4.3\nPellbeck 2.1\n"
    assert read("a.txt", (table.replace("Pellbeck ", "Skelder   ")).encode()).of_kind("code")
    assert read("a.txt", b"   The gear\n   was renewed\n   in March.\n").text == "The gear was renewed in March."


def test_the_figures_of_a_reading_are_those_of_a_plain_count() -> None:
    text = "a\x07b (cid:12) c\ufffd \ue000 d\x85e\n\nf"
    assert reading_figures(Document("a", text))["odd"] == round((1 + 8 + 1 + 1 + 1) / len(text), 4)
    plain = "a\x07b\tc d\x7f"
    assert reading_figures(Document("a", plain))["odd"] == round(2 / len(plain), 4)
    parts = (Part("heading", 0, 1), Part("table", 2, 9), Part("page", 0, 9, label="1"))
    figures = reading_figures(Document("a", "a b  c\nd", parts))
    assert [figures[name] for name in ("pages", "words", "tables", "headings", "thin_pages")] == [1, 4, 1, 1, [1]]


def test_the_key_hangs_on_text_title_and_parts_alone() -> None:
    part = Part("paragraph", 0, 1)
    one = Document("a", "ab", (part,), "t", {"x": 1})
    assert one.key == Document("b", "ab", (part,), "t").key
    others = [Document("a", "a", (part,), "bt"), Document("a", "ab", (), "t"), Document("a", "ab", (part,), "")]
    assert len({one.key, *(other.key for other in others)}) == 4
    assert tuple(PackedParts(lambda: json.loads(one.packed_parts))) == tuple(one.parts)


def test_half_of_a_surrogate_pair_in_a_record_becomes_a_replacement_character() -> None:
    line = '{"id": "x\\ud800", "text": "lock \\ud800", "title": "gear \\udc00", "a\\udc00": ["b\\ud800"], "c": {"d": "\\ud800"}}'
    found = read("a.jsonl", line.encode())
    assert (found.name, found.text, found.title) == ("a.jsonl#x\ufffd", "gear \ufffd\n\nlock \ufffd", "gear \ufffd")
    assert (found.meta["a\ufffd"], found.meta["c"]) == (["b\ufffd"], '{"d": "\ufffd"}')
    assert found.key == read("a.jsonl", '{"text": "lock \ufffd", "title": "gear \ufffd"}'.encode()).key
