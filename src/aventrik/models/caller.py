"""One POST to a server, with retries, limits and a circuit breaker."""

from __future__ import annotations

import asyncio
import email.utils
import random
import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import httpx

from ..core.errors import Unavailable
from .connection import Connection
from .limits import Breaker, Sleep, TokenBucket

_AGAIN = frozenset({408, 409, 425, 429, 500, 502, 503, 504, 529})
_LONGEST_WAIT = 60.0
_SHOWN = 200


class Refused(Exception):
    """The server understood and said no, to this request alone; `status` is the HTTP code."""

    def __init__(self, status: int, reason: str) -> None:
        super().__init__(reason)
        self.status = status


@dataclass(frozen=True)
class Posted:
    """A reply, and how many attempts and seconds it took."""

    body: dict[str, Any]
    attempts: int
    seconds: float


class Caller:
    """Posts JSON to one server. `transport` and `sleep` are the seams that tests put functions behind."""

    def __init__(
        self,
        connection: Connection,
        transport: httpx.AsyncBaseTransport | None = None,
        sleep: Sleep = asyncio.sleep,
    ) -> None:
        self.connection = connection
        self._secret = connection.secret()
        self._sleep = sleep
        self._slots = asyncio.Semaphore(connection.concurrency)
        self._requests = TokenBucket(connection.requests_per_minute, sleep=sleep)
        self._tokens = TokenBucket(connection.tokens_per_minute, sleep=sleep)
        self._breaker = Breaker(max(8, 2 * connection.concurrency, connection.attempts))
        self._stopped = ""
        headers = {"Authorization": f"Bearer {self._secret}"} if self._secret else {}
        self._client = httpx.AsyncClient(
            base_url=connection.address.rstrip("/"),
            headers=headers,
            timeout=httpx.Timeout(connection.timeout, connect=min(10.0, connection.timeout)),
            limits=httpx.Limits(
                max_connections=connection.concurrency, max_keepalive_connections=connection.concurrency
            ),
            transport=transport,
            trust_env=False,
        )

    async def close(self) -> None:
        """Closes all connections."""
        await self._client.aclose()

    async def get(self, path: str) -> dict[str, Any]:
        """One GET without retries, for a test of the connection."""
        try:
            return self._body(await self._client.get(path), path)
        except httpx.HTTPError as error:
            raise Unavailable(f"{self._who} {self._told(error)}") from None

    async def post(self, path: str, body: Mapping[str, Any], tokens: int) -> Posted:
        """The server's JSON reply. `tokens` is the estimate that the limit is charged with.

        Raises `Refused` when this request can't be served, and `Unavailable` when none can: no such host, wrong
        path, no permission, or so many failures in a row that the server counts as down.
        """
        async with self._slots:
            began = time.monotonic()
            reason, down = "", False
            for attempt in range(1, self.connection.attempts + 1):
                if self._stopped:
                    raise Unavailable(self._stopped)
                await self._requests.take(1)
                await self._tokens.take(tokens)
                wait = self.connection.backoff * 2 ** (attempt - 1) * (0.5 + random.random())
                try:
                    response = await self._client.post(path, json=dict(body))
                    if response.status_code not in _AGAIN:
                        reply = self._body(response, path)
                        self._breaker.success()
                        return Posted(reply, attempt, time.monotonic() - began)
                    reason = f"answered {response.status_code}: {self._reason(response)}"
                    if "response_format" in response.text:  # a form of reply that the server does not know
                        self._breaker.success()
                        raise Refused(400, reason)
                    wait = max(wait, _retry_after(response.headers.get("Retry-After", "")))
                    down = False
                except httpx.HTTPError as error:
                    reason = self._told(error)
                    down = isinstance(error, httpx.ConnectError)
                if self._breaker.failure():
                    self._stopped = (
                        f"{self._who} {reason}; gave up after many failures in a row, what was finished is kept"
                    )
                    raise Unavailable(self._stopped)
                if attempt < self.connection.attempts:
                    await self._sleep(min(wait, _LONGEST_WAIT))
            if down:  # nobody is there: that is no fault of this request
                self._stop(f"{self._who} {reason}")
            raise Refused(0, f"{reason} ({self.connection.attempts} attempts)")

    @property
    def _who(self) -> str:
        return f"model '{self.connection.name}' at {self.connection.address}:"

    def _told(self, error: httpx.HTTPError) -> str:
        if isinstance(error, httpx.TimeoutException):
            return f"no answer within {self.connection.timeout:g} s"
        text = self._clean(str(error)) or type(error).__name__
        if isinstance(error, httpx.ConnectError):
            return f"can't connect ({text}); is the server running, and the address right?"
        return f"the connection broke ({text})"

    def _body(self, response: httpx.Response, path: str) -> dict[str, Any]:
        """The reply as JSON; raises what fits the status."""
        status = response.status_code
        if status in (401, 403):
            variable = self.connection.key_variable
            hint = f"check the key in {variable}" if variable else "it wants a key: set key_variable for this model"
            self._stop(f"{self._who} answered {status}, not allowed; {hint}")
        if status in (404, 405):
            self._stop(
                f"{self._who} answered {status} for {path}; check the address and the model '{self.connection.model}'"
            )
        if status >= 400:
            raise Refused(status, f"answered {status}: {self._reason(response)}")
        try:
            body = response.json()
        except ValueError:
            if "html" in response.headers.get("content-type", "") or response.text.lstrip()[:1] == "<":
                self._stop(f"{self._who} answered {path} with a web page, not JSON; check the address")
            raise Refused(status, "the server's reply is not JSON") from None
        if not isinstance(body, dict):
            raise Refused(status, "the server's reply is not a JSON object")
        return body

    def _stop(self, reason: str) -> None:
        self._stopped = reason
        raise Unavailable(reason)

    def _reason(self, response: httpx.Response) -> str:
        return " ".join(self._clean(response.text[: 4 * _SHOWN]).split())[:_SHOWN] or response.reason_phrase

    def _clean(self, text: str) -> str:
        """Text without the key, should a server or an error repeat it."""
        return text.replace(self._secret, "[key]") if self._secret else text


def _retry_after(value: str) -> float:
    """Seconds to wait, from a number or an HTTP date; 0 for neither."""
    if value.strip().isdigit():
        return float(value)
    try:
        return max(0.0, email.utils.parsedate_to_datetime(value).timestamp() - time.time())
    except (TypeError, ValueError):
        return 0.0
