"""How a server is reached and what may be asked of it."""

from __future__ import annotations

import os
from dataclasses import dataclass

from ..core.keys import content_key
from .secret import Secret, read_secret


@dataclass(frozen=True)
class Connection:
    """One model on a server. Times are in seconds, limits a minute, prices per million tokens.

    `timeout` is what one request may take from its first byte to the reply's last, `patience` how long in all it
    waits when the server says when to come back, `reply_megabytes` how large a reply may be when it is unpacked.
    `key_variable` names the environment variable with the key; the key itself is never held here.
    """

    name: str
    address: str
    model: str
    key_variable: str = ""
    concurrency: int = 8
    requests_per_minute: int = 0
    tokens_per_minute: int = 0
    timeout: float = 60.0
    patience: float = 600.0
    reply_megabytes: int = 32
    attempts: int = 6
    backoff: float = 0.5
    price_in: float = 0.0
    price_out: float = 0.0
    context: int = 8192
    reply_tokens: int = 1024
    temperature: float = 0.0

    @property
    def writing_key(self) -> str:
        """What the replies of a language model depend on: which model, and how it is asked. Where it runs is no part of it:
        the same model on another server gives what is kept already."""
        return content_key("writes", self.model, self.temperature, self.reply_tokens, self.context)

    @property
    def reading_key(self) -> str:
        """The same of a model that embeds or scores: which one, and how much it reads."""
        return content_key("reads", self.model, self.context)

    @property
    def earlier_key(self) -> str:
        """What keys of calls were made of by earlier versions, whose calls still count."""
        return content_key(self.address, self.model, self.temperature, self.reply_tokens, self.context)

    def secret(self) -> Secret:
        """The key from the environment; raises `BadInput` when it is not set, or can't be sent."""
        if not self.key_variable:
            return Secret()
        return read_secret(f"model '{self.name}'", self.key_variable, os.environ.get(self.key_variable))

    def price(self, tokens_in: int, tokens_out: int) -> float:
        """What so many tokens cost, in the currency of the prices."""
        return (tokens_in * self.price_in + tokens_out * self.price_out) / 1e6
