"""What a gate said as JUnit XML, which services for continuous integration show."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path

from ..core.visible import visible
from ..results.gated import Check, Gated
from ..workspace.files import write_whole
from .figures import more_told


def write_junit(path: Path, found: Gated) -> None:
    """A test case a check: failed, or skipped where it is undecided and that counts as passed."""
    from junitparser import Failure, JUnitXml, Properties, Property, Skipped, TestCase, TestSuite

    suite = TestSuite(f"gate: {visible(found.run.name)}")
    facts = Properties()
    for name, value in (("run", found.run.id), ("testset", found.run.testset), ("baseline", found.baseline or "none")):
        facts.add_property(Property(name, visible(str(value))))
    suite.append(facts)
    for check in found.checks:
        case = TestCase(visible(limit_told(check)), f"gate.{visible(found.run.testset)}", 0.0)
        told = visible(found_told(check))
        if check.state == "failed":
            case.result = [Failure(told, "limit")]
        elif check.state == "undecided":
            case.result = [
                Failure(told, "undecided") if found.undecided_counts == "fail" else Skipped(f"undecided: {told}")
            ]
        case.system_out = told
        suite.add_testcase(case)
    suite.update_statistics()
    whole = JUnitXml("aventrik gate")
    whole.add_testsuite(suite)
    whole.update_statistics()
    body = BytesIO()
    whole.write(body, pretty=True)
    write_whole(path, body.getvalue())


def limit_told(check: Check) -> str:
    """A limit in a few words, which are the same for every run: 'hit@5, kind table: worse by at most 0.03'."""
    what = check.measure + (f", {check.group}" if check.group else "")
    if check.way == "gone":
        return f"{what}: at most {check.allowed:.0%} gone"
    if check.way == "failures":
        return f"{what}: at most {check.allowed:.0%} of the questions"
    way = {"least": "at least", "most": "at most", "drop": "worse by at most"}[check.way]
    margin = f", within {check.margin:g}" if check.margin else ""
    allowed = f"{check.allowed:.4g}" if check.share is None else f"{check.share:.0%}"
    return f"{what}: {way} {allowed}{margin}"


def found_told(check: Check) -> str:
    """What was found at a limit, in a few words."""
    held = check.held
    if held is None or check.way in ("gone", "failures"):
        return check.why
    sign = "+" if check.way == "drop" else ""
    told = f"{held.value:{sign}.4g} [{held.low:{sign}.4g} {held.high:{sign}.4g}] on {held.n} questions"
    if held.documents:
        told += f" about {held.documents} documents"
    if check.base is not None:
        told += f", baseline {check.base:.4g}"
    if held.more:
        told += f"; {more_told(held)}"
    if held.unable:
        told += "; so few questions could not have failed, whatever the run had come to"
    return told
