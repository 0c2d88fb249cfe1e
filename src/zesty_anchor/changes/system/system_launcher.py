"""The change that gives root a command of a runtime, by a file in /usr/local/bin that root owns."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.known import LAUNCH
from zesty_anchor.shells.launch import for_root, is_for_root
from zesty_anchor.survey.machine import Machine, generated_file
from zesty_anchor.system import root_store
from zesty_anchor.system.command import Command
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.trusted import others_can_change

FOLDER = Path("/usr/local/bin")
"""It is on the PATH that sudo and services have (sudoers(5), "secure_path"; systemd.exec(5), "PATH")."""
_OPEN = "root would run files that others can change"
_REMOVE = """# remove $1
set -eu
[ -f "$1" ] && [ ! -L "$1" ] && [ -O "$1" ] || exit 0
rm -- "$1"
"""


class SystemLauncherRecord(Record, kw_only=True, tag="system-launcher"):
    """The command, and the text of its file before and after; None: no file."""

    command: str
    before: str | None
    after: str | None

    def places(self) -> tuple[str, ...]:
        """The file."""
        return (str(FOLDER / self.command),)


class WriteSystemLauncher(BaseChange, frozen=True):
    """Write the file of one command, or remove it where ``text`` is None."""

    command: str
    before: str | None
    text: str | None
    kind: ClassVar[str] = "system-launcher"
    stage: ClassVar[Stage] = Stage.CLEAR
    privileged: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """The file."""
        return str(FOLDER / self.command)

    @property
    def action(self) -> str:
        """What is done to it."""
        return "remove" if self.text is None else "create" if self.before is None else "edit"

    @property
    def key(self) -> str:
        """The command."""
        return f"{self.kind}:{self.command}"

    @property
    def detail(self) -> str:
        """For whom."""
        return f"{self.command} for root: sudo, services"

    @property
    def commands(self) -> tuple[Command, ...]:
        """What writes or removes it."""
        return _commands(self.command, self.text)

    def prepare(self, bench: Bench) -> SystemLauncherRecord:
        """Write down what was and will be there."""
        return SystemLauncherRecord(
            privileged=True, command=self.command, before=self.before, after=self.text
        )

    def carry_out(self, bench: Bench, record: SystemLauncherRecord) -> None:
        """Write or remove it, after root has noted both texts. Raises ``Problem`` where that fails, or where
        another file is there by now.
        """
        if _text(self.command) != self.before:
            raise Problem(f"{self.subject} was changed meanwhile", advice="zesty-anchor preview")
        notes = [
            *root_store.note(bench.run, _note(self.command, "before"), _noted(self.before)),
            *root_store.note(bench.run, _note(self.command, "after"), _noted(self.text)),
        ]
        failed = bench.as_root([*notes, *self.commands])
        if failed:
            raise Problem(f"{self.subject} could not be written: {failed}", advice="is it read-only?")


class SystemLauncherFacts(msgspec.Struct, frozen=True):
    """The file of one command: the text that is there, and the one that is wanted (None: no file); and why it
    cannot be written (empty: it can).
    """

    command: str
    there: str | None
    wanted: str | None
    reason: str = ""


class SystemLaunchers(BaseKind):
    """The kind."""

    name = "system-launcher"
    heading = Heading.SYSTEM
    record = SystemLauncherRecord

    def look(self, wanted: Wanted, machine: Machine) -> Sequence[SystemLauncherFacts]:
        """Read the files that are there, and look who can change what they would run."""
        asked = wanted.elsewhere.sudo or ()
        given = {name for version in wanted.versions for name in version.recipe.commands}
        given |= machine.launchers.keys()
        found = []
        for command in sorted({*asked, *given}):
            there, text = _text(command), _text_for(command, machine)
            if command in asked:
                reason = _reason(command, there, given, machine)
                found.append(SystemLauncherFacts(command, there, text, reason))
            elif there == text:
                found.append(SystemLauncherFacts(command, there, None))
        return found

    def plan(self, wanted: Wanted, facts: Sequence[SystemLauncherFacts]) -> Iterable[WriteSystemLauncher]:
        """One for each that is missing, is another one, or is not wanted any more."""
        for file in facts:
            if not file.reason and file.there != file.wanted:
                yield WriteSystemLauncher(file.command, file.there, file.wanted)

    def notices(self, wanted: Wanted, facts: Sequence[SystemLauncherFacts]) -> Sequence[str]:
        """Those that are skipped, each with the reason."""
        reasons: dict[str, list[str]] = {}
        for file in facts:
            if file.reason:
                reasons.setdefault(file.reason, []).append(file.command)
        return [
            f"[elsewhere] sudo is skipped for {', '.join(names)}: {reason}"
            + (f"; zesty-anchor trace {names[0]} shows what to write with sudo" if _OPEN in reason else "")
            for reason, names in reasons.items()
        ]

    def take_back(self, record: SystemLauncherRecord, bench: Bench) -> Reverted:
        """Put the file of before back, by what root noted; one that somebody wrote since stays."""
        run, name = bench.run, record.command
        before, after = (root_store.noted(run, _note(name, which)) for which in ("before", "after"))
        place, there = FOLDER / name, _text(name)
        if before is None or after is None:
            stays = there is not None and there == record.after
            where = root_store.folder(run)
            return Reverted((f"{place} stays: what was there is not noted in {where}",) if stays else ())
        notices: tuple[str, ...] = ()
        if _noted(there) == after:
            if before and not is_for_root(before):
                return Reverted((f"{place} stays: what was there before is not ours",))
            failed = bench.as_root(_commands(name, before or None))
            if failed:
                return Reverted((f"{place} could not be put back: {failed}",), whole=False)
        elif there is not None:
            notices = (f"{place} stays as somebody wrote it since",)
        names = (f"{_note(name, which)}.*" for which in ("before", "after"))
        bench.as_root([root_store.clear(run, *names)])
        return Reverted(notices) if notices else WHOLE


def _commands(command: str, text: str | None) -> tuple[Command, ...]:
    place = str(FOLDER / command)
    if text is None:
        return (("sh", "-c", _REMOVE, "sh", place),)
    beside = str(FOLDER / f".{command}.zesty-anchor")
    return (("mkdir", "-p", str(FOLDER)), root_store.write(place, text, beside), ("chmod", "755", place))


def _noted(text: str | None) -> str:
    """As root notes it: a file of ours is never empty."""
    return text or ""


def _note(command: str, which: str) -> str:
    return f"system-launcher-{command}-{which}"


def _text(command: str) -> str | None:
    try:
        return (FOLDER / command).read_text("utf-8", "replace")
    except OSError:
        return None


def _text_for(command: str, machine: Machine) -> str:
    locations = machine.locations
    common = str(generated_file(locations, LAUNCH))
    return for_root(command, str(locations.launchers), common, str(locations.shelf))


def _reason(command: str, there: str | None, given: Iterable[str], machine: Machine) -> str:
    """Why a command is skipped; empty where it is not."""
    if command not in given:
        return "no version of the manifest has it"
    if (there is not None and not is_for_root(there)) or (there is None and (FOLDER / command).is_symlink()):
        return f"{FOLDER / command} is there already, and is not ours"
    for place in _decisive(machine):
        if changer := others_can_change(str(place)):
            shown = machine.locations.shown
            return f"{_OPEN} ({shown(Path(changer))})"
    return ""


def _decisive(machine: Machine) -> Iterator[Path]:
    """What decides which bytes run: where they are, or will be."""
    locations = machine.locations
    for place in (locations.launchers, generated_file(locations, LAUNCH).parent, locations.shelf):
        while not place.exists() and place != place.parent:
            place = place.parent
        yield place
