"""Languages: which one a text is in, how its words are stemmed, and which of them are function words."""

from __future__ import annotations

import unicodedata
from collections import Counter
from functools import lru_cache

import Stemmer

from .word import STOP_WORDS, WORD

ENGLISH = "english"
AUTO, NONE = "auto", "none"

# language: its code in ISO 639-1. Of those that the stemmer knows, and of others whose words stand as they are.
CODES = {
    "arabic": "ar", "armenian": "hy", "basque": "eu", "catalan": "ca", "czech": "cs", "danish": "da", "dutch": "nl",
    "english": "en", "esperanto": "eo", "estonian": "et", "finnish": "fi", "french": "fr", "german": "de", "greek": "el",
    "hindi": "hi", "hungarian": "hu", "indonesian": "id", "irish": "ga", "italian": "it", "lithuanian": "lt",
    "nepali": "ne", "norwegian": "no", "persian": "fa", "polish": "pl", "portuguese": "pt", "romanian": "ro",
    "russian": "ru", "serbian": "sr", "sesotho": "st", "spanish": "es", "swedish": "sv", "tamil": "ta", "turkish": "tr",
    "yiddish": "yi", "bulgarian": "bg", "chinese": "zh", "hebrew": "he", "japanese": "ja", "korean": "ko", "thai": "th",
    "ukrainian": "uk", "vietnamese": "vi", "welsh": "cy",
}  # fmt: skip
# Every language by a number that is kept in indexes: new ones are added at the end.
NUMBERED = tuple(CODES)

