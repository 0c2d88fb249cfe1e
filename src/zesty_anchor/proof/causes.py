"""Why a check failed: asked of the shell's start, line by line, and of what stands on the shelf."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import msgspec

from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.checks import ABSOLUTE, FOLLOWS, fetches, follows, personal, programs, questions
from zesty_anchor.proof.reasons import PlaceOf, Reasons
from zesty_anchor.proof.result import HERE, PROGRAMS, CheckResult, Proof, ShellResult
from zesty_anchor.proof.verified import PROVISION, Drift
from zesty_anchor.proof.written import ENDS, UNREAD
from zesty_anchor.shells.known import SH, SHELLS
from zesty_anchor.shells.reading import INTERACTIVE
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.provenance import traces


def explained(
    proof: Proof, wanted: Wanted, machine: Machine, place_of: PlaceOf, drift: Iterable[Drift] = ()
) -> Proof:
    """The same proof, with the cause of each check that failed and what fixes it. The shells concerned are
    started once more, and watched. ``drift`` is what stands otherwise than the manifest says.
    """
    if not proof.failures and not proof.earlier:
        return proof
    asked = {q.name: q for q in (*questions(wanted, machine.locations), *programs(wanted))}
    asked |= {check.name: personal(check, wanted) for check in wanted.checks if check.run is not None}
    asked |= {q.name: q for q in fetches(wanted)}
    asked |= {FOLLOWS: follows(SH), ABSOLUTE.name: ABSOLUTE}
    seen = [*proof.failures, *proof.earlier]
    failing = {result.shell for result, _ in seen if result.shell != HERE}
    abouts = {check.about for _, check in seen} - {"", "PATH"} | {"cd"}
    started = traces(machine, failing, abouts) if failing else []
    handed = {trace.landed for trace in started if trace.landed in wanted.shells} - failing
    started += traces(machine, handed, abouts) if handed else []
    by_start = {(trace.shell, trace.context): trace for trace in started}
    reasons = Reasons(wanted, machine, place_of, drift)

    def of(result: ShellResult, check: CheckResult) -> CheckResult:
        if check.ok or check.cause is not None:
            return check
        trace = by_start.get((result.shell, result.context))
        if result.in_folder:
            trace = by_start.get((result.shell, INTERACTIVE.name))
        if result.context == PROGRAMS:
            trace = next((t for t in started if t.shell == result.shell), None)
        if trace is not None and trace.landed in wanted.shells:  # it was that one that answered
            trace = by_start.get((trace.landed, INTERACTIVE.name), trace)
        cause, fix = reasons.of(check, asked.get(check.name), trace)
        return msgspec.structs.replace(check, cause=cause, fix=check.fix or fix)

    shells = tuple(
        msgspec.structs.replace(result, checks=tuple(of(result, check) for check in result.checks))
        for result in proof.shells
    )
    return Proof(proof.ok, shells)


def lines_outdone(proof: Proof, machine: Machine) -> tuple[frozenset[Path], frozenset[Path]]:
    """The startup files in which our line is to stand last, since a line of the person's wins; and those
    where it is to stand above what ends their reading. Pure.
    """
    last: set[Path] = set()
    first: set[Path] = set()
    for result, check in proof.failures:
        cause = check.cause
        if cause is None or check.fix != PROVISION or result.shell not in SHELLS:
            continue
        files = {site.file for site in SHELLS[result.shell].sites(machine.around)}
        if cause.what.endswith(UNREAD):
            first |= files
        if not cause.line:
            continue
        ended = {
            file
            for file in files
            if cause.what.startswith(ENDS) and machine.locations.shown(file) == cause.file
        }
        first |= ended
        last |= set() if ended else files
    return frozenset(last - first), frozenset(first)
