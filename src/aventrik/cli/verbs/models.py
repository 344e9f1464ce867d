"""`aventrik models`: lists the configured models and roles, and tests every connection."""

from __future__ import annotations

import argparse
from typing import Any

from ..opening import open_workspace
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
    from ... import api

    opened = open_workspace(options, screen)
    found = api.list_models(opened, options.models, test=options.test)
    roles = api.list_roles(opened)
    rows = [
        {
            "model": each.model, "kind": each.kind, "does": each.does, "where": each.where, "roles": list(each.roles),
            **({} if each.test is None else {"test": each.test}),
        }
        for each in found
    ]  # fmt: skip
    screen.result({"roles": _by_role(roles), "models": rows})
    screen.say("roles: " + ", ".join(f"{role} = {who}" for role, who in roles))
    if not found:
        screen.say("no model is configured beside the built-in 'offline'; aventrik.toml shows how")
    else:
        screen.table(
            ["model", "kind", "does", "where", *(["test"] if options.test else [])],
            [[r.model, r.kind, r.does, r.where, *([] if r.test is None else [_test_line(r.test)])] for r in found],
        )
    return 3 if any(each.fails for each in found) else 0


def _by_role(roles: list[tuple[str, str]]) -> dict[str, Any]:
    """The model of each role; a list of them where there are several."""
    made: dict[str, Any] = {}
    for role, who in roles:
        made[role] = who if role not in made else [*([made[role]] if isinstance(made[role], str) else made[role]), who]
    return made


def _test_line(test: dict[str, Any]) -> str:
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
