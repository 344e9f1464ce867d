"""One POST to a server, with retries, limits and a circuit breaker."""

from __future__ import annotations

import asyncio
import email.utils
import random
import re
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, NoReturn

import httpx

from ..core.errors import Unavailable
from .connection import Connection
from .limits import Breaker, Pace, Shared, SharedBucket, Sleep, TokenBucket
from .replies import parsed

_AGAIN = frozenset({408, 409, 425, 429, 500, 502, 503, 504, 529})
_LONGEST_WAIT = 60.0  # seconds between two attempts, unless the server asks for more
_SHOWN = 200
_PACKED = ("", "identity", "gzip", "deflate")
Waiting = Callable[[float, float], None]


def nobody(passed: float, whole: float) -> None:
    """Is told of a wait, and shows nothing."""


class Refused(Exception):
    """The server understood and said no, to this request alone; `status` is the HTTP code."""

    def __init__(self, status: int, reason: str) -> None:
        super().__init__(reason)
        self.status = status


class _TooLarge(Exception):
    """A reply went over its limit."""


@dataclass(frozen=True)
class _Came:
    """What came back: status, headers, and the text of the body without the key."""

    status: int
    headers: Mapping[str, str]
    text: str

    @property
    def asks_to_wait(self) -> bool:
        """Whether the server is well, but wants to be left alone for a while."""
        return self.status == 429 or bool(_retry_after(self.headers.get("retry-after", "")))


@dataclass(frozen=True)
class Posted:
    """A reply, and how many attempts and seconds it took."""

    body: dict[str, Any]
    attempts: int
    seconds: float


