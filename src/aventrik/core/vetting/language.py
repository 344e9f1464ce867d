"""The language of a document, by its function words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ..documents import Document
from ..text import WORD
from . import Finding

_FUNCTION_WORDS = {
    "English": "the of and to in is for that on with be are as at by this from or an it not which must may",
    "German": "der die und das den von zu mit sich des auf für ist im dem nicht ein eine als auch es werden bei",
    "French": "le la les de des et en un une du dans est pour que qui par sur au avec plus ne pas sont ou",
    "Spanish": "el la los las de que y en un una por con no para su se es del al lo como más son",
    "Italian": "il lo la i gli le di che e un una per con non del della si è sono dei al nel come più",
    "Dutch": "de het een en van in is op te dat die voor met niet zijn aan er door bij om ook als",
    "Portuguese": "o a os as de que e em um uma para com não do da no na se é dos por mais são",
    "Polish": "i w z na do nie się jest to że o od po za dla jak przez przy oraz są lub może",
    "Welsh": "y yr yn a i o ar ac mae bod wedi ei eu gan am na nad hyn sydd neu fydd rhaid",
    "Swedish": "och i att det som en på är av för med den till inte har de ett om eller vid kan",
}
_WORDS = {language: frozenset(words.split()) for language, words in _FUNCTION_WORDS.items()}
_SURE = 0.12


def guess(text: str) -> tuple[str, float]:
    """(language, confidence 0 to 1); an empty language where no function words tell."""
    words = [word.lower() for word in WORD.findall(text[:20_000])]
    if len(words) < 8:
        return "", 0.0
    counts = Counter(words)
    shares = {language: sum(counts[word] for word in known) / len(words) for language, known in _WORDS.items()}
    first, second = sorted(shares, key=lambda language: -shares[language])[:2]
    if shares[first] < _SURE:
        return "", 0.0
    return first, min(1.0, 0.5 + 2 * (shares[first] - shares[second]))


def find(documents: Sequence[Document]) -> list[Finding]:
    """Documents in another language than most of the corpus's text."""
    guesses = {document.name: guess(document.text) for document in documents}
    weight: Counter[str] = Counter()
    for document in documents:
        weight[guesses[document.name][0]] += len(document.text)
    weight.pop("", None)
    if not weight:
        return []
    main = weight.most_common(1)[0][0]
    return [
        Finding("other language", d.name, sure, f"it is in {tongue}, the corpus in {main}", ((0, len(d.text)),))
        for d in documents
        for tongue, sure in [guesses[d.name]]
        if tongue and tongue != main and sure > 0.6
    ]
