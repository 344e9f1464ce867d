"""A new workspace: its folders, settings with comments, and one configuration to start from."""

from __future__ import annotations

import json
from pathlib import Path

from ..core.errors import BadInput, disk_errors
from ..core.reading import safe_name
from .configuration import Configuration
from .settings import SETTINGS
from .stage_settings import about, choices_of, settings_of
from .toml import Table

STARTER_SETTINGS = """\
# The settings of this workspace. Every one may be left out; what stands here are the defaults.

name = "{name}"
seed = 0                     # one seed for sampling, drafting and resampling
cover = 0.9                  # share of an evidence span that must be served for its need to be met
cut_offs = [1, 3, 5, 10]     # the k of hit@k and the other measures at a cut-off

[limits]
file_megabytes = 100         # larger files are not gathered
# money        = 20.0        # before a run that may cost more, ask

# How files are read.
[reading]
pdf  = "layout"              # layout (by the place of words on the page), stream (the file's own order)
rows = "auto"                # of a CSV: records (a row is a document), table, auto (records where rows hold text)
# text = ["body"]            # which fields of records are their text, title and id; found by name when not given
# title = "title"
# id = "id"
seconds   = 120              # longest time for one file
megabytes = 4000             # most memory for one file

# Which language model does what. "offline" is built in; others are described below.
[roles]
writer   = "offline"         # drafts questions
rewriter = "offline"
answerer = "offline"
judge    = "offline"         # or several, ["house", "offline"]: each judges apart

# How several judges are joined, and which criteria of criteria/ answers are judged by (all of them when not given).
# [judging]
# together = "majority"      # majority, or mean (of what each thinks likely)
# criteria = ["from-when"]

# What 'aventrik draft' writes; each can be given as an option too.
[drafting]
audience = ""                # who will ask, and what they come with: a text, or the name of a file with one
examples = ""                # a file of real questions whose form is imitated: a test set, or a question a line
at_most  = 0.1               # share of a test set that one document may give
# kinds      = {{ single = 0.8, joined = 0.05, comparison = 0.05, unanswerable = 0.1 }}
# styles     = {{ question = 0.6, indirect = 0.12, "first person" = 0.08, search = 0.12, hurried = 0.08 }}
# difficulty = {{ easy = 0.33, middle = 0.27, hard = 0.4 }}     # by the rank of the evidence under plain keyword search
# [[drafting.quota]]
# where = "document like 'handbook/%'"   # or topic = "a word of it"; a share of the questions, and at least so many
# share = 0.5
# least = 10

# How far numbers can be trusted.
[statistics]
infer = "auto"               # to "these documents" (questions are drawn), "documents like these" (documents too), or auto

# A model on a server of yours; as many as you like. 'aventrik models --test' tries them.
# [models.house]
# kind         = "http"                    # http, or local (a folder, for embedding and reranking)
# does         = "language"                # language, embedding, reranking, entailment
# address      = "http://127.0.0.1:8080"   # what stands before /v1/chat/completions
# model        = "the-name-on-the-server"
# key_variable = "HOUSE_KEY"               # the NAME of the environment variable with the key
# concurrency  = 8                         # requests in flight
# requests_per_minute = 0                  # 0: no limit
# tokens_per_minute   = 0
# timeout      = 60                        # seconds
# price_in     = 0.0                       # per million tokens
# price_out    = 0.0
# context      = 8192                      # tokens

# The question-answering system that is live; 'aventrik score --system desk' asks it the questions of a test set.
# [models.desk]
# kind    = "http"
# does    = "system"
# address = "http://127.0.0.1:8391/ask"    # the whole address
# [models.desk.request]                    # what a request holds beside the question
# [models.desk.pointers]                   # where things stand in request and reply: JSON Pointers; "-" for nowhere
# question = "/question"
# answer   = "/answer"
# context  = "/context"                    # an array of texts, or of objects with
# text     = "/text"

# The built-in model with an embedding model at its side: it finds answers by likeness as well as by words.
# [models.reader]
# kind       = "built-in"
# reads_with = "small"                     # an embedding model of this file, or static
"""

