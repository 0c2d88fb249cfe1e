"""What failed before anything was changed here: it is reported apart, and decides nothing."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

import msgspec

from zesty_anchor.proof.result import PROGRAMS, STARTS, CheckResult, Proof, ShellResult, in_short, starts_of
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.sealed import in_copy
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.ready import takes_commands
from zesty_anchor.survey.startup.without_ours import without_ours
from zesty_anchor.system.namespaces import Closed

Baseline = Mapping[str, str]
"""What was observed of each check that failed before: by shell, way of starting and name."""


def with_baseline(proof: Proof, machine: Machine) -> Proof:
    """The same proof, with what was so before marked: of each shell that takes no command, whether it takes
    none without our lines either. It is started once more for that, in a copy of the home. Where the system
    allows no copy, the proof stays as it is.
    """
    stuck = [
        (shell, context)
        for shell in machine.shells
        for context in SHELLS[shell.name].contexts
        if any(r.shell == shell.name and r.context == context.name and _is_stuck(r) for r in proof.shells)
    ]
    if not stuck:
        return proof
    try:
        starts = in_copy(
            without_ours(machine),
            lambda home: [takes_commands(shell, context, machine) for shell, context in stuck],
        )[0]
    except Closed:
        return proof
    before = {(s.name, c.name) for (s, c), takes in zip(stuck, starts, strict=True) if not takes}
    every = {name for name, _ in before}
    return marked(
        proof, lambda r, c: (r.shell, r.context) in before or (r.context == PROGRAMS and r.shell in every)
    )


def _is_stuck(result: ShellResult) -> bool:
    return any(check.name == STARTS and not check.ok for check in result.checks)


def baseline_of(proof: Proof) -> Baseline:
    """What of a proof was so before, to be kept. Pure."""
    return {_key(result, check): _seen(check) for result, check in proof.earlier}


def kept(proof: Proof, earlier: Baseline | None) -> Baseline:
    """The baseline after a run: what the first one found, without what is well by now. What broke later was
    not so before. Pure.
    """
    now = baseline_of(proof)
    return now if earlier is None else {key: seen for key, seen in earlier.items() if key in now}


def compared(proof: Proof, baseline: Baseline | None) -> Proof:
    """The same proof, with every failure marked that is in the baseline, and is as it was then. Pure."""
    known = baseline or {}
    return marked(proof, lambda result, check: known.get(_key(result, check)) == _seen(check))


def marked(proof: Proof, was_so: Callable[[ShellResult, CheckResult], bool]) -> Proof:
    """The same proof with the failures marked that were so before. Pure."""
    shells = []
    for result in proof.shells:
        checks = tuple(
            msgspec.structs.replace(check, before=True) if check.decides and was_so(result, check) else check
            for check in result.checks
        )
        shells.append(
            msgspec.structs.replace(result, checks=checks, ok=not any(check.decides for check in checks))
        )
    return Proof(all(result.ok for result in shells), tuple(shells))


def _key(result: ShellResult, check: CheckResult) -> str:
    return "\0".join((result.shell, result.context, check.name))


def _seen(check: CheckResult) -> str:
    """Numbers, times among them, may be others at each start."""
    return re.sub(r"\d+", "0", check.observed)


def notices_of(proof: Proof) -> list[str]:
    """The same, a sentence each. Pure."""
    return [
        f"already so before this run: {check.name!r} failed in {starts_of(results)}:"
        f" {check.observed.splitlines()[0]}"
        for check, results in in_short(proof.earlier).items()
    ]
