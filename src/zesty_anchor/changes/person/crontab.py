"""The change that puts the commands on the PATH of cron's jobs, by a line in the person's crontab."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import crontab
from zesty_anchor.system.problem import Problem


class CrontabRecord(Record, kw_only=True, tag="crontab"):
    """The folder of launchers that our line names, and the one that it named before (empty: there was no
    line).
    """

    launchers: str
    before: str


class EditCrontab(BaseChange, frozen=True):
    """Add our line, update it, or remove it. ``launchers`` is the folder that it puts on PATH (empty: it
    goes).
    """

    launchers: str
    kind: ClassVar[str] = "crontab"
    stage: ClassVar[Stage] = Stage.SHELL

    @property
    def subject(self) -> str:
        """The crontab."""
        return "your crontab"

    @property
    def action(self) -> str:
        """What is done to it."""
        return "edit"

    @property
    def key(self) -> str:
        """There is one."""
        return self.kind

    @property
    def detail(self) -> str:
        """What the line does."""
        if not self.launchers:
            return "the line that sets PATH for its jobs goes"
        return f"a first line that puts {self.launchers} on the PATH of its jobs"

    def prepare(self, bench: Bench) -> CrontabRecord:
        """Write down what is there."""
        text = crontab.read() or ""
        before = text if crontab.without_ours(text) != text else ""
        named = crontab.path_of(before).partition(":")[0] if before else ""
        return CrontabRecord(launchers=self.launchers, before=named)

    def carry_out(self, bench: Bench, record: CrontabRecord) -> None:
        """Give the crontab that has the line, whatever else was changed in it meanwhile. Raises ``Problem``
        where crontab(1) refuses.
        """
        _set(record.launchers)


class Crontabs(BaseKind):
    """The kind."""

    name = "crontab"
    heading = Heading.SETTINGS
    record = CrontabRecord
    when_changed = "has no line of ours any more, or another one"

    def look(self, wanted: Wanted, machine: Machine) -> tuple[str, str | None, bool]:
        """The folder of launchers, the text of the crontab, and whether it is that of this home."""
        ours = crontab.is_of_home(machine.locations.home)
        return str(machine.locations.launchers), crontab.read() if ours else None, ours

    def plan(self, wanted: Wanted, facts: tuple[str, str | None, bool]) -> Iterable[EditCrontab]:
        """One change, where our line is missing, names another folder, or is not wanted any more."""
        launchers, text, _ = facts
        if text is None:
            return
        if not wanted.elsewhere.cron:
            if crontab.without_ours(text) != text:
                yield EditCrontab("")
        elif not crontab.other_path(text) and crontab.with_ours(text, launchers) != text:
            yield EditCrontab(launchers)

    def notices(self, wanted: Wanted, facts: tuple[str, str | None, bool]) -> Sequence[str]:
        """Why the line is not there."""
        launchers, text, ours = facts
        if not wanted.elsewhere.cron:
            return ()
        if not ours:
            return ("[elsewhere] cron is skipped: this HOME is not your home in passwd(5)",)
        if text is None:
            return ("[elsewhere] cron is skipped: your crontab cannot be read; crontab -l says why",)
        if line := crontab.other_path(text):
            return (
                f"[elsewhere] cron is skipped: line {line} of your crontab sets PATH; add {launchers} to it",
            )
        return ()

    def follow(self, record: CrontabRecord, move: HomeMove) -> Record | None:
        """The folders are in the home."""
        moved = msgspec.structs.replace(
            record, launchers=move.path(record.launchers), before=move.path(record.before)
        )
        return moved if moved != record else None

    def take_back(self, record: CrontabRecord, bench: Bench) -> Reverted:
        """Remove our line, or write the one of before; what the person changed beside it stays."""
        if not crontab.is_of_home(bench.locations.home):
            return Reverted(("your crontab stays as it is: it belongs to another home",))
        try:
            _set(record.before)
        except Problem as problem:
            return Reverted((problem.what,), whole=False)
        return WHOLE


def _set(launchers: str) -> None:
    """Write the crontab with our line for these launchers (empty: without it). Raises ``Problem``: what
    cannot be read is not replaced.
    """
    text = crontab.read()
    if text is None:
        raise Problem("your crontab cannot be read, so it stays as it is", advice="crontab -l says why")
    wanted = crontab.with_ours(text, launchers) if launchers else crontab.without_ours(text)
    if wanted != text:
        crontab.write(wanted)
