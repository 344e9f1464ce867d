"""Content keys: equal inputs and settings have equal keys, on any machine and in any week."""

from __future__ import annotations

import hashlib
import json
from typing import Any


def content_key(*pieces: Any) -> str:
    """SHA-256 (40 hex digits of it) over JSON-able pieces; the order of dictionary entries does not matter."""
    body = json.dumps(pieces, sort_keys=True, ensure_ascii=False, separators=(",", ":"))
    return hashlib.sha256(body.encode("utf-8", "surrogatepass")).hexdigest()[:40]
