"""A new workspace: its folders, settings with comments, and one configuration to start from."""

from __future__ import annotations

from pathlib import Path

from ..core.errors import BadInput, disk_errors
from ..core.reading import safe_name
from .settings import SETTINGS

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
cluster = "auto"             # questions about one document count as one draw: document, question, auto

# A model on a server of yours; as many as you like. 'aventrik models --test' tries them.
# [models.house]
# kind         = "http"                    # http, or local (a folder, for embedding and reranking)
# does         = "language"                # language, embedding, reranking
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

STARTER_CONFIGURATION = """\
# One configuration: the settings of every stage. All but `name` may be left out.
# To try several values at once, take the marks off [sweep] below: it stands for every combination.

name = "starter"
note = "paragraphs, keyword and vector search blended"

[chunking]
method  = "paragraph"     # fixed, sentence, paragraph, heading, page, topic
size    = 800
unit    = "chars"         # chars, words, tokens (of `tokenizer`: estimate, static, or a tokenizer.json)
overlap = 80
serve   = "chunk"         # chunk, neighbours (around = 1), section, page, document, larger (larger_size = 2400)

[index]
text     = "chunk"        # chunk, or what the writer model makes of it: summary, facts, questions
headings = true           # put the heading path in front of what is matched
# language = "auto"       # of each document its own; or english, german, …; none
# title_weight = 2.0      # search title and headings as a field of their own, weighted

[embedding]
model = "lsa"             # none, lsa (fitted on your documents), static (needs the extra 'static')

# [[rewriting]]           # several, in order: conversation, paraphrases, hypothetical, parts, broader, keywords, expanded
# method = "paraphrases"
# count  = 3

[search]
method = "both"           # keyword, vector, both
top    = 40
blend  = "ranks"          # ranks, scores (scaling = "min-max" or "z-score")
weight = 0.5              # the share of the vector list; the keyword list has the rest
nearest = "exact"         # exact, or approximate: graph, lists
# where = "area = 'Moss Cut' and issued >= '2031-04-01'"    # only documents whose metadata say so

# [[reranking]]           # several, in order: closeness, relevance, cross-encoder, embedding, split, extract, floor,
# step   = "closeness"    # distinct, order, neighbours
# weight = 0.5
# [[reranking]]
# step   = "extract"      # only the sentences that help; show more of them: context.keep = 10
# share  = 0.45

[context]
keep   = 5
budget = 1200             # tokens

[answering]
model = "offline"         # none: no answers, retrieval alone
style = "quote"           # quote, short

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
            (folder / "configs" / "starter.toml", STARTER_CONFIGURATION),
            (folder / "gate.toml", STARTER_GATE),
        ):
            if not path.exists():
                path.write_text(text, encoding="utf-8")
        name = safe_name(folder.resolve().name).replace("\\", "\\\\").replace('"', '\\"')
        (folder / SETTINGS).write_text(STARTER_SETTINGS.format(name=name), encoding="utf-8")
