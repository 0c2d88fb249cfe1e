"""Edits of a person's file that make a failing check pass: each was tried in a copy of the home first."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import msgspec

from zesty_anchor.files.text_file import TextFile, read_text_file
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.prove import Asking, prove
from zesty_anchor.proof.result import HERE, STARTS, Cause, CheckResult, Proof, ShellResult, by_cause
from zesty_anchor.proof.starts import NO_ERROR, SILENT
from zesty_anchor.proof.verified import PROVISION
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.sealed import World, in_copy
from zesty_anchor.shells.syntax import passes
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.line_edits import guarded, removed
from zesty_anchor.system.namespaces import Closed
from zesty_anchor.system.problem import Problem

_MOST = 8
"""How many edits are tried: each takes a start of every shell concerned."""


class Fix(msgspec.Struct, frozen=True):
    """An edit of ``file`` that makes the checks with one ``cause`` pass, and none fail. ``text`` says what it
    does; ``before`` and ``after`` are the file's content.
    """

    cause: Cause
    text: str
    file: TextFile
    after: bytes


def with_fixes(
    proof: Proof, wanted: Wanted, machine: Machine, jobs: int, *, earlier: bool = False
) -> tuple[Proof, tuple[Fix, ...]]:
    """The edits that were tried and help, one for each cause that is a line of the person's; and the proof
    with what each cause's fix is by now. Of a cause for which none helps, it says what was tried.

    With ``earlier`` they are looked for as well for what failed before provisioning. Where the system allows
    no copy of the home, nothing is tried, and the proof stays as it is.
    """
    found: dict[Cause, Fix | None] = {}
    left = _MOST
    listed = [*proof.failures, *(proof.earlier if earlier else ())]
    listed = [(result, check) for result, check in listed if not result.in_folder]
    for cause, failed in by_cause(listed).items():
        if not isinstance(cause, Cause) or not cause.is_startup_line or failed[0][1].fix == PROVISION:
            continue
        file = _own_file(cause, machine)
        if file is None:
            continue
        tried = list(_candidates(cause, file, failed, machine))[:left]
        if not tried:
            continue
        left -= len(tried)
        try:
            found[cause] = next((fix for fix in tried if _helps(fix, proof, wanted, machine, jobs)), None)
        except Closed:
            return proof, ()
    return _with_fix_texts(proof, found), tuple(fix for fix in found.values() if fix is not None)


def _with_fix_texts(proof: Proof, found: dict[Cause, Fix | None]) -> Proof:
    """The proof with the texts of what was found."""

    def of(check: CheckResult) -> CheckResult:
        if check.cause is None or check.cause not in found:
            return check
        fix = found[check.cause]
        text = fix.text if fix is not None else f"look at {check.cause.place}: {_NO_HELP}"
        return msgspec.structs.replace(check, fix=text)

    shells = tuple(
        msgspec.structs.replace(result, checks=tuple(map(of, result.checks))) for result in proof.shells
    )
    return Proof(proof.ok, shells)


_NO_HELP = "without that statement other checks fail, or the same one still does"


def _own_file(cause: Cause, machine: Machine) -> TextFile | None:
    """The file that a cause is a line of, where it is a writable one in the home, and none of ours."""
    home = machine.locations.home
    path = home / cause.file[2:] if cause.file.startswith("~/") else Path(cause.file)
    real = Path(os.path.realpath(path))
    if not path.is_relative_to(home) or real.is_relative_to(machine.locations.data):
        return None
    try:
        file = read_text_file(path)
    except Problem:
        return None
    return file if file.content is not None and file.writable and file.owner is None else None


def _candidates(
    cause: Cause, file: TextFile, failed: list[tuple[ShellResult, CheckResult]], machine: Machine
) -> Iterator[Fix]:
    """The edits to try, the one that loses least first."""
    _, check = failed[0]
    shell = next((SHELLS[r.shell] for r, _ in failed if r.shell in SHELLS), None)
    if shell is None or file.content is None:
        return
    content, seen = file.content, {file.content}
    program = next(each.program for each in machine.shells if each.name == shell.name)
    edits: list[tuple[str, bytes | None]] = []
    if check.name in (SILENT, NO_ERROR) or check.name.startswith(STARTS):
        text = f"write `{shell.at_terminal.strip()}` at the beginning of {cause.place}"
        edits.append((text, guarded(content, cause.line, shell, lambda: machine.fish_parser)))
    edits.append((f"delete {cause.place}", removed(content, cause.line, shell, lambda: machine.fish_parser)))
    rows = content.splitlines(keepends=True)
    edits.append((f"delete {cause.place}", b"".join((*rows[: cause.line - 1], *rows[cause.line :]))))
    for text, after in edits:
        if after is not None and after not in seen and _readable((program, shell.check), content, after):
            seen.add(after)
            rows_gone = content.count(b"\n") - after.count(b"\n")
            more = f"-{cause.line + rows_gone - 1}" if rows_gone > 1 else ""
            yield Fix(cause, f"{text}{more}", file, after)


def _readable(checker: tuple[str, str], before: bytes, after: bytes) -> bool:
    """Whether the shell can read a file as well as before."""
    return passes(checker, after)[0] or not passes(checker, before)[0]


def _helps(fix: Fix, proof: Proof, wanted: Wanted, machine: Machine, jobs: int) -> bool:
    """Whether each check with this cause passes after the edit, and none fails that did not. Raises
    ``Closed``.
    """
    names = _concerned(fix, proof, machine)
    world = World(machine.locations.home, texts={fix.file.target: fix.after})
    asked = in_copy(
        world,
        lambda home: prove(wanted, machine.again({"startup", "sourced"}), jobs, Asking(shells=names)),
    )[0]
    before = {(r.shell, r.context, c.name): c for r in proof.shells for c in r.checks}
    for result in asked.shells:
        for check in result.checks:
            known = before.get((result.shell, result.context, check.name))
            if not check.ok and (known is None or known.ok or known.cause == fix.cause):
                return False
    # A shell that took no command at all has no other checks to compare with.
    return any(result.shell != HERE for result in asked.shells)


def _concerned(fix: Fix, proof: Proof, machine: Machine) -> tuple[str, ...]:
    """The shells in which a check with this cause fails, and those that read the file."""
    failing = {r.shell for r, c in (*proof.failures, *proof.earlier) if c.cause == fix.cause}
    reading = {
        each.name
        for each in machine.shells
        if fix.file.path in [reading.file for reading in SHELLS[each.name].reads(machine.around)]
    }
    return tuple(sorted((failing | reading) & set(SHELLS)))
