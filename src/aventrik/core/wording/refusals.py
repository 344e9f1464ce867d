"""Words by which an answer says that it has none."""

from __future__ import annotations

import re

from ..text import WORD, sentences

_SOURCE = (
    r"(?:the |this |these |those |my |your |our |any |provided |given |available |retrieved |supplied |above |search )*"
    r"(?:documents?|documentation|context|passages?|sources?|texts?|excerpts?|material|handbook|information|knowledge base|search results?|"
    r"manuals?|articles?)(?: (?:that )?(?:i (?:have|was given)|provided|given|supplied|available|at hand|above))?"
)
_ME = r"(?:i|we)"
_NOT = r"(?: not|n['’]t)"
_TELLING = (
    r"(?:say|state|mention|specify|tell|indicate|address|cover|describe|discuss|explain|answer|disclose|list|"
    r"give(?: any)?|provide(?: any)?|"
    r"contain(?: any| enough| the| an?)?|include(?: any| enough| the| information)|reveal|clarify|note|have(?: any| enough| the| an?)?)"
)
# What is not told has to be about telling: 'the price does not include Sundays' tells something.
_FORMS = (
    rf"\b{_SOURCE} (?:do|does|did){_NOT} (?:appear to |seem to |actually |explicitly |specifically |directly |clearly )*{_TELLING}\b",
    rf"\b{_SOURCE} (?:is|are) silent\b",
    rf"\b{_SOURCE} (?:has|have|contains?|gives?|provides?|offers?) (?:nothing|not enough|insufficient|no (?:\w+ )?"
    r"(?:information|mention|details?|answers?|reference|data|guidance|indication|evidence))\b",
    r"(?:\b|(?=n))(?:nothing (?:in|on|about)|no mention|no information|no details?|no answer|no evidence|no "
    r"reference|(?:not|n['’]t) enough information|insufficient "
    r"(?:information|context|evidence|data)|no relevant (?:information|passages?|documents?|results?)|too "
    r"little information)\b(?! on file\b)",
    rf"\b{_ME} (?:am|are|was|were|'m|’m) (?:not able|unable|not sure|afraid|sorry|not certain|not aware)\b",
    rf"\b{_ME}(?:'m|’m) (?:not able|unable|not sure|afraid|not certain|not aware)\b",
    rf"\b{_ME} (?:do{_NOT}|don['’]t) (?:know|have|see|find|seem to)\b",
    rf"\b{_ME} (?:can{_NOT}|cannot|can['’]t|could{_NOT}|couldn['’]t|was unable|were unable|am unable|did{_NOT}|"
    rf"didn['’]t|have{_NOT} been able|haven['’]t)"
    r" (?:to )?(?:answer|find|found|tell|determine|say|locate|see|confirm|provide|help|give|come across|identify)\b",
    r"\b(?:it|this|that|the answer|which|the question|what you ask) (?:is|was|are|were)(?: not|n['’]t) "
    r"(?:stated|mentioned|specified|given|covered|provided|addressed|said|told|described|included in|in|answered|clear from|possible to "
    r"(?:say|tell|answer|determine)|known|available|found|something)\b",
    r"\b(?:is|are|was|were)(?: not|n['’]t) (?:stated|mentioned|specified|covered|addressed|documented|discussed|answered|"
    r"(?:given|provided|found|available|included|described) (?:in|by) " + _SOURCE + r"|in " + _SOURCE + r")\b",
    r"\b(?:cannot|can['’]t|can not|could not) be (?:answered|determined|found|told|established|inferred|derived|concluded)\b",
    r"\b(?:unable to|not able to|impossible to) (?:answer|find|tell|determine|say|locate|confirm)\b",
    r"\b(?:don['’]t|do not) know\b|\bno idea\b|\bnot known\b|\bunknown to me\b|\bbeyond (?:the scope|what)\b|"
    r"\boutside (?:the scope|my|what)\b|"
    r"\bnot (?:mentioned|stated|specified|covered|addressed|answerable|documented) (?:here|there|anywhere|in|by|within)\b",
    r"^(?:no (?:answer|information|details?|mention|data)|not (?:stated|mentioned|specified|given|available|"
    r"found|answerable|known|sure|covered|"
    r"enough (?:information|context))|unknown|unanswerable|insufficient (?:information|context|data|evidence)|"
    r"i pass|can['’]t say|cannot say|"
    r"hard to say|no comment|nothing found)\b[^,;]{0,60}$",
    r"\b(?:that|this|it)(?: is|['’]s) not something\b",
    r"\byou (?:would|will|may|might) (?:have|need|want) to (?:ask|contact|check with)\b",
)  # fmt: skip
REFUSAL = re.compile("|".join(f"(?:{form})" for form in _FORMS), re.IGNORECASE)
_POINTING = re.compile(
    r"\b(?:please|contact|ask|check|try|see|refer|consult|let me know|sorry|apologi[sz]e|unfortunately|"
    r"rephrase|more (?:details|information)|"
    r"help you|happy to|you (?:could|can|may|might|should|would|will))\b",
    re.IGNORECASE,
)
_REST = 12  # words beside a refusal that say nothing of the matter
_SORRY = re.compile(
    r"^\W*(?:i['’]m |i am |we are |very )?(?:so )?(?:sorry|apologies|unfortunately|regrettably|i apologi[sz]e)\b[^.!?]*$",
    re.IGNORECASE,
)


def refusal_in(answer: str) -> tuple[str, str]:
    """How far an answer says that it has none: ("wholly", "in part" or "none"; the sentence that says so).

    It declines wholly where all else that it says is polite, points elsewhere, or is short; in part where it answers something as
    well. What tells that something is *not so* ('the price does not include Sundays') declines nothing.
    """
    found = [answer[start:end].strip() for start, end in sentences(answer) if WORD.search(answer[start:end])]
    if not found:
        return "wholly", ""
    refusing = [bool(REFUSAL.search(each)) for each in found]
    if not any(refusing):
        return "none", ""
    shown = found[refusing.index(True)]
    rest = [
        each
        for each, said in zip(found, refusing)
        if not said and not _POINTING.search(each) and not _SORRY.match(each)
    ]
    words = sum(len(WORD.findall(each)) for each in rest)
    opens = refusing[0] or all(_SORRY.match(each) or _POINTING.search(each) for each in found[: refusing.index(True)])
    return ("wholly" if words == 0 or (opens and words <= _REST) else "in part"), shown


def declines(answer: str) -> bool:
    """Whether an answer says nothing but that it has none."""
    return refusal_in(answer)[0] == "wholly"
