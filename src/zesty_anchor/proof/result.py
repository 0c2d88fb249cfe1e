"""What new shells answered."""

from __future__ import annotations

from collections.abc import Collection, Iterable

import msgspec

PROGRAMS = "programs"
"""The name of the round in which the small programs run."""
STARTS = "it starts"
"""The check that a shell comes to its first command."""
HERE = "this machine"
"""Stands in place of a shell for what needs none."""


class Cause(msgspec.Struct, frozen=True):
    """Why a check failed, and where: a line of a ``file`` and its ``text``, a file that is missing or
    broken (no ``line``), or a missing ``package`` of the system.
    """

    what: str
    file: str = ""
    line: int = 0
    text: str = ""
    package: str = ""

    @property
    def place(self) -> str:
        """The file, with the line where there is one."""
        return f"{self.file}:{self.line}" if self.line else self.file

    @property
    def is_startup_line(self) -> bool:
        """Whether it is a line of a startup file, and none of a manifest: an edit can be tried."""
        return bool(self.line) and not self.file.endswith(".toml")


class CheckResult(msgspec.Struct, frozen=True):
    """One check in one shell. If it failed: the ``cause``, if it is known, and a ``fix``: a command, or a
    line to edit. ``about`` is the command, the ``$VARIABLE`` or ``PATH`` that it checks; empty for the
    start of the shell. ``before`` means that it failed before anything was changed here as well: it is
    reported, and changes no exit status.
    """

    name: str
    ok: bool
    expected: str
    observed: str
    cause: Cause | None = None
    fix: str = ""
    about: str = ""
    before: bool = False

    @property
    def decides(self) -> bool:
        """Whether it failed, and counts."""
        return not self.ok and not self.before


IN_FOLDER = "in "
"""How the context of a shell begins that was started in a folder with pins."""


class ShellResult(msgspec.Struct, frozen=True):
    """All checks of one shell in one context. ``startup_ms`` is the time until it took its first command,
    ``diverting`` are variables in it that lead a runtime or its package tool elsewhere.
    """

    shell: str
    context: str
    ok: bool
    startup_ms: float
    checks: tuple[CheckResult, ...]
    diverting: tuple[str, ...] = ()

    @property
    def in_folder(self) -> bool:
        """Whether it was started in a folder with pins: what it checks is about those."""
        return self.context.startswith(IN_FOLDER)


class Proof(msgspec.Struct, frozen=True):
    """The checks of all shells."""

    ok: bool
    shells: tuple[ShellResult, ...]

    @property
    def told(self) -> str:
        """What it came to, in a few words."""
        checks = sum(len(shell.checks) for shell in self.shells)
        return f"{checks} checks passed" if self.ok else f"{len(self.failures)} of {checks} checks failed"

    @property
    def marks(self) -> dict[str, dict[str, list[bool]]]:
        """By check and shell, whether it was well in each way of starting that shell."""
        found: dict[str, dict[str, list[bool]]] = {}
        for result in self.shells:
            for check in result.checks:
                found.setdefault(check.name, {}).setdefault(result.shell, []).append(not check.decides)
        return found

    @property
    def by_cause(self) -> dict[Cause | tuple[str, str], list[tuple[ShellResult, CheckResult]]]:
        """What failed and counts, by its cause."""
        return by_cause(self.failures)

    @property
    def failures(self) -> list[tuple[ShellResult, CheckResult]]:
        """Every check that failed and counts, with its shell."""
        return [(shell, check) for shell in self.shells for check in shell.checks if check.decides]

    @property
    def earlier(self) -> list[tuple[ShellResult, CheckResult]]:
        """Every check that failed before anything was changed here as well, with its shell."""
        return [
            (shell, check) for shell in self.shells for check in shell.checks if not check.ok and check.before
        ]

    def spared(self, names: Collection[str]) -> tuple[Proof, list[CheckResult]]:
        """The proof without the failures of these checks, and those failures."""
        failed = [check for _, check in self.failures if check.name in names]
        shells = []
        for shell in self.shells:
            checks = tuple(check for check in shell.checks if check not in failed)
            well = not any(check.decides for check in checks)
            shells.append(msgspec.structs.replace(shell, checks=checks, ok=well))
        proof = Proof(all(shell.ok for shell in shells), tuple(shells)) if failed else self
        return proof, failed

    def failing(self, about: Collection[str]) -> list[tuple[ShellResult, CheckResult]]:
        """The failures that are about some commands, ``$VARIABLES`` or ``PATH``."""
        return [(shell, check) for shell, check in self.failures if check.about in about]


def by_cause(
    listed: Iterable[tuple[ShellResult, CheckResult]],
) -> dict[Cause | tuple[str, str], list[tuple[ShellResult, CheckResult]]]:
    """Failures by their cause; where that is not known by the check and what was observed. Pure."""
    found: dict[Cause | tuple[str, str], list[tuple[ShellResult, CheckResult]]] = {}
    for shell, check in listed:
        found.setdefault(check.cause or (check.name, check.observed), []).append((shell, check))
    return found


def in_short(found: Iterable[tuple[ShellResult, CheckResult]]) -> dict[CheckResult, list[ShellResult]]:
    """What was so before: each check once, with the shells. Of a shell that takes no command that one alone
    is told. Pure.
    """
    listed = list(found)
    stuck = {(result.shell, result.context) for result, check in listed if check.name == STARTS}
    told: dict[CheckResult, list[ShellResult]] = {}
    for result, check in listed:
        if check.name == STARTS or (result.shell, result.context) not in stuck:
            told.setdefault(check, []).append(result)
    return told


def starts_of(results: Iterable[ShellResult]) -> str:
    """Shells, each with the ways of starting it: ``bash (login; interactive), zsh (login)``. Pure."""
    ways: dict[str, dict[str, None]] = {}
    for result in results:
        ways.setdefault(result.shell, {})[result.context] = None
    return ", ".join(f"{shell} ({'; '.join(contexts)})" for shell, contexts in ways.items())
