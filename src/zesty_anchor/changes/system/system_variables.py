"""The change that sets variables for the whole system, in /etc/environment."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import ClassVar

from zesty_anchor.changes.base import FileChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.files.edit import Edit, reversal
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import pam_environment
from zesty_anchor.system.package_manager import Command
from zesty_anchor.system.problem import Problem

_BESIDE = "/etc/.environment.zesty-anchor"


class SetSystemVariables(FileChange, frozen=True):
    """Edit /etc/environment."""

    variables: tuple[tuple[str, str], ...]
    kind: ClassVar[str] = "system-variables"
    stage: ClassVar[Stage] = Stage.PREPARE
    privileged: ClassVar[bool] = True

    @property
    def commands(self) -> tuple[Command, ...]:
        """See ``Change``: what has the same effect, typed by hand."""
        return pam_environment.by_hand(self.edit.file.content or b"", dict(self.variables))

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        return {**self.edit.saved(bench), "privileged": True}

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        _put(bench, str(record["after"]), str(record["mode"]))


class SystemVariables:
    """The kind."""

    name = "system-variables"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[SetSystemVariables]:
        """See ``Kind``."""
        if not wanted.system_variables or machine.system_environment is None:
            return
        file = machine.system_environment
        after = pam_environment.with_variables(file.content or b"", dict(wanted.system_variables))
        if after != file.content:
            yield SetSystemVariables(Edit(file, after), str(file.path), wanted.system_variables)

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        found = reversal(record)
        if not found.needed:
            return found.told
        restored = bench.attic / "environment.restored"
        restored.write_bytes(found.content or b"")
        try:
            _put(bench, str(restored), str(record["mode"]))
        except Problem as problem:
            return [*found.told, f"{record['name']} could not be put back: {problem.what}"]
        finally:
            restored.unlink()
        return found.told


def _put(bench: Bench, source: str, mode: str) -> None:
    """Copy a file beside /etc/environment and rename it into place, as the superuser."""
    lines: list[str] = []
    for command in (
        ("install", "-o", "root", "-g", "root", "-m", f"{int(mode):o}", source, _BESIDE),
        ("mv", "-T", _BESIDE, str(pam_environment.FILE)),
    ):
        if bench.run_privileged(command, lines.append) != 0:
            raise Problem(
                f"{pam_environment.FILE} could not be written: {lines[-1] if lines else 'no reason given'}",
                advice="is the file system read-only?",
            )
