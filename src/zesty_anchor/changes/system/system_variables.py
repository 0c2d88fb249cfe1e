"""The change that sets variables for the whole system, in /etc/environment."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from zesty_anchor.changes.base import FileChange, PlainKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import FileRecord, Reverted
from zesty_anchor.files.edit import Copies, Edit, reversal
from zesty_anchor.files.replace import content_of
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import pam_environment, root_store
from zesty_anchor.system.command import Command
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
        """Have the superuser put the new one in place, and keep both where the superuser alone may change
        them.
        """
        before, after = self.edit.file.content or b"", self.edit.after or b""
        notes = [
            *root_store.note(bench.run, "environment.before", before.decode("utf-8", "surrogateescape")),
            *root_store.note(bench.run, "environment.after", after.decode("utf-8", "surrogateescape")),
        ]
        _put(bench, before, after, notes)


class SystemVariables(PlainKind):
    """The kind."""

    name = "system-variables"
    heading = Heading.SYSTEM
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
        """Have the superuser put the old one back; what someone else changed since then stays. What it held
        before and after is taken from where the superuser alone could have written it.
        """
        run = bench.run
        before, after = (root_store.noted(run, f"environment.{which}") for which in ("before", "after"))
        if before is None or after is None:
            told = f"{record.name} stays as it is: what it held is not noted in {root_store.folder(run)}"
            return Reverted((told,) if record.kept.is_after(content_of(pam_environment.FILE)) else ())
        found = reversal(_copies(run, record))
        if found.needed:
            try:
                _put(bench, found.now or b"", found.content or b"")
            except Problem as problem:
                return Reverted(
                    (*found.told, f"{record.name} could not be put back: {problem.what}"), whole=False
                )
        bench.as_root([root_store.clear(run, "environment.*")])
        return Reverted(found.told, needed=found.needs)


def _copies(run: str, record: FileRecord) -> Copies:
    """The copies of a run that can be believed. They are short enough for one piece each."""
    folder = root_store.folder(run)
    before, after = (str(folder / f"environment.{which}.0") for which in ("before", "after"))
    return Copies(
        path=str(pam_environment.FILE), name=record.name, mode=record.mode, before=before, after=after
    )


def _put(bench: Bench, before: bytes, content: bytes, notes: Iterable[Command] = ()) -> None:
    """Give /etc/environment a content in place of another, as the superuser, after these notes."""
    text = content.decode("utf-8", "surrogateescape")
    failed = bench.as_root([*notes, root_store.write(str(pam_environment.FILE), text, _BESIDE, before)])
    if failed:
        raise Problem(
            f"{pam_environment.FILE} could not be written: {failed}",
            advice="run it again; if it fails again: is the file system read-only?",
        )