class Caller:
    """Posts JSON to one server. `transport` and `sleep` are the seams that tests put functions behind; `waiting` is told
    (seconds waited, seconds in all) while the server is left alone; `limits` counts for other processes too."""

    def __init__(
        self,
        connection: Connection,
        transport: httpx.AsyncBaseTransport | None = None,
        sleep: Sleep = asyncio.sleep,
        waiting: Waiting = nobody,
        limits: Shared | None = None,
    ) -> None:
        self.connection = connection
        self._secret = connection.secret()
        self._sleep = sleep
        self._waiting = waiting
        self._slots = asyncio.Semaphore(connection.concurrency)
        self._requests = self._bucket("requests", connection.requests_per_minute, limits)
        self._tokens = self._bucket("tokens", connection.tokens_per_minute, limits)
        self._pace = Pace(sleep=self._shown)
        self._breaker = Breaker(max(8, 2 * connection.concurrency, connection.attempts))
        self._stopped = ""
        headers = {"Accept-Encoding": "gzip, deflate"}
        if self._secret:
            headers["Authorization"] = f"Bearer {self._secret.value}"
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

    def _bucket(self, what: str, rate: float, limits: Shared | None) -> TokenBucket | SharedBucket:
        """Keeps to a limit; to one that all processes share, where there is a store that counts for all."""
        if limits is None:
            return TokenBucket(rate, sleep=self._sleep)
        name = f"{self.connection.address} {self.connection.model} {what}"
        return SharedBucket(name, rate, limits, self._sleep)

    async def close(self) -> None:
        """Closes all connections."""
        await self._client.aclose()

    async def get(self, path: str) -> dict[str, Any]:
        """One GET without retries, for a test of the connection."""
        try:
            return self._body(await self._fetched("GET", path), path)
        except (httpx.HTTPError, TimeoutError, _TooLarge) as error:
            raise Unavailable(f"{self._who} {self._reason(error)}") from None

    async def post(self, path: str, body: Mapping[str, Any], tokens: int) -> Posted:
        """The server's JSON reply. `tokens` is the estimate that the limit is charged with.

        A server that says when to come back is not down: all requests to it wait so long and then come at its pace,
        and that counts as no failure. Raises `Refused` when this request can't be served, and `Unavailable` when none
        can: no such host, wrong path, no permission, so many failures in a row that the server counts as down, or a
        wait beyond the connection's patience.
        """
        async with self._slots:
            began, waited = time.monotonic(), 0.0
            reason, down = "", False
            sent = failed = 0
            while failed < self.connection.attempts:
                if self._stopped:
                    raise Unavailable(self._stopped)
                await self._requests.take(1)
                await self._tokens.take(tokens)
                await self._pace.take()
                sent += 1
                wait = self.connection.backoff * 2 ** min(sent - 1, 20) * (0.5 + random.random())
                try:
                    came = await self._fetched("POST", path, body)
                    if came.status not in _AGAIN:
                        reply = self._body(came, path)
                        self._breaker.success()
                        self._pace.good()
                        return Posted(reply, sent, time.monotonic() - began)
                    reason = f"answered {came.status}: {_reason(came)}"
                    if "response_format" in came.text:  # a form of reply that the server does not know
                        self._breaker.success()
                        raise Refused(400, reason)
                    asked = _retry_after(came.headers.get("retry-after", ""))
                    if came.asks_to_wait:
                        self._breaker.success()
                        waited += self._held_up(max(1.0, asked or min(wait, _LONGEST_WAIT)), waited, reason)
                        continue
                    down = False
                except _TooLarge:
                    raise Refused(
                        0, f"its reply is over {self.connection.reply_megabytes} MB (reply_megabytes)"
                    ) from None
                except (httpx.HTTPError, TimeoutError) as error:
                    reason = self._reason(error)
                    down = isinstance(error, httpx.ConnectError)
                failed += 1
                if self._breaker.failure():
                    self._stop(f"{self._who} {reason}; gave up after many failures in a row, what was finished is kept")
                if failed < self.connection.attempts:
                    await self._sleep(min(wait, _LONGEST_WAIT))
            if down:  # nobody is there: that is no fault of this request
                self._stop(f"{self._who} {reason}")
            raise Refused(0, f"{reason} ({self.connection.attempts} attempts)")

    def _held_up(self, seconds: float, waited: float, reason: str) -> float:
        """Lets all requests wait; returns the seconds. Raises `Unavailable` where that is beyond the patience."""
        patience = self.connection.patience
        if waited + seconds > patience:
            self._stop(
                f"{self._who} {reason}; it wants to be left alone for {waited + seconds:,.0f} s in all, over the patience "
                f"of {patience:,.0f} s; what was finished is kept"
            )
        self._pace.held_up(seconds)
        return seconds

    async def _shown(self, seconds: float) -> None:
        """Sleeps, and says so second by second where it is long."""
        passed = 0.0
        while seconds - passed > 2:
            self._waiting(passed, seconds)
            await self._sleep(1)
            passed += 1
        await self._sleep(seconds - passed)

    async def _fetched(self, method: str, path: str, body: Mapping[str, Any] | None = None) -> _Came:
        """What the server sends, within the time of one request and the size of one reply, unpacked as it comes."""
        limit = self.connection.reply_megabytes * 1_000_000
        kept = bytearray()
        async with asyncio.timeout(self.connection.timeout):
            json = None if body is None else dict(body)
            async with self._client.stream(method, path, json=json) as response:
                if response.headers.get("content-encoding", "").strip().lower() not in _PACKED:
                    raise httpx.DecodingError("the reply is packed in a way that was not asked for")
                async for part in response.aiter_bytes():
                    kept += part
                    if len(kept) > limit:
                        raise _TooLarge
                secret = self._secret if response.status_code >= 300 else self._secret.in_answers
                text = secret.clean(kept.decode(_encoding(response), "replace"))
                return _Came(response.status_code, response.headers, text)

    @property
    def _who(self) -> str:
        return f"model '{self.connection.name}' at {self.connection.address}:"

    def _reason(self, error: Exception) -> str:
        if isinstance(error, (httpx.TimeoutException, TimeoutError)):
            return f"no answer within {self.connection.timeout:g} s"
        if isinstance(error, _TooLarge):
            return f"its reply is over {self.connection.reply_megabytes} MB"
        if isinstance(error, httpx.LocalProtocolError):  # its text quotes headers
            return "the request could not be sent as HTTP"
        text = self._secret.clean(str(error))[:_SHOWN] or type(error).__name__
        if isinstance(error, httpx.ConnectError):
            return f"can't connect ({text}); is the server running, and the address right?"
        return f"the connection broke ({text})"

    def _body(self, came: _Came, path: str) -> dict[str, Any]:
        """The reply as JSON; raises what fits the status."""
        status = came.status
        if status in (401, 403):
            variable = self.connection.key_variable
            hint = f"check the key in {variable}" if variable else "it wants a key: set key_variable for this model"
            self._stop(f"{self._who} answered {status}, not allowed; {hint}")
        if status in (404, 405):
            model = f" and the model '{self.connection.model}'" if self.connection.model else ""
            self._stop(f"{self._who} answered {status} for {path}; check the address{model}")
        if status >= 300:
            raise Refused(status, f"answered {status}: {_reason(came)}")
        try:
            body: dict[str, Any] = self._secret.in_answers.cleaned(parsed(came.text))
        except (ValueError, RecursionError) as error:
            if "html" in came.headers.get("content-type", "") or came.text.lstrip()[:1] == "<":
                self._stop(f"{self._who} answered {path} with a web page, not JSON; check the address")
            raise Refused(status, f"the server's reply {error}") from None
        return body

    def _stop(self, reason: str) -> NoReturn:
        self._stopped = reason
        raise Unavailable(reason)


def _reason(came: _Came) -> str:
    return " ".join(came.text[: 4 * _SHOWN].split())[:_SHOWN] or "no reason given"


def _encoding(response: httpx.Response) -> str:
    """The encoding that a reply names, or UTF-8, in which JSON is."""
    try:
        "".encode(named := response.charset_encoding or "utf-8")
        return named
    except (LookupError, ValueError):
        return "utf-8"


def _retry_after(value: str) -> float:
    """Seconds to wait, from a number or an HTTP date; 0 for neither."""
    value = value.strip()
    if re.fullmatch(r"[0-9]{1,9}", value):
        return float(value)
    try:
        return min(1e9, max(0.0, email.utils.parsedate_to_datetime(value).timestamp() - time.time()))
    except (TypeError, ValueError, OverflowError):
        return 0.0