# Words by which a language is told from others of its script.
_TELLING = {
    "english": "the of and to in is for that on with be are as at by this from or an it not which must may",
    "german": "der die und das den von zu mit sich des auf für ist im dem nicht ein eine als auch es werden bei",
    "french": "le la les de des et en un une du dans est pour que qui par sur au avec plus ne pas sont ou",
    "spanish": "el la los las de que y en un una por con no para su se es del al lo como más son",
    "italian": "il lo la i gli le di che e un una per con non del della si è sono dei al nel come più",
    "dutch": "de het een en van in is op te dat die voor met niet zijn aan er door bij om ook als",
    "portuguese": "o a os as de que e em um uma para com não do da no na se é dos por mais são",
    "polish": "i w z na do nie się jest to że o od po za dla jak przez przy oraz są lub może",
    "welsh": "y yr yn a i o ar ac mae bod wedi ei eu gan am na nad hyn sydd neu fydd rhaid",
    "swedish": "och i att det som en på är av för med den till inte har de ett om eller vid kan",
    "danish": "og i at det er en på af for med den til ikke har de et om eller ved kan som der",
    "norwegian": "og i å det er en på av for med den til ikke har de et om eller ved kan som skal ble",
    "finnish": "ja on ei että se oli joka ovat myös kun tai mutta sen ole voi niin jos hän kuin tämä",
    "czech": "a v na je se to že s z do o i k pro jako by jsou ve od po za nebo při podle jeho",
    "romanian": "și în de la a cu pe un o că nu este din care pentru mai sunt ce se prin sau au",
    "hungarian": "a az és hogy nem is egy van meg ez csak vagy de azt mint el már volt kell lehet",
    "turkish": "ve bir bu için ile da de olarak en daha olan gibi kadar çok ne var her veya ise değil",
    "catalan": "el la els les de que i en un una per amb no es del al com més són és ha pel dels",
    "basque": "eta da ez du bat dira izan ere den baina bere dute edo hau zen baino egin behar",
    "estonian": "ja on ei et see oma ka kui või mis aga ning seda oli ole siis välja selle kes",
    "lithuanian": "ir yra kad su iš į ne tai kaip bet už apie nuo arba jei buvo bus yra ar per",
    "indonesian": "yang dan di dengan untuk pada ini itu dari dalam tidak akan adalah oleh atau ke juga",
    "irish": "an na agus ar i a tá go le do is ag sé bhí leis seo nach ní ó faoi nó gur",
    "esperanto": "la kaj de en estas al ne por kun kiu ke kiel sed tio ĝi ili aŭ pri per",
    "vietnamese": "và của là có trong được cho không các với này những một để người khi từ đã",
    "russian": "и в не на что с по это как из для к от за но или его все они при так если",
    "ukrainian": "і в не на що з до та як це для від за або його але про при є ми якщо",
    "bulgarian": "и на да се в от за не е с по че са със или как при до ще като което",
    "serbian": "и у је да на се за од са не су као што по али или ће из које бити",
    "arabic": "في من على إلى أن عن هذا التي مع الذي لا ما هذه كان أو بين ذلك كل",
    "persian": "و در به از که این را با است برای آن یک می خود تا شود بر یا هم",
    "hindi": "के है में की से का और को पर यह ने एक नहीं हैं भी कि लिए या इस",
    "sesotho": "ke le ho ba ka e o ha tsa sa mme hore tse ya ea la wa re fumana bakeng haeba",
    "nepali": "र को छ मा को ले का हो गर्न पनि यो लाई भएको छन् बाट गरेको",
}
# Words of asking, which documents hardly ever hold, so that they would weigh much.
_ASKING = {
    "german": "wer wen wem wessen was wann wo wohin woher wie wieso weshalb warum welche welcher welches welchen welchem wieviel "
    "viel wieviele kann können darf dürfen muss müssen soll sollen gibt",
    "french": "qui que quoi quand où comment pourquoi combien quel quelle quels quelles lequel laquelle est-ce peut peuvent puis-je",
    "spanish": "quién quiénes qué cuándo dónde adónde cómo cuál cuáles cuánto cuánta cuántos cuántas puedo puede pueden hay",
    "italian": "chi che cosa cos quando dove come perché quale quali quanto quanta quanti quante posso può possono",
    "portuguese": "quem que quê quando onde aonde como porque qual quais quanto quanta quantos quantas posso pode podem há",
    "dutch": "wie wat wanneer waar waarheen hoe waarom welke welk hoeveel kan kunnen mag mogen moet moeten",
    "swedish": "vem vad när var vart hur varför vilken vilket vilka mycket många kan får måste finns",
    "danish": "hvem hvad hvornår hvor hvorfor hvordan hvilken hvilket hvilke meget mange kan må skal findes",
    "norwegian": "hvem hva når hvor hvorfor hvordan hvilken hvilket hvilke mye mange kan må skal finnes",
    "finnish": "kuka ketkä mikä mitkä mitä milloin koska missä mihin mistä miten miksi kuinka paljon monta voiko saako onko",
    "polish": "kto co kiedy gdzie dokąd skąd jak dlaczego który która które ile czy można mogę",
    "czech": "kdo co kdy kde kam odkud jak proč který která které kolik jaký jaká jaké lze mohu může",
    "romanian": "cine ce când unde cum care cât câtă câți câte pot poate",
    "hungarian": "ki kik mi mik mikor hol hova honnan hogyan miért melyik mennyi hány lehet szabad",
    "turkish": "kim ne zaman nerede nereye nereden nasıl neden niçin niye hangi kaç mi mı mu mü",
    "catalan": "qui què quan on com perquè quin quina quins quines quant quanta puc pot poden",
    "russian": "кто что когда где куда откуда как почему зачем какой какая какое какие который сколько чей можно ли",
    "ukrainian": "хто що коли де куди звідки як чому який яка яке які скільки чий можна чи",
    "bulgarian": "кой коя кое кои какво кога къде как защо колко чий може ли",
    "serbian": "ко шта када где куда одакле како зашто који која које колико чији може ли",
    "greek": "ποιος ποια ποιο ποιοι ποιες τι πότε πού πως πώς γιατί πόσο πόσα πόσες μπορώ μπορεί",
    "arabic": "من ما ماذا متى أين كيف لماذا أي كم هل",
    "persian": "چه کی کجا چگونه چرا کدام چند آیا",
    "hindi": "कौन क्या कब कहाँ कहां कैसे क्यों कितना कितने कितनी किस किसे",
    "indonesian": "siapa apa kapan mana dimana bagaimana mengapa kenapa berapa apakah bisakah bolehkah",
    "estonian": "kes mis millal kus kuhu kust kuidas miks milline kui palju mitu kas",
    "lithuanian": "kas ką kada kur kaip kodėl kuris kuri kiek ar galima",
    "basque": "nor zer noiz non nora nola zergatik zein zenbat",
    "armenian": "ով ինչ երբ որտեղ ուր ինչպես ինչու որ որը քանի կարո՞ղ",
    "sesotho": "mang eng neng kae joang hobaneng efe bokae na",
    "irish": "cé cad conas cathain cá fáth cén mhéad an",
    "esperanto": "kiu kio kiam kie kien kiel kial kia kies kiom ĉu",
    "vietnamese": "ai gì nào khi đâu sao thế bao nhiêu mấy có không",
}
_ASKED = {language: frozenset(words.split()) for language, words in _ASKING.items()}
_WORDS = {language: frozenset(words.split()) for language, words in _TELLING.items()}
_SURE = 0.12
_DIFFERENT = 3  # function words that a text must hold of a language to be in it
_LOOKED_AT = 20_000  # characters

