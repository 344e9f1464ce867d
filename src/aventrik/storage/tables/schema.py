"""The tables of a store, for SQLite and PostgreSQL alike. Raise `FORMAT` when they change, and say in `MIGRATIONS` how an
older store follows."""

from __future__ import annotations

FORMAT = 7

# Of each run, where it has been worked out, what its questions came to in one piece; can be made again.
SHEETS = "CREATE TABLE sheets (run INTEGER PRIMARY KEY REFERENCES runs(id) ON DELETE CASCADE, body BLOB NOT NULL)"

TAGS = """CREATE TABLE tags (
        run INTEGER NOT NULL REFERENCES runs(id) ON DELETE CASCADE, tag TEXT NOT NULL, PRIMARY KEY (run, tag)
    ) WITHOUT ROWID"""

# Which calls are being made, and by whom; how much of a server's limits is left; what people decided, where the store
# holds it for all.
SHARED = (
    "CREATE TABLE under_way (key TEXT PRIMARY KEY, session TEXT NOT NULL) WITHOUT ROWID",
    "CREATE TABLE buckets (name TEXT PRIMARY KEY, level REAL NOT NULL, seen REAL NOT NULL) WITHOUT ROWID",
    "CREATE TABLE decided (sheet TEXT NOT NULL, name TEXT NOT NULL, value TEXT NOT NULL, PRIMARY KEY (sheet, name)) "
    "WITHOUT ROWID",
)

# From each format what leads to the next; formats 1 and 2 were of SQLite alone, see `embedded.migrating`.
MIGRATIONS: dict[int, tuple[str, ...]] = {3: (SHEETS,), 4: (TAGS,), 5: SHARED, 6: ()}

SCHEMA = (
    # Gathered files, and what tells whether one has changed.
    """CREATE TABLE files (
        path BLOB PRIMARY KEY, name TEXT NOT NULL, size INTEGER NOT NULL, mtime INTEGER NOT NULL, key TEXT NOT NULL,
        reading TEXT NOT NULL
    )""",
    # Documents as they are now; their text stands in `contents` under its key.
    """CREATE TABLE documents (
        name TEXT PRIMARY KEY, file BLOB NOT NULL, key TEXT NOT NULL, title TEXT NOT NULL, meta TEXT NOT NULL,
        chars INTEGER NOT NULL, report TEXT NOT NULL
    )""",
    "CREATE INDEX documents_by_file ON documents (file)",
    # Every text that a document has now, or had when a run was made.
    "CREATE TABLE contents (key TEXT PRIMARY KEY, title TEXT NOT NULL, text BLOB NOT NULL, parts BLOB NOT NULL)",
    # The corpora that something was made of: names and content keys.
    "CREATE TABLE corpora (key TEXT PRIMARY KEY, documents BLOB NOT NULL)",
    # What stages returned, a record a question, and what that took: seconds, calls and tokens of models, money.
    """CREATE TABLE results (
        id TEXT PRIMARY KEY, stage TEXT NOT NULL, digest TEXT NOT NULL, value BLOB NOT NULL, failed INTEGER NOT NULL,
        seconds REAL NOT NULL, calls REAL NOT NULL, tokens_in REAL NOT NULL, tokens_out REAL NOT NULL,
        money REAL NOT NULL
    )""",
    # How often the result of a key was made anew: the present one has the id "key.take".
    "CREATE TABLE takes (key TEXT PRIMARY KEY, take INTEGER NOT NULL) WITHOUT ROWID",
    # Which folders of arrays hold what a stage made of the documents, the newest last.
    "CREATE TABLE collections (key TEXT PRIMARY KEY, family TEXT NOT NULL, made REAL NOT NULL)",
    "CREATE INDEX collections_by_family ON collections (family)",
    """CREATE TABLE calls (
        key TEXT PRIMARY KEY, model TEXT NOT NULL, task TEXT NOT NULL, request BLOB NOT NULL, reply BLOB NOT NULL,
        vector BLOB, failure TEXT NOT NULL, tokens_in INTEGER NOT NULL, tokens_out INTEGER NOT NULL,
        money REAL NOT NULL, seconds REAL NOT NULL, attempts INTEGER NOT NULL, made REAL NOT NULL
    )""",
    """CREATE TABLE runs (
        id INTEGER PRIMARY KEY AUTOINCREMENT, identity TEXT NOT NULL UNIQUE, name TEXT NOT NULL, testset TEXT NOT NULL,
        made BLOB NOT NULL, questions INTEGER NOT NULL, started TEXT NOT NULL, finished TEXT NOT NULL DEFAULT '',
        costs TEXT NOT NULL DEFAULT '{}', label TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT ''
    )""",
    # The questions of runs, each body once; and which result each stage of a run came to.
    "CREATE TABLE questions (digest TEXT PRIMARY KEY, body BLOB NOT NULL) WITHOUT ROWID",
    """CREATE TABLE run_questions (
        run INTEGER NOT NULL REFERENCES runs(id) ON DELETE CASCADE, place INTEGER NOT NULL, id TEXT NOT NULL,
        key TEXT NOT NULL, question TEXT NOT NULL, results TEXT NOT NULL, PRIMARY KEY (run, place)
    ) WITHOUT ROWID""",
    SHEETS,
    TAGS,
    *SHARED,
)

# What names a row of each table, and its columns: those that a database fills in by itself are left out. In this order,
# for what refers to what.
TABLES: dict[str, tuple[str, str]] = {
    "files": ("path", "path, name, size, mtime, key, reading"),
    "documents": ("name", "name, file, key, title, meta, chars, report"),
    "contents": ("key", "key, title, text, parts"),
    "corpora": ("key", "key, documents"),
    "results": ("id", "id, stage, digest, value, failed, seconds, calls, tokens_in, tokens_out, money"),
    "takes": ("key", "key, take"),
    "collections": ("key", "key, family, made"),
    "calls": (
        "key",
        "key, model, task, request, reply, vector, failure, tokens_in, tokens_out, money, seconds, attempts, made",
    ),
    "questions": ("digest", "digest, body"),
    "runs": ("id", "id, identity, name, testset, made, questions, started, finished, costs, label, note"),
    "run_questions": ("run, place", "run, place, id, key, question, results"),
    "sheets": ("run", "run, body"),
    "tags": ("run, tag", "run, tag"),
    "under_way": ("key", "key, session"),
    "buckets": ("name", "name, level, seen"),
    "decided": ("sheet, name", "sheet, name, value"),
}
