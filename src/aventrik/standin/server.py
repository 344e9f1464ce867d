"""The stand-in's HTTP server, with faults by a seed and a log of what it did."""

from __future__ import annotations

import hashlib
import json
import random
import threading
import time
from collections import Counter, deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from ..core.errors import AventrikError
from . import replies

_PATHS: dict[str, Callable[[Mapping[str, Any]], dict[str, Any]]] = {
    "/v1/chat/completions": replies.chat,
    "/v1/embeddings": replies.embeddings,
    "/v1/rerank": replies.rerank,
}


@dataclass(frozen=True)
class Manners:
    """How the server behaves. `fail`, `hang`, `short` and `broken` are shares of requests, 0 to 1.

    A request's fate depends on the seed, its body and how often that body has come: another order of requests
    changes nothing, and a repeat may fare better. `latency` and `hang_seconds` are seconds, `limit` requests a minute.
    """

    latency: float = 0.0
    limit: int = 0
    fail: float = 0.0
    hang: float = 0.0
    short: float = 0.0
    broken: float = 0.0
    hang_seconds: float = 3600.0
    seed: int = 0
    key: str = ""


class RequestLog:
    """Counts what came and what was done; `served` are good replies that went out whole."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._seen: Counter[str] = Counter()
        self._served: Counter[str] = Counter()
        self._outcomes: Counter[str] = Counter()

    def arrived(self, digest: str) -> int:
        """Counts a request; returns how often this body came before."""
        with self._lock:
            self._seen[digest] += 1
            return self._seen[digest] - 1

    def ended(self, digest: str, outcome: str) -> None:
        """Counts how a request ended."""
        with self._lock:
            self._outcomes[outcome] += 1
            if outcome == "served":
                self._served[digest] += 1

    def summary(self) -> dict[str, Any]:
        """What /log answers: requests, distinct bodies, bodies served more than once, outcomes."""
        with self._lock:
            return {
                "requests": sum(self._seen.values()),
                "distinct": len(self._seen),
                "served_distinct": len(self._served),
                "served_again": sum(count - 1 for count in self._served.values()),
                "outcomes": dict(self._outcomes),
            }


def make_server(
    manners: Manners,
    host: str = "127.0.0.1",
    port: int = 0,
    more: Mapping[str, Callable[[Mapping[str, Any]], dict[str, Any]]] = {},
) -> ThreadingHTTPServer:
    """A server ready for `serve_forever`; port 0 takes a free one. `more`: further paths, and what answers there."""
    log = RequestLog()
    paths = {**_PATHS, **more}
    recent: deque[float] = deque()
    gate = threading.Lock()

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        wbufsize = -1
        disable_nagle_algorithm = True

        def log_message(self, *args: Any) -> None:
            """Silent: the log is /log."""

        def do_GET(self) -> None:
            if self.path == "/log":
                self._send(200, log.summary())
            elif self.path == "/v1/models":
                self._send(200, replies.models())
            else:
                self._send(404, {"error": {"message": f"no such path: {self.path}"}})

        def do_POST(self) -> None:
            data = self.rfile.read(int(self.headers.get("Content-Length") or 0))
            digest = hashlib.sha256(self.path.encode() + data).hexdigest()
            came = log.arrived(digest)
            draw = random.Random(f"{manners.seed} {digest} {came}").random
            log.ended(digest, self._answer(data, draw))

        def _answer(self, data: bytes, draw: Callable[[], float]) -> str:
            """Sends a reply, good or bad; returns what it was."""
            if manners.key and self.headers.get("Authorization") != f"Bearer {manners.key}":
                return self._send(401, {"error": {"message": "wrong key"}}, "refused")
            if self._too_many():
                return self._send(429, {"error": {"message": "slow down"}}, "limited", {"Retry-After": "1"})
            if self.path not in paths:
                return self._send(404, {"error": {"message": f"no such path: {self.path}"}}, "no such path")
            if draw() < manners.hang:
                time.sleep(manners.hang_seconds)
                self.close_connection = True
                return "hung"
            if manners.latency:
                time.sleep(manners.latency)
            if draw() < manners.fail:
                return self._send(500, {"error": {"message": "made to fail"}}, "failed")
            try:
                reply = paths[self.path](json.loads(data))
            except (ValueError, AttributeError) as error:
                return self._send(400, {"error": {"message": str(error)}}, "not understood")
            except AventrikError as error:
                return self._send(500, {"error": {"message": str(error)}}, "not able")
            if "choices" in reply and draw() < manners.broken:
                message = reply["choices"][0]["message"]
                message["content"] = message["content"].replace(":", ";", 1).rstrip("}")
                return self._send(200, reply, "broken")
            if "choices" in reply and draw() < manners.short:
                message = reply["choices"][0]["message"]
                message["content"] = message["content"][: len(message["content"]) // 2]
                return self._send(200, reply, "short")
            return self._send(200, reply, "served")

        def _too_many(self) -> bool:
            if not manners.limit:
                return False
            with gate:
                now = time.monotonic()
                while recent and recent[0] < now - 60:
                    recent.popleft()
                if len(recent) >= manners.limit:
                    return True
                recent.append(now)
                return False

        def _send(self, status: int, body: dict[str, Any], outcome: str = "", extra: Mapping[str, str] = {}) -> str:
            data = json.dumps(body, ensure_ascii=False).encode()
            try:
                self.send_response(status)
                for name, value in {"Content-Type": "application/json", **extra}.items():
                    self.send_header(name, value)
                self.send_header("Content-Length", str(len(data)))
                self.end_headers()
                self.wfile.write(data)
                self.wfile.flush()
            except OSError:
                self.close_connection = True
                return "broken off by the caller"
            return outcome

    server = ThreadingHTTPServer((host, port), Handler)
    server.daemon_threads = True
    return server
