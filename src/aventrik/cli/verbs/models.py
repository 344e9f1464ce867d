"""`aventrik models`: lists the configured models and roles, and tests every connection."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from ..screen import Screen

HELP = "Lists the models and roles of aventrik.toml; with --test asks each one something small."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("models", metavar="MODEL", nargs="*", help="models to test (default: all)")
    parser.add_argument(
        "--test", action="store_true", help="is it reachable, known, how quick, does it keep to a schema"
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Lists and tests; exit code 3 when a tested model can't be used."""
    from ...core.errors import BadInput
    from ...engine.opened import Opened
    from ...workspace.toml import nearest

    opened = Opened(Path(options.workspace))
    opened.tell = screen.warn
    workspace = opened.workspace
    configured = workspace.settings.models
    for name in options.models:
        if name not in configured:
            raise BadInput(f"no model is named '{name}'{nearest(name, list(configured))}")
    chosen = options.models or list(configured)
    models = opened.models
    roles = workspace.settings.roles.model_dump(mode="json")
    found = [
        {
            "model": name, "kind": configured[name].kind, "does": configured[name].does,
            "where": configured[name].address or configured[name].path or configured[name].reads_with,
            "roles": [role for role, who in workspace.settings.roles.named if who == name],
            **({"test": _tested(models, name)} if options.test else {}),
        }
        for name in chosen
    ]  # fmt: skip
    screen.result({"roles": roles, "models": found})
    screen.say("roles: " + ", ".join(f"{role} = {who}" for role, who in workspace.settings.roles.named))
    if not found:
        screen.say("no model is configured beside the built-in 'offline'; aventrik.toml shows how")
    columns = ["model", "kind", "does", "where", *(["test"] if options.test else [])]
    if found:
        screen.table(
            columns,
            [
                [r["model"], r["kind"], r["does"], r["where"], *([_told(r["test"])] if options.test else [])]
                for r in found
            ],
        )
    return 3 if any(row.get("test", {}).get("error") for row in found) else 0


def _tested(models: Any, name: str) -> dict[str, Any]:
    from ...core.errors import AventrikError
    from ...models.caller import Refused

    try:
        return dict(models.tester(name).test())
    except (AventrikError, Refused) as error:
        return {"error": str(error)}


def _told(test: dict[str, Any]) -> str:
    if test.get("error"):
        return f"FAILED: {test['error']}"
    parts = ["works"]
    if test.get("known") is False:
        parts.append("but the server does not list this model")
    if "seconds" in test:
        parts.append(f"{test['seconds'] * 1000:,.0f} ms")
    if test.get("tokens_a_second"):
        parts.append(f"{test['tokens_a_second']:,.0f} tokens a second")
    if "dimensions" in test:
        parts.append(f"{test['dimensions']} dimensions")
    if "json" in test:
        parts.append(f"JSON: {test['json']}")
    return ", ".join(parts)