_HEAD = """\
# One configuration: the settings of every stage. All but `name` may be left out.
# To try several values at once, take the marks off [sweep] below: it stands for every combination.

name = "starter"
note = "paragraphs, keyword and vector search blended"
"""

# What stands between the tables of the starter: settings that are lists of tables.
_REWRITING = """\
# [[rewriting]]           # several, in order: conversation, paraphrases, hypothetical, parts, broader, keywords, expanded
# method = "paraphrases"
# count  = 3
"""

_RERANKING = """\
# [[reranking]]           # several, in order: closeness, relevance, cross-encoder, embedding, split, extract, floor,
# step   = "closeness"    # distinct, order, neighbours
# weight = 0.5
# [[reranking]]
# step   = "extract"      # only the sentences that help; show more of them: context.keep = 10
# share  = 0.45
"""

_SWEEP = """\
# [sweep]
# "chunking.size" = [300, 800, 1500]
# "search.method" = ["keyword", "vector", "both"]
# "search.weight" = { from = 0.3, to = 0.7, steps = 3, only = { "search.method" = "both" } }
"""


STARTER_GATE = """\
# What 'aventrik gate' holds a run against. Each limit is decided on a 95 % interval: passed, failed, or undecided, with
# how many questions more would decide.

baseline  = "baseline.jsonl"   # a file that 'aventrik run CONFIG --baseline-file FILE' wrote, or a run of the store
undecided = "pass"             # what an undecided limit counts as: pass, fail
judge     = "same"             # same: refuse a baseline that another judge judged; any: only say so
gone      = 0.2                # share of the baseline's questions that may be gone

[[limit]]
measure = "hit@5"
drop    = 0.05                 # how much worse than the baseline it may be; "10%" is a share of the baseline's mean

# [[limit]]
# measure = "groundedness"
# least   = 0.8                # or most
# margin  = 0.02               # so far beyond it is tolerated
# each    = "kind"             # in each group by itself: kind, style, difficulty, tag, document, writer; or tag = "fees"
"""

_COMMENTS_AT = 26  # the column in which the comments of the starter begin


def starter_configuration() -> str:
    """One configuration with a comment on every setting that is worth a thought at first."""
    parts = [_HEAD]
    for name, field in Configuration.model_fields.items():
        if name == "rewriting":
            parts.append(_REWRITING)
        elif name == "reranking":
            parts.append(_RERANKING)
        elif isinstance(field.annotation, type) and issubclass(field.annotation, Table):
            parts.append(_table(name, field.annotation))
    return "\n".join([*parts, _SWEEP])


def _table(name: str, table: type[Table]) -> str:
    """A table of the starter, its comments under each other."""
    shown = [(key, field, starter) for key, field in settings_of(table) if (starter := about(field).starter)]
    width = max(len(key) for key, _, starter in shown if not starter.offered)
    lines = [f"[{name}]"]
    for key, field, starter in shown:
        value = field.default if starter.value is None else starter.value
        mark, key = ("# ", key) if starter.offered else ("", key.ljust(width))
        comment = starter.comment or ", ".join(choices_of(field))
        line = f"{mark}{key} = {json.dumps(value, ensure_ascii=False)}"
        lines.append(f"{line:<{_COMMENTS_AT - 1}} # {comment}" if comment else line)
    return "\n".join(lines) + "\n"


def create(folder: Path) -> None:
    """Lays out a new workspace; raises `BadInput` where one is already."""
    if (folder / SETTINGS).exists():
        raise BadInput(f"{folder}: is a workspace already")
    if folder.exists() and not folder.is_dir():
        raise BadInput(f"{folder}: is a file, not a folder")
    with disk_errors(folder):
        for name in ("configs", "testsets", "prompts", "criteria", "reports"):
            (folder / name).mkdir(parents=True, exist_ok=True)
        for path, text in (
            (folder / "configs" / "starter.toml", starter_configuration()),
            (folder / "gate.toml", STARTER_GATE),
        ):
            if not path.exists():
                path.write_text(text, encoding="utf-8")
        name = safe_name(folder.resolve().name).replace("\\", "\\\\").replace('"', '\\"')
        (folder / SETTINGS).write_text(STARTER_SETTINGS.format(name=name), encoding="utf-8")
