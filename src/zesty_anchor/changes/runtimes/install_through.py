"""The change that has a manager install a version, and puts it on the shelf: a link to where the manager
keeps it.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, PlainKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage, version_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import Reverted
from zesty_anchor.changes.replacement import bring_back, replacement, set_aside
from zesty_anchor.changes.runtimes import foreign
from zesty_anchor.changes.runtimes.foreign_record import ForeignRecord, Startup
from zesty_anchor.changes.runtimes.leaving import empty
from zesty_anchor.files import folders
from zesty_anchor.files.inventory import remove_same
from zesty_anchor.manifest.wanted import Wanted, WantedVersion
from zesty_anchor.shelf.build import Unhurried
from zesty_anchor.shelf.manager import ManagerProgram
from zesty_anchor.shelf.receipt import FILE_NAME, Receipt, files_in, note_files, write
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import plain_environment
from zesty_anchor.system.problem import Problem

_DEPTH = 4
"""How deep below a manager's home the folders of versions are looked for, where it was cut off."""


class ManagedRecord(ForeignRecord, kw_only=True, tag="managed-version"):
    """The manager and its ``home``, the version's place on the shelf, where the manager had it already
    (``there``) or put it (``located``), the folders ``before``, whether the receipt is ours, and what it
    ``replaced``.
    """

    manager: str
    folder: str
    there: str
    home: str
    before: list[str] = msgspec.field(default_factory=list)
    replaced: dict[str, str] = msgspec.field(default_factory=dict)
    located: str = ""
    receipt: bool = False

    def in_attic(self) -> dict[str, str]:
        """The version that gave way."""
        return self.replaced

    def places(self) -> tuple[str, ...]:
        """Its place on the shelf."""
        return (self.folder,)


class InstallThrough(BaseChange, frozen=True):
    """Have a manager install one version. It ``replaces`` the same version where that came another way.

    ``after`` is the key of the change before it: a manager does one thing at a time.
    """

    wanted: WantedVersion
    manager: WantedVersion
    startup: tuple[Startup, ...]
    replaces: bool
    after: str
    kind: ClassVar[str] = "managed-version"
    action: ClassVar[str] = "install"
    stage: ClassVar[Stage] = Stage.OBTAIN
    touches: ClassVar[frozenset[str]] = frozenset({"shelf"})
    layered: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """Runtime, version and manager."""
        return f"{self.wanted.runtime} {self.wanted.version} through {self.manager.runtime}"

    @property
    def key(self) -> str:
        """Names the change among all others."""
        return version_key(self.wanted.runtime, self.wanted.version)

    @property
    def pending(self) -> bool:
        """Whether it cannot be known exactly yet: it waits for a manager or a program, and is planned anew
        then.
        """
        return self.wanted.pending

    @property
    def needs(self) -> frozenset[str]:
        """The manager comes first."""
        return frozenset({version_key(self.manager.runtime, self.manager.version), self.after} - {""})

    @property
    def detail(self) -> str:
        """The want."""
        role = "the default" if self.wanted.default else "kept beside it"
        late = (
            f"; exact version known after {self.manager.runtime} is installed" if self.wanted.pending else ""
        )
        return f'want "{self.wanted.want}", {role}{late}'

    def prepare(self, bench: Bench) -> ManagedRecord:
        """Ask the manager whether it has it already. Raises ``Problem`` where its place on the shelf is
        taken.
        """
        if os.path.lexists(self.wanted.folder) and not self.replaces and self.wanted.folder.exists():
            raise Problem(
                f"the place of {self.subject} on the shelf is taken by something that this program did not"
                " put there",
                where=str(self.wanted.folder),
                advice="move it away, then run the command again",
            )
        program = manager_program(self.manager, bench.environ, bench.locations.home)
        there = program.locate(self.wanted.runtime, self.wanted.version)
        seen, during = foreign.begin(bench)
        return ManagedRecord(
            seen=seen,
            during=during,
            startup=[each.path for each in self.startup],
            manager=self.manager.runtime,
            folder=str(self.wanted.folder),
            there=str(there) if there else "",
            home=str(self.manager.home),
            before=sorted(_folders_below(self.manager.home)) if there is None else [],
            replaced=replacement(self.wanted.folder, bench.attic) if self.replaces else {},
            made=folders.missing(self.wanted.folder.parent),
        )

    def carry_out(self, bench: Bench, record: ManagedRecord) -> None:
        """Have it installed, see that its commands are there, and link it onto the shelf."""
        folders.make(self.wanted.folder.parent)
        name, version = self.wanted.runtime, self.wanted.version
        program = manager_program(self.manager, bench.environ, bench.locations.home)
        log = bench.log / f"{self.manager.runtime}-{name}-{version}.log"
        if not record.there:
            with foreign.watched(
                record, self.startup, bench, _own(self.manager), self.manager.runtime
            ) as traces:
                pace = Unhurried(lambda text: bench.told(self.key, f"{self.subject}, {text}"))
                program.install(name, version, log, pace, bench.interrupted, traces.within)
        located = program.locate(name, version)
        if located is None:
            raise Problem(
                f"{self.manager.runtime} says that it installed {name} {version}, and does not know where",
                where=" ".join(program.words(program.tool.locate, name, version)),
                advice=f"it must print the folder; fix locate in the recipe of {self.manager.runtime!r}",
            )
        absent = [c for c in self.wanted.recipe.commands if not _holds(located, self.wanted.recipe.bin, c)]
        if absent:
            raise Problem(
                f"what {self.manager.runtime} installed holds no command {absent[0]!r}",
                where=str(located),
                advice=f"fix bin or commands in the recipe of {name!r}",
            )
        record.located = str(located)
        record.receipt = not (located / FILE_NAME).exists()
        set_aside(record.replaced)
        channels = self.wanted.channels
        write(
            located, Receipt(name, version, self.wanted.feed, "", "", channels, through=self.manager.runtime)
        )
        if not record.there:
            note_files(located)
        if self.wanted.folder.is_symlink():
            self.wanted.folder.unlink()  # it led nowhere: the manager, or someone, had removed the version
        self.wanted.folder.symlink_to(located)