# The first and last code points of scripts that a single language stands for.
_SCRIPTS = (
    ("greek", 0x0370, 0x03FF), ("armenian", 0x0530, 0x058F), ("hebrew", 0x0590, 0x05FF), ("tamil", 0x0B80, 0x0BFF),
    ("thai", 0x0E00, 0x0E7F), ("japanese", 0x3040, 0x30FF), ("chinese", 0x3400, 0x9FFF), ("korean", 0xAC00, 0xD7AF),
)  # fmt: skip
_YIDDISH = "װױײ"


@lru_cache(maxsize=1 << 12)
def language_of(text: str) -> str:
    """The language of a text, "" where nothing tells."""
    return guess(text)[0]


def guess(text: str) -> tuple[str, float]:
    """(language, confidence 0 to 1) by the script of most of its letters, and inside a script by function words; an empty
    language where these do not tell."""
    part = text[:_LOOKED_AT]
    script = _script_of(part)
    if script:
        return script, 1.0
    words = [word.lower() for word in WORD.findall(part)]
    if len(words) < 8:
        return "", 0.0
    counts = Counter(words)
    shares = {language: sum(counts[word] for word in known) / len(words) for language, known in _WORDS.items()}
    first, second = sorted(shares, key=lambda language: -shares[language])[:2]
    if shares[first] < _SURE or sum(word in counts for word in _WORDS[first]) < _DIFFERENT:
        return "", 0.0
    return first, min(1.0, 0.5 + 2 * (shares[first] - shares[second]))


def _script_of(text: str) -> str:
    """The language whose script most letters are of; "" for a script of several languages. Kana tell Japanese, however
    many Chinese characters stand beside them."""
    if text.isascii():
        return ""
    counts: Counter[str] = Counter()
    letters = 0
    for letter, count in Counter(text).items():
        if letter.isalpha():
            letters += count
            point = ord(letter)
            if point >= 0x0370:
                name = next((name for name, low, high in _SCRIPTS if low <= point <= high), "")
                counts[name] += count
    counts.pop("", None)
    if not counts:
        return ""
    if counts["japanese"] * 20 > counts["chinese"]:
        counts["japanese"] += counts.pop("chinese", 0)
    name, most = counts.most_common(1)[0]
    if most * 2 < letters:
        return ""
    return "yiddish" if name == "hebrew" and any(letter in text for letter in _YIDDISH) else name


STEMMED = tuple(name for name in CODES if name in Stemmer.algorithms())
CHOICES = (AUTO, NONE, *STEMMED)


@lru_cache(maxsize=64)
def stemmer(language: str) -> Stemmer.Stemmer | None:
    """The Snowball stemmer of a language; None for one that has none."""
    return Stemmer.Stemmer(language, 0) if language in STEMMED else None


def asking_words(language: str) -> frozenset[str]:
    """The words by which questions are asked in a language; of English its function words, which hold them."""
    return STOP_WORDS if language == ENGLISH else _ASKED.get(language, frozenset())


@lru_cache(maxsize=64)
def stop_words(language: str) -> frozenset[str]:
    """The function and question words of a language in lower case: of English this program's own, of others those of the
    collection of stop words by ISO code; none for a language that it does not have."""
    if language == ENGLISH:
        return STOP_WORDS
    code = CODES.get(language, "")
    if not code:
        return frozenset()
    import stopwordsiso

    found = stopwordsiso.stopwords(code) if stopwordsiso.has_lang(code) else set()
    return frozenset(unicodedata.normalize("NFC", word.lower()) for word in found if " " not in word)
