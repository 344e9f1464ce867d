"""Aventrik: which retrieval configuration is better on your own documents, is that real, why, what does it cost?

    import aventrik

    with aventrik.open("mine") as opened:
        aventrik.gather(opened, ["documents"])
        aventrik.run(opened, testset="asked")
        print(aventrik.compare(opened).to_pandas())

All that the command line does is a function here (see `aventrik.api`, and docs/library.md).
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .api import *  # noqa: F403

__version__ = "0.1.0"


def __dir__() -> list[str]:
    api = import_module("aventrik.api")
    return [*api.__all__, "__version__"]


def __getattr__(name: str) -> Any:
    if name == "__all__":
        return __dir__()
    if name.startswith("__"):
        raise AttributeError(name)
    api = import_module("aventrik.api")
    if name not in api.__all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(api, name)
