"""What was verified as JUnit's XML, which build servers read."""

from __future__ import annotations

from pathlib import Path
from xml.etree import ElementTree

from zesty_anchor.files.replace import replace
from zesty_anchor.proof.verified import Verified
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.problem import UsageProblem
from zesty_anchor.system.visible import visible


def write_junit(file: Path, seen: Verified) -> None:
    """Write it: one suite for each start of a shell, and one for what stands otherwise than it was put
    there.
    """
    if not file.absolute().parent.is_dir():
        what = f"the folder for {file} is not there"
        raise UsageProblem(
            what, where=str(file.absolute().parent), advice="make it, or name another file after --junit"
        )
    total = sum(len(each.checks) for each in seen.shells) + len(seen.drift)
    failed = len(seen.proof.failures) + len(seen.drift)
    top = ElementTree.Element(
        "testsuites", name="zesty-anchor verify", tests=str(total), failures=str(failed)
    )
    top.set("time", f"{seen.seconds:.3f}")
    for result in seen.shells:
        name = f"{result.shell} ({result.context})" if result.context else result.shell
        bad = sum(check.decides for check in result.checks)
        suite = _suite(top, name, len(result.checks), bad, result.startup_ms / 1000)
        for check in result.checks:
            case = ElementTree.SubElement(
                suite, "testcase", classname=_text(name), name=_text(check.name), time="0"
            )
            if check.before:
                ElementTree.SubElement(
                    case, "skipped", message=_text(f"it failed before provisioning too: {check.observed}")
                )
            if check.decides:
                cause = check.cause
                why = (
                    f"{cause.place}: {cause.what}"
                    if cause and cause.place
                    else cause.what
                    if cause
                    else check.observed
                )
                rows = [f"expected: {check.expected}", f"observed: {check.observed}"]
                rows += (
                    [f"cause: {why}"]
                    + ([f"  {cause.text}"] if cause and cause.text else [])
                    + [f"fix: {check.fix}"]
                )
                _failure(case, why, rows)
    if seen.drift:
        suite = _suite(top, "installed", len(seen.drift), len(seen.drift), 0.0)
        for each in seen.drift:
            name = f"{each.action} {each.subject}"
            case = ElementTree.SubElement(
                suite, "testcase", classname="installed", name=_text(name), time="0"
            )
            _failure(case, f"{each.place}: {each.what}", [each.state, f"fix: {each.fix}"])
    ElementTree.indent(top)
    replace(file.absolute(), ElementTree.tostring(top, encoding="utf-8", xml_declaration=True) + b"\n", 0o644)


def _suite(
    top: ElementTree.Element, name: str, tests: int, failures: int, seconds: float
) -> ElementTree.Element:
    counted = {
        "tests": str(tests),
        "failures": str(failures),
        "errors": "0",
        "skipped": "0",
        "time": f"{seconds:.3f}",
    }
    return ElementTree.SubElement(top, "testsuite", {"name": _text(name), **counted})


def _failure(case: ElementTree.Element, message: str, rows: list[str]) -> None:
    failure = ElementTree.SubElement(case, "failure", message=_text(message), type="failure")
    failure.text = _text("\n".join(rows))


def _text(text: str) -> str:
    """What XML can hold (XML 1.0, 2.2): control characters made visible, and no names and passwords of
    addresses.
    """
    rows = (visible(row) for row in without_credentials(text).split("\n"))
    return "\n".join(rows).encode("utf-8", "replace").decode()
