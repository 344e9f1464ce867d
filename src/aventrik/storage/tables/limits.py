"""What is left of the limits of servers, shared by all who use a store."""

from __future__ import annotations

import threading
from collections.abc import Callable

from . import Database, put


class TabledLimits:
    """Buckets in a database. Each thread that draws on them has a connection of its own, so that no drawing becomes part
    of somebody else's transaction."""

    def __init__(self, opened: Callable[[], Database]) -> None:
        self._open = opened
        self._own = threading.local()

    def take(self, name: str, rate: float, amount: float) -> float:
        """Draws on a bucket: `rate` units a minute flow into it, it holds a tenth of a minute's worth, and at least one.
        Returns the seconds to wait until so much may go; the drawing stands, so those after wait for it too."""
        db: Database | None = getattr(self._own, "db", None)
        if db is None:
            db = self._own.db = self._open()
        if db.read_only:
            return 0.0
        most = max(1.0, rate / 10)

        def draw() -> float:
            db.execute(put("buckets", "name, level, seen", replace=False), (name, most, db.now()))
            [(level, seen)] = db.rows(f"SELECT level, seen FROM buckets WHERE name = ?{db.for_update}", (name,))
            now = db.now()
            level = min(most, level + max(0.0, now - seen) * rate / 60) - amount
            db.execute("UPDATE buckets SET level = ?, seen = ? WHERE name = ?", (level, now, name))
            return max(0.0, -level * 60 / rate)

        return db.whole(draw)
