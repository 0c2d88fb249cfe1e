"""The change that sets variables for the whole system, in /etc/environment."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import FileChange, PlainKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.record import FileRecord, Reverted
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
    touches: ClassVar[frozenset[str]] = frozenset({"system_environment", "login_path"})
    privileged: ClassVar[bool] = True

    @property
    def commands(self) -> tuple[Command, ...]:
        """What has the same effect, typed by hand."""
        return pam_environment.by_hand(self.edit.file.content or b"", dict(self.variables))

    def prepare(self, bench: Bench) -> FileRecord:
        """Copy the file to the attic. The superuser may write it, so it is not asked whether we may."""
        record = self.saved(bench)
        record.privileged = True
        return record

    def carry_out(self, bench: Bench, record: FileRecord) -> None:
        """Have the superuser put the new one in place."""
        _put(bench, str(record.after), record.mode)


class SystemVariables(PlainKind):
    """The kind."""

    name = "system-variables"
    record = FileRecord

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[SetSystemVariables]:
        """One edit, where a variable is missing or has another value."""
        if not wanted.system_variables:
            return
        file = machine.system_environment
        after = pam_environment.with_variables(file.content or b"", dict(wanted.system_variables))
        if after != file.content:
            yield SetSystemVariables(Edit(file, after), str(file.path), wanted.system_variables)

    def take_back(self, record: FileRecord, bench: Bench) -> Reverted:
        """Have the superuser put the old one back; what someone else changed since then stays."""
        found = reversal(record.kept)
        if not found.needed:
            return Reverted(found.told, needed=found.needs)
        restored = Path(bench.attic.keep("environment.restored", found.content or b"") or "")
        try:
            _put(bench, str(restored), record.mode)
        except Problem as problem:
            return Reverted((*found.told, f"{record.name} could not be put back: {problem.what}"), whole=False)
        finally:
            restored.unlink()
        return Reverted(found.told)


def _put(bench: Bench, source: str, mode: int) -> None:
    """Copy a file beside /etc/environment and rename it into place, as the superuser."""
    lines: list[str] = []
    for command in (
        ("install", "-o", "root", "-g", "root", "-m", f"{mode:o}", source, _BESIDE),
        ("mv", "-T", _BESIDE, str(pam_environment.FILE)),
    ):
        if bench.run_privileged(command, lines.append) != 0:
            raise Problem(
                f"{pam_environment.FILE} could not be written: {lines[-1] if lines else 'no reason given'}",
                advice="is the file system read-only?",
            )
