"""Questions from titles of sections: words that people chose for what a section is about, apart from its sentences."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from ...core.documents import Document
from ...core.documents.spans import Range
from ...core.testsets import Need, Quoted
from ...core.testsets.drafting.offers import Offer
from ...core.testsets.drafting.usage import Usage
from ...core.text import STOP_WORDS, content_terms
from ...core.wording.nouns import is_plural
from ...core.wording.thesaurus import VERBS
from .sections import Section, sections

_NUMBER = re.compile(
    r"^(?:(?:chapter|part|section|appendix|annex|schedule|step|article|lesson|unit|module)\s+(?:\d+|[ivxlc]+|[a-z])\b[.:)\s–—-]*|"
    r"(?:\d+(?:\.\d+)*|[A-Z](?:\.\d+)+|[ivxlc]+)[.):]*\s+)+",
    re.IGNORECASE,
)
# Titles that tell what part of a document follows, not what it is about.
_PARTS = frozenset(
    """introduction overview about preface foreword summary abstract background contents notes note remarks general
    generalities miscellaneous misc other others example examples see also references reference bibliography links
    further reading resources appendix appendices glossary index conclusion conclusions description synopsis usage options
    details detail common basic special simple advanced custom various several useful main problems issues uses use ways
    concepts concept terms types type kinds features definitions definition terminology scope purpose
    acknowledgements acknowledgments credits authors author
    history changelog changes copyright license licence legal contact contacts support feedback questions faq faqs answers
    tips hints tricks caveats warning warnings bugs todo discussion related more basics getting started next steps files
    environment configuration commands arguments parameters returns exceptions prerequisites requirements news important
    technical information quick start guide tutorial manual documentation this document section chapter page the a an of
    and for to in on""".split()
)
_CODE = re.compile(r"[{}\[\]<>|=\\^~#@*`]|::|\w\(|--\w|^[.$%&]|\w+_\w+|\w/\w+/|;")
_ORPHAN = re.compile(
    r"^(?:an? )?(?:first|quick|some|more|other|another|further|additional|extra|example|examples)\b|"
    r"\b(?:this|these|those|above|below|following|previous|such|here|it|its|them|they|"
    r"their|he|she|my|our|his|her|same|another|"
    r"continued|cont'd|i|ii|iii|iv)\b|…|\.\.\.",
    re.IGNORECASE,
)
# What sort of text it is stands before or behind what it is about: 'An overview of X', 'X tutorial'.
_OPENS = re.compile(
    r"^(?:an?|the|some|more|brief|short|quick|first|general|basic|few|\s)*(?:overview|introduction|summary|guide|basics|notes?|"
    r"remarks?|information|details?|hints?|tips|primer|look|steps|examples?|words?|list|history)\s+(?:of|to|on|for|about|at|towards)\s+"
    r"(?:the |an? )?",
    re.IGNORECASE,
)
_GENRE = re.compile(
    r"\s+(?:HOWTO|FAQ|tutorial|guide|manual|cookbook|handbook|overview|introduction|basics|primer|details)$",
    re.IGNORECASE,
)
_GENRE_BEFORE = re.compile(r"^(?:HOWTO|FAQ|Tutorial|Primer)[:\s–—-]+(?=\S+ \S)")
_ASIDE = re.compile(r"\s*\([^()]*\)$")
_ARTICLE = re.compile(r"^(?:the|a|an)\s+", re.IGNORECASE)
_PREPOSITION = re.compile(
    r"^(?:after|before|in|on|at|under|with|without|for|from|during|between|by|if|to|no|not)\b", re.IGNORECASE
)
_PHRASE = re.compile(
    r"\s(?:of|for|in|on|at|with|by|from|to|and|or|under|after|before|during|without|between|as|than|versus|vs|"
    r"providing|using|containing|requiring|having|present|available|installed|that|which)\s"
)
_DETERMINERS = frozenset(
    """a an the your our their its his her this that these those each every all any some no one two three more new with to
    up down out off from into between about against""".split()
)
_RELATING = frozenset(
    "corresponding according relating regarding concerning including following missing existing".split()
)
_NO_OBJECT = frozenset("of and or in at for on by is are as from via".split())
# Nouns that name what something is for when a word in -ing stands before them: opening hours, building blocks.
_DONE_THINGS = frozenset(
    """hours rules tools tips times time season area areas place places point points ground grounds condition conditions fee fees
    system systems scheme schemes process processes method methods technique techniques issue issues problem problems errors
    error club school machine room rooms block blocks level levels flow cookbook tutorial guide style styles order strategy
    strategies option options limit limits period periods stage stages cost costs list lists plan plans test tests table
    tables mode modes range unit units""".split()
)
# A title that says only that a list follows.
_LISTING = re.compile(r"\b(?:index|indexes|indices|contents)$", re.IGNORECASE)
_AND_DOING = re.compile(r"\band (\w+ing) ")
_LEANS = re.compile(
    r"\b(?:this|these|those|above|below|following|previous|such|here|it|them|they|its)\b", re.IGNORECASE
)
_RULE = re.compile(r"\b(?:must|may not|must not|shall|is not allowed|are not allowed|prohibited|forbidden)\b")
# Nouns of what is not counted, by their endings: 'What is encryption?', not 'the' or 'an'.
_MASS = re.compile(
    r"(?:ing|ion|ment|ness|ity|ance|ence|ism|cy|ship|ware|ics|data|information|usage|storage|advice|music|software|traffic|access|"
    r"help|support|syntax|grammar|memory|time|work|law|water|fuel|ice|fire|waste|text|mail|email|code|security|history|html|xml)$"
)
# A headline has a verb of its own: 'bridge works again', 'berths closed', 'levels stand at'.
_HEADLINE = re.compile(
    r"^\w+(?: [\w'’]+)* (?:works|stands?|opens?|closes?|closed|opened|begins?|begun|ends?|wanted|tested|replaced|renewed|"
    r"confirmed|allowed|cancelled|moved|decided|is|are|was|were|has|have|will|must|may|can|"
    r"should|do|does|again|today|tomorrow|from \w+|until)\b",
)
_ASKING = re.compile(r"^(?:how|what|why|when|where|who|whose|which|whether)\b", re.IGNORECASE)
_LONGEST = 14
_SENTENCE = 400  # characters of a sentence that is quoted as an answer


def cleaned(title: str) -> str:
    """A title without its number, its anchor mark and the stop at its end."""
    plain = " ".join(title.replace("¶", " ").split())
    plain = _NUMBER.sub("", plain).strip(" .:–—-")
    if len(plain) > 1 and plain[0] in '"“' and plain[-1] in '"”':
        plain = plain[1:-1]
    plain = _ASIDE.sub("", plain) or plain
    plain = _GENRE_BEFORE.sub("", plain)
    bare = _GENRE.sub("", _OPENS.sub("", plain)).strip(" .:–—-")
    return bare[:1].upper() + bare[1:] if bare else plain


def question_of(section: Section, text: str, usage: Usage) -> tuple[str, str]:
    """(question, what it was made of) for the title of a section in its document's `text`; ("", "") where the title tells
    too little: it names a part of any document, leans on what stands around it, or is code.

    A title that asks stays as it is. 'Making a backup' and 'Make a backup' ask how; a noun phrase asks what it is, which
    there are, or what the rules are, by what the body says; other titles are words for a search. One telling word alone
    is asked for with the heading over it.
    """
    plain, place = cleaned(section.title), ""
    if plain.endswith("?"):
        return (plain, "") if plain.count("?") == 1 and _whole_question(plain) else ("", "")
    if not tells(plain):
        place = _place(plain, section, usage)
        if not place:
            return "", ""
    if "?" in plain:
        return "", ""
    question, frame = _phrased(plain, section, text, usage, bool(place))
    return (_at(question, place), _at(frame, place) if frame else "") if question and place else (question, frame)


def _phrased(plain: str, section: Section, text: str, usage: Usage, short: bool) -> tuple[str, str]:
    bare = spoken(plain, usage)
    first, _, rest = bare.partition(" ")
    if first.lower() == "how" and rest.startswith("to "):
        return f"How do I {rest.removeprefix('to ')}?", rest.removeprefix("to ")
    if _ASKING.match(plain):
        return _asked(bare), ""
    if not set(',:;()–—"“”').isdisjoint(plain) or " - " in plain:
        return _searched(bare), ""
    doing = verb_phrase(bare, usage)
    if doing:
        doing = re.sub(r"\byour\b", "my", doing)
        return f"How do I {doing}?", doing
    if _HEADLINE.search(plain):
        return ("", "") if any(c.isdigit() for c in plain) and len(plain.split()) < 6 else (_searched(bare), "")
    return _about(bare, section, text, usage, short), ""


def _at(question: str, place: str) -> str:
    """A question, or what it was made of, with a place at its end."""
    if question.endswith(" are there?"):
        return f"{question.removesuffix(' are there?')} are there in {place}?"
    return f"{question[:-1]} in {place}?" if question.endswith("?") else f"{question} in {place}"


def tells(plain: str) -> bool:
    """Whether a cleaned title tells by itself what its section is about."""
    return _sound(plain) and _weight(plain) >= 2


def _sound(plain: str) -> bool:
    words = plain.split()
    if (
        len(plain) < 3
        or len(words) > _LONGEST
        or _CODE.search(plain)
        or _ORPHAN.search(plain)
        or _LISTING.search(plain)
    ):
        return False
    return sum(c.isalpha() for c in plain) >= 0.7 * len(plain.replace(" ", ""))


def _weight(plain: str) -> int:
    """How many words say more than which part of a document it is."""
    telling = {word for word in re.findall(r"[^\W\d_]+", plain.lower()) if word not in _PARTS}
    return min(len(telling), len(set(content_terms(plain))))


def _whole_question(plain: str) -> bool:
    """Whether a heading that asks can be understood without what stands around it."""
    return len(plain.split()) >= 3 and bool(content_terms(plain)) and not _LEANS.search(plain)


def _place(plain: str, section: Section, usage: Usage) -> str:
    """For a title of one telling word the nearest heading over it that tells more; empty where there is none."""
    if not _sound(plain) or _weight(plain) != 1 or plain.endswith("?"):
        return ""
    for over in reversed(section.path):
        place = cleaned(over)
        if _sound(place) and _weight(place) >= 1 and not set(content_terms(place)) & set(content_terms(plain)):
            fits = (_weight(place) >= 2 or usage.is_name(place)) and not set(",:;()?–—").intersection(place)
            return spoken(place, usage) if fits and not place.lower().endswith("ing") else ""
    return ""


def _asked(bare: str) -> str:
    """A title that begins with a question word."""
    word, _, rest = bare.partition(" ")
    if word.lower() in ("when", "if"):
        return f"What should I do {word.lower()} {rest}?"
    if rest.startswith("to "):
        return f"{word.capitalize()} do I {rest.removeprefix('to ')}?"
    return f"Can you tell me {word.lower()} {rest}?"


def verb_phrase(bare: str, usage: Usage) -> str:
    """'make a backup' of 'Making a backup' or 'make a backup'; empty for a noun phrase ('opening hours')."""
    first, _, rest = bare.partition(" ")
    if not rest or first.isupper() or first.lower() in STOP_WORDS or first.lower() in _RELATING:
        return ""
    rest = _AND_DOING.sub(lambda found: f"and {usage.plain(found[1].lower()) or found[1]} ", rest)
    if _AND_DOING.search(rest):
        return ""
    two = re.match(r"and (\w+) (?=\w)", rest)  # 'opening and closing gates'
    if two and first.lower().endswith("ing") and two[1] in VERBS and usage.plain(first.lower()):
        return f"{usage.plain(first.lower())} {rest}"
    then = rest.split()[0].lower()
    if then in _NO_OBJECT:
        return ""
    sure = then in _DETERMINERS
    if first.lower().endswith("ing"):
        doing = usage.plain(first.lower())
        compound = usage.pairs[f"{first.lower()} {then}"] or (
            rest.split()[-1].lower() in _DONE_THINGS and len(rest.split()) == 1
        )
        return f"{doing} {rest}" if doing and (sure or not compound) else ""
    if first.lower().endswith("ly") and then.endswith("ing"):  # 'temporarily suppressing warnings'
        doing = verb_phrase(rest, usage)
        return f"{first.lower()} {doing}" if doing else ""
    doing = first.lower()
    plural = doing.endswith("s") and not doing.endswith("ss")
    if (sure and not plural and usage.verbs[doing] > usage.nouns[doing]) or (
        usage.is_verb(doing) and not usage.pairs[f"{doing} {then}"] and len(rest.split()) > 1
    ):
        return f"{doing} {rest}"
    return ""


def spoken(plain: str, usage: Usage) -> str:
    """The title as it would stand inside a sentence: capitals are left to names. Where not every word of a title has one,
    those behind the first are names."""
    letters = [c for c in plain if c.isalpha()]
    if " " in plain and sum(c.isupper() for c in letters) > 0.8 * len(letters):
        plain = plain.lower()
    words = plain.split()
    longer = [word for word in words[1:] if word[:1].isalpha() and len(word) > 3]
    every = bool(longer) and all(word[:1].isupper() for word in longer)
    found = []
    for place, word in enumerate(words):
        bare = re.sub(r"['’]s$|\W+", "", word)
        named = place == 0 and len(words) > 1 and words[1][:1].isupper() and not every
        keep = not bare or usage.is_name(bare) or (place > 0 and not every) or (named and not usage.verbs[bare.lower()])
        found.append(word if keep or not word[:1].isupper() else word[:1].lower() + word[1:])
    return " ".join(found)


def _searched(bare: str) -> str:
    """The words of a title that is no phrase, as they are typed into a search box."""
    words = re.sub(r"\s+[-–—]\s+|[,:;()–—\"“”]", " ", bare).split()
    return " ".join(word for word in words if word not in ("the", "a", "an"))


def _about(bare: str, section: Section, text: str, usage: Usage, short: bool) -> str:
    """A question for a noun phrase, by what the section's body does with it; a `short` one is asked for at a place, and
    only where the body says what it is or which rules there are, or where it is a name."""
    plain = _ARTICLE.sub("", bare)
    last = _PHRASE.split(plain)[0]
    long = last != plain
    head = last.split()[-1].lower()
    plural = is_plural(head)
    body = text[section.body[0] : section.body[1]]
    together = bool(re.search(r"\b(?:and|or|versus|vs)\b", plain))
    rules = len(_RULE.findall(body)) >= max(2, len(section.sentences) // 3)
    defined = _is_defined(plain, body)
    opening = plain.split()
    if long and plain == bare and not usage.is_name(opening[0]) and not opening[0].endswith("ing") and not together:
        bare = f"the {bare}"
    if rules:
        return f"Which rules apply to {bare}?"
    if short and not defined and not usage.is_name(plain):
        return ""
    if plural and not together and not short and section.items >= 3 and section.items >= len(section.sentences) // 2:
        return f"What are {bare}?" if long else f"Which {_COUNTED.sub('', plain)} are there?"
    if together or _PREPOSITION.match(plain):
        return _searched(plain) if len(plain.split()) > 2 else f"What is there to know about {plain}?"
    if opening[0].lower().endswith("ly") or (plain.endswith("ed") and len(opening) > 2):
        return _searched(plain)
    if opening[0].lower().endswith("ing") and len(opening) > 1 and opening[1].lower() not in _DONE_THINGS:
        return _searched(plain)
    if plural:
        return f"What are {bare}?"
    if is_process(head) and not defined:
        return f"How does {bare} work?" if not _STATE.match(opening[0]) else _searched(plain)
    if short and " " not in bare:
        named = usage.is_name(bare) or bare == section.title.split()[-1] or _MASS.search(head)
        return f"What is {bare}?" if named else f"What is the {bare}?"
    if plain != bare or usage.is_name(opening[0]) or _MASS.search(head):
        return f"What is {bare}?"
    if not usage.counted(head):
        return f"What is the {bare}?"
    return f"What is {'an' if plain[:1].lower() in 'aeio' else 'a'} {plain}?"


_COUNTED = re.compile(r"^(?:two|three|four|five|six|seven|eight|nine|ten|\d+) ", re.IGNORECASE)
# What has been done to a thing, or how it is: 'failed installation' is no process.
_STATE = re.compile(r"(?:\w+ed|broken|missing|lost|wrong|bad)$", re.IGNORECASE)
_PROCESSES = frozenset(
    """setup conversion migration encryption decryption authentication authorisation authorization compression integration
    detection installation configuration reconfiguration negotiation implementation compilation translation isolation
    allocation execution resolution""".split()
)
_NOMINAL = re.compile(r"(?P<stem>\w{3,})(?P<ending>ation|ion|ment|al)$")


def is_process(noun: str) -> bool:
    """Whether a noun names a doing, such as 'configuration': it is made of an everyday verb."""
    if noun in _PROCESSES:
        return True
    again = noun.removeprefix("re")
    found = _NOMINAL.match(again if again.endswith("ion") else noun)
    return found is not None and (found["stem"] in VERBS or f"{found['stem']}e" in VERBS)


def _is_defined(plain: str, body: str) -> bool:
    """Whether a body says of what its title names that it is something: 'A fender is …'."""
    thing = r"\s+".join(re.escape(word) for word in plain.split())
    said = re.search(
        rf"(?:^|[.:]\s+|\n)(?:(?:The|An?) )?[\"'“‘`*]*{thing}[\"'”’`*]* (?:is|are) (?!not\b|used\b|set\b)",
        body,
        re.IGNORECASE,
    )
    return said is not None


def of_titles(document: Document, usage: Usage, questions_only: bool = False) -> Iterator[Offer]:
    """A question for each section whose title tells what it is about, with any sentence of its body as evidence. The
    title itself is hidden. With `questions_only`, only for titles that ask."""
    for section in sections(document):
        plain = cleaned(section.title)
        if questions_only and not plain.endswith("?"):
            continue
        question, frame = (plain, "") if questions_only else question_of(section, document.text, usage)
        if not question or not content_terms(question):
            continue
        text = document.text
        spans = tuple(Quoted(document.name, start, end, text[start:end]) for start, end in section.sentences)
        answer = " ".join(text[start:end] for start, end in _main(section, text))
        asked = plain.endswith("?")
        yield Offer(
            question=question,
            answer=answer,
            kind="passage",
            needs=(Need(plain, spans),),
            rule="heading" if asked else "title",
            style="question" if question.endswith("?") else "search",
            hide=(Quoted(document.name, *section.heading, section.title),),
            topic=cleaned(section.path[-1]) if section.path else plain,
            frame=frame,
        )


def _main(section: Section, text: str) -> list[Range]:
    """The one or two sentences that hold most of what the body repeats and of what the title says, in order."""
    terms = {place: content_terms(text[place[0] : place[1]]) for place in section.sentences}
    often = Counter(term for found in terms.values() for term in found)
    titled = set(content_terms(section.title))

    def worth(place: Range) -> float:
        here = set(terms[place])
        return sum(often[term] + 2 * (term in titled) for term in here) / (8 + len(terms[place]))

    best = sorted(section.sentences, key=worth, reverse=True)[:2]
    return sorted(place for place in best if place[1] - place[0] <= _SENTENCE) or [section.sentences[0]]