class ManagedVersions(PlainKind):
    """The kind."""

    name = "managed-version"
    heading = Heading.VERSIONS
    record = ManagedRecord

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[InstallThrough]:
        """One for each version that a manager is to bring and that did not come through it."""
        after = ""
        for version in wanted.versions:
            manager = wanted.managers.get(version.through)
            receipt = machine.shelf.get((version.runtime, version.version))
            if manager is None or (receipt is not None and receipt.through == version.through):
                continue
            startup = foreign.startup_files(machine)
            change = InstallThrough(version, manager, startup, receipt is not None, after)
            after = change.key
            yield change

    def take_back(self, record: ManagedRecord, bench: Bench) -> Reverted:
        """Remove the version, unless the manager had it before, and all that it did elsewhere; what it
        replaced comes back.

        What is not as the manager left it goes to the attic.
        """
        link, located, home = Path(record.folder), record.located, Path(record.home)
        told: tuple[str, ...] = ()
        if link.is_symlink() and (not located or os.readlink(link) == located):
            link.unlink()
        if located and not record.there:
            place = Path(located)
            files = files_in(place)
            told += empty(place, files if files is not None else foreign.own_of(record, place), bench)
            _remove_empty_above(place, home)
        elif located and record.receipt:
            (Path(located) / FILE_NAME).unlink(missing_ok=True)
        elif not record.there:
            for folder in map(Path, sorted(_folders_below(home) - set(record.before))):
                told += empty(folder, foreign.own_of(record, folder), bench)
        if not record.there:
            own = foreign.own_of(record, home)
            left = {
                name: item for name, item in own.items() if not (home / name).is_relative_to(located or "/")
            }
            remove_same(home, left)
        bring_back(record.replaced)
        reverted = foreign.take_back(record, bench, record.manager)
        return msgspec.structs.replace(reverted, notices=(*told, *reverted.notices))


def _own(manager: WantedVersion) -> tuple[Path, ...]:
    """The places that are the manager's own, none inside another."""
    places = [place for place in (manager.home, Path(os.path.realpath(manager.folder))) if place is not None]
    return tuple(p for p in places if not any(p != other and p.is_relative_to(other) for other in places))


def manager_program(manager: WantedVersion, environ: Mapping[str, str], home: Path) -> ManagerProgram:
    """A manager that stands on the shelf, ready to be spoken to."""
    assert manager.recipe.manager is not None
    environment = {**plain_environment(environ, home, manager.bins), **dict(manager.variables)}
    return ManagerProgram(manager.runtime, manager.recipe.manager, manager.bins, environment, home)


def _holds(folder: Path, bins: Iterable[str], command: str) -> bool:
    return any((folder / part / command).is_file() for part in bins)


def _folders_below(home: Path | None) -> set[str]:
    return set(_walk(str(home), _DEPTH)) if home is not None else set()


def _walk(folder: str, depth: int) -> Iterator[str]:
    try:
        entries = [entry for entry in os.scandir(folder) if entry.is_dir(follow_symlinks=False)]
    except OSError:
        return
    for entry in entries:
        yield entry.path
        if depth > 1:
            yield from _walk(entry.path, depth - 1)


def _remove_empty_above(folder: Path, home: Path) -> None:
    """Remove the folders around a version that was taken away, as far as they are empty and the manager's."""
    while home in folder.parent.parents:
        folder = folder.parent
        folders.remove_empty([str(folder)])
