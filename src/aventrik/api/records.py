"""The records that results are, and the few words and functions that whoever shows them needs: each imported when it is first
asked for."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ..core.answering import Answer as Answer
    from ..core.comparing.account import losses as losses
    from ..core.comparing.account import losses_by_step as losses_by_step
    from ..core.comparing.account import worst_question as worst_question
    from ..core.comparing.contributions import Contribution as Contribution
    from ..core.comparing.contributions import Interaction as Interaction
    from ..core.comparing.correcting import LEAST as LEAST
    from ..core.comparing.correcting import Corrected as Corrected
    from ..core.comparing.correcting import labels_for as labels_for
    from ..core.comparing.crossing import Crossed as Crossed
    from ..core.comparing.differences import Difference as Difference
    from ..core.comparing.groups import Group as Group
    from ..core.comparing.intervals import Interval as Interval
    from ..core.comparing.leading import ALPHA as ALPHA
    from ..core.comparing.power import Plan as Plan
    from ..core.comparing.sides import Contrast as Contrast
    from ..core.comparing.sides import less_is_better as less_is_better
    from ..core.comparing.spread import MovedQuestion as MovedQuestion
    from ..core.comparing.spread import Spread as Spread
    from ..core.documents import Document as Document
    from ..core.documents import Part as Part
    from ..core.documents.spans import common as common
    from ..core.documents.spans import length as length
    from ..core.judging.agreement import RaterAgreement as RaterAgreement
    from ..core.judging.known import KnownScore as KnownScore
    from ..core.judging.known import Reach as Reach
    from ..core.measures.loss import DROPPED as DROPPED
    from ..core.measures.loss import KEPT as KEPT
    from ..core.measures.loss import STAGES as STAGES
    from ..core.measures.loss import why as why
    from ..core.testsets import Need as Need
    from ..core.testsets import Question as Question
    from ..core.testsets import Quoted as Quoted
    from ..core.testsets.drafting import Draft as Draft
    from ..core.testsets.drafting.brief import Brief as Brief
    from ..core.testsets.likeness import ENOUGH as ENOUGH
    from ..core.testsets.likeness import SetForm as SetForm
    from ..core.text import STOP_WORDS as STOP_WORDS
    from ..core.text import WORD as WORD
    from ..core.text import stem as stem
    from ..core.vetting import KINDS as KINDS
    from ..core.vetting import Finding as Finding
    from ..corpora.cutting import ChunkFigures as ChunkFigures
    from ..corpora.cutting import ChunkSample as ChunkSample
    from ..corpora.gathering import Gathered as Gathered
    from ..corpora.reading_ways import ReadingWays as ReadingWays
    from ..corpora.surveying import Survey as Survey
    from ..corpora.surveying import Topic as Topic
    from ..execution.moving import FOLDER as FOLDER
    from ..execution.open_workspace import OpenWorkspace as OpenWorkspace
    from ..kept.known import JudgeReach as JudgeReach
    from ..kept.known import JudgingAccount as JudgingAccount
    from ..kept.provenance import unexplained as unexplained
    from ..kept.run_names import NamedRuns as NamedRuns
    from ..kept.run_names import RunFilter as RunFilter
    from ..kept.run_names import state_of as state_of
    from ..people.passages import PassageAgreement as PassageAgreement
    from ..people.passages import PassageReview as PassageReview
    from ..people.passages import TaughtFilter as TaughtFilter
    from ..people.question_agreement import QuestionAgreement as QuestionAgreement
    from ..people.question_review import QuestionReview as QuestionReview
    from ..people.reviewing import Review as Review
    from ..people.reviewing import TakenSheet as TakenSheet
    from ..people.spots import Spot as Spot
    from ..people.spots import overlap as overlap
    from ..people.spots import question_line as question_line
    from ..people.teaching import Taught as Taught
    from ..people.verdict_review import JudgeAgreement as JudgeAgreement
    from ..people.verdict_review import VerdictReview as VerdictReview
    from ..people.verdicts import VERDICT as VERDICT
    from ..people.verdicts import LabelledRun as LabelledRun
    from ..people.verdicts import ReviewItem as ReviewItem
    from ..people.verdicts import Untold as Untold
    from ..pipeline.inputs import Progress as Progress
    from ..pipeline.judges import judge_of as judge_of
    from ..pipeline.registry import of_questions as of_questions
    from ..questions.gaps import PERHAPS as PERHAPS
    from ..questions.gaps import Gaps as Gaps
    from ..questions.likeness import Likeness as Likeness
    from ..questions.locating import Located as Located
    from ..questions.planning import Needed as Needed
    from ..results.asking import AskedNow as AskedNow
    from ..results.auditing import Audited as Audited
    from ..results.auditing import StageAudit as StageAudit
    from ..results.chain_sums import Chained as Chained
    from ..results.comparing import verdict as verdict
    from ..results.comparison import SHOWN as SHOWN
    from ..results.comparison import Comparison as Comparison
    from ..results.comparison_json import comparison_json as comparison_json
    from ..results.comparison_json import crossed_json as crossed_json
    from ..results.explaining import Explanation as Explanation
    from ..results.explaining import ListItem as ListItem
    from ..results.explaining import last_list as last_list
    from ..results.explaining import list_names as list_names
    from ..results.gated import Check as Check
    from ..results.gated import Gated as Gated
    from ..results.model_calls import Recalled as Recalled
    from ..results.model_calls import messages_of as messages_of
    from ..results.spread import SpreadOut as SpreadOut
    from ..runs.bringing import Arrival as Arrival
    from ..runs.bringing import Matched as Matched
    from ..runs.bringing import unknown_line as unknown_line
    from ..runs.planning import Planned as Planned
    from ..runs.racing import Raced as Raced
    from ..runs.running import RunOutcome as RunOutcome
    from ..storage.protocols import Run as Run
    from ..workspace.answers import AnswerFile as AnswerFile
    from ..workspace.configuration import Configuration as Configuration
    from ..workspace.deciding import EDITED as EDITED
    from ..workspace.deciding import KEEP as KEEP
    from ..workspace.deciding import REJECT as REJECT
    from ..workspace.deciding import UNSURE as UNSURE
    from ..workspace.deciding import Settled as Settled
    from ..workspace.logs import QuestionLog as QuestionLog
    from ..workspace.reviews import UNDONE as UNDONE
    from ..workspace.reviews import Decision as Decision
    from ..workspace.testsets import MovedEvidence as MovedEvidence
    from ..workspace.toml import nearest as nearest

# Where each stands.
_WHERE = {
    "core.answering": "Answer",
    "core.comparing.account": "losses losses_by_step worst_question",
    "core.comparing.contributions": "Contribution Interaction",
    "core.comparing.correcting": "Corrected LEAST labels_for",
    "core.comparing.crossing": "Crossed",
    "core.comparing.differences": "Difference",
    "core.comparing.groups": "Group",
    "core.comparing.intervals": "Interval",
    "core.comparing.leading": "ALPHA",
    "core.comparing.power": "Plan",
    "questions.planning": "Needed",
    "core.comparing.sides": "Contrast less_is_better",
    "core.comparing.spread": "MovedQuestion Spread",
    "core.documents": "Document Part",
    "core.documents.spans": "common length",
    "core.judging.agreement": "RaterAgreement",
    "core.measures.loss": "DROPPED KEPT STAGES why",
    "core.testsets": "Need Question Quoted",
    "core.testsets.drafting": "Draft",
    "core.testsets.drafting.brief": "Brief",
    "core.testsets.likeness": "ENOUGH SetForm",
    "core.text": "STOP_WORDS WORD stem",
    "core.vetting": "Finding KINDS",
    "corpora.cutting": "ChunkFigures ChunkSample",
    "corpora.gathering": "Gathered",
    "corpora.reading_ways": "ReadingWays",
    "corpora.surveying": "Survey Topic",
    "execution.moving": "FOLDER",
    "execution.open_workspace": "OpenWorkspace",
    "core.judging.known": "KnownScore Reach",
    "kept.known": "JudgeReach JudgingAccount",
    "kept.provenance": "unexplained",
    "kept.run_names": "NamedRuns RunFilter state_of",
    "people.passages": "PassageAgreement PassageReview TaughtFilter",
    "people.question_agreement": "QuestionAgreement",
    "people.question_review": "QuestionReview",
    "people.reviewing": "Review TakenSheet",
    "people.spots": "Spot overlap question_line",
    "people.teaching": "Taught",
    "people.verdict_review": "JudgeAgreement VerdictReview",
    "people.verdicts": "LabelledRun ReviewItem Untold VERDICT",
    "pipeline.inputs": "Progress",
    "pipeline.judges": "judge_of",
    "pipeline.registry": "of_questions",
    "questions.gaps": "Gaps PERHAPS",
    "questions.likeness": "Likeness",
    "questions.locating": "Located",
    "results.asking": "AskedNow",
    "results.auditing": "Audited StageAudit",
    "results.chain_sums": "Chained",
    "results.comparing": "verdict",
    "results.comparison": "Comparison SHOWN",
    "results.comparison_json": "comparison_json crossed_json",
    "results.explaining": "Explanation ListItem last_list list_names",
    "results.gated": "Check Gated",
    "results.model_calls": "Recalled messages_of",
    "results.spread": "SpreadOut",
    "runs.bringing": "Arrival Matched as_json:scored_json unknown_line",
    "runs.planning": "Planned",
    "runs.racing": "Raced",
    "runs.running": "RunOutcome",
    "storage.protocols": "Run",
    "workspace.answers": "AnswerFile",
    "workspace.configuration": "Configuration",
    "workspace.deciding": "EDITED KEEP REJECT Settled UNSURE",
    "workspace.logs": "QuestionLog",
    "workspace.reviews": "Decision UNDONE",
    "workspace.testsets": "MovedEvidence",
    "workspace.toml": "nearest",
}
_NAMES = {
    known or name: (module, name)
    for module, names in _WHERE.items()
    for name, _, known in (each.partition(":") for each in names.split())
}
__all__ = sorted(_NAMES)


def __getattr__(name: str) -> Any:
    if name not in _NAMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    module, own = _NAMES[name]
    return getattr(import_module(f"aventrik.{module}"), own)
