"""The change that removes packages of the system which conflict with the manifest."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Iterable
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import root_store
from zesty_anchor.system.command import Command
from zesty_anchor.system.package_manager import PackageManager
from zesty_anchor.system.package_managers import package_manager
from zesty_anchor.system.problem import Problem


class RemovalRecord(Record, kw_only=True, tag="package-removal"):
    """The families of this system, the packages with their versions, where their files of configuration are
    kept, the copies of those that no archive holds, and those that were ``unasked``: there because others
    need them.
    """

    families: list[str]
    versions: dict[str, str]
    settings: dict[str, str] = msgspec.field(default_factory=dict)
    copies: dict[str, str] = msgspec.field(default_factory=dict)
    unasked: list[str] = msgspec.field(default_factory=list)

    def attic_copies(self) -> dict[str, str]:
        """Files of configuration as they were, and copies of packages."""
        return {
            **{copy: file for file, copy in self.settings.items()},
            **dict.fromkeys(self.copies.values(), ""),
        }


class Removal(msgspec.Struct, frozen=True):
    """What a removal would take: of the packages to go those that are installed (``names``), what goes with
    them (``more``; None: the system itself), and those of all that are nowhere to be had again (``alone``).
    """

    manager: PackageManager
    families: tuple[str, ...]
    names: tuple[str, ...]
    more: tuple[str, ...] | None
    alone: tuple[str, ...] = ()


class PurgePackages(BaseChange, frozen=True):
    """Remove packages with all that belongs to them. ``more`` are those that go with them, ``alone`` those of
    all that are nowhere to be had again.
    """

    names: tuple[str, ...]
    more: tuple[str, ...]
    alone: tuple[str, ...]
    families: tuple[str, ...]
    manager: PackageManager
    kind: ClassVar[str] = "package-removal"
    action: ClassVar[str] = "remove"
    key: ClassVar[str] = "package-removal:all"
    stage: ClassVar[Stage] = Stage.CLEAR
    privileged: ClassVar[bool] = True
    touches: ClassVar[frozenset[str]] = frozenset({"packages", "home"})

    @property
    def subject(self) -> str:
        """The packages."""
        return ", ".join((*self.names, *self.more))

    @property
    def detail(self) -> str:
        """What goes with it."""
        more = f"; with it goes what needs it: {', '.join(self.more)}" if self.more else ""
        kept = f"; no archive holds {', '.join(self.alone)}: a copy goes to the attic" if self.alone else ""
        return f"of the system{more}{kept}"

    @property
    def questions(self) -> tuple[Question, ...]:
        """More than was asked for needs a yes."""
        if not self.more:
            return ()
        text = f"removing {', '.join(self.names)} takes more with it: {', '.join(self.more)}. All of it?"
        key = "; ".join(f'[[conflicts.remove]] package = "{name}"' for name in self.more)
        return (Question("package-removal", text, key),)

    @property
    def commands(self) -> tuple[Command, ...]:
        """The package manager's own."""
        return (self.manager.typed_removal((*self.names, *self.more)),)

    def prepare(self, bench: Bench) -> RemovalRecord:
        """Keep what of their configuration can be read, and those that no archive holds."""
        names = (*self.names, *self.more)
        settings: dict[str, str] = {}
        for file in map(Path, self.manager.settings_of(names)):
            try:
                copy = str(bench.attic.keep(f"settings-{file.name}", file.read_bytes()))
                shutil.copystat(file, copy)
            except OSError:
                continue
            settings[str(file)] = copy
        copies = bench.attic.room("packages") if self.alone else Path()
        return RemovalRecord(
            privileged=True,
            families=list(self.families),
            versions=self.manager.versions(names),
            settings=settings,
            copies={name: str(self.manager.copy_of(name, copies)) for name in self.alone},
            unasked=self.manager.unasked(names),
        )

    def carry_out(self, bench: Bench, record: RemovalRecord) -> None:
        """Remove them, after what brings them back is kept where root alone may change it. Raises ``Problem``
        where that fails, or one is still there.
        """
        lines: list[str] = []
        names = tuple(record.versions)
        failed = bench.as_root(_kept_by_root(bench.run, record))
        if failed:
            raise Problem(
                f"what the packages hold could not be kept: {failed}", where=str(root_store.folder(bench.run))
            )
        status = bench.run_privileged(self.manager.removal(names), lines.append)
        if status != 0 or self.manager.all_installed() & set(names):
            raise Problem(
                f"the packages could not be removed: {lines[-1] if lines else 'it says no more'}",
                advice="the version from the manifest is active anyway: it is first on PATH",
            )


class PackageRemovals(BaseKind):
    """The kind."""

    name = "package-removal"
    heading = Heading.REMOVAL
    record = RemovalRecord

    def look(self, wanted: Wanted, machine: Machine) -> Removal | None:
        """Have the package manager try it; None where nothing is to be removed."""
        manager = machine.manager if wanted.purges else None
        if manager is None:
            return None
        here = manager.all_installed()
        names = tuple(name for name in wanted.purges if name in here)
        if not names:
            return None
        more = manager.goes_with(names)
        if more is None:
            return Removal(manager, machine.host.families, names, None)
        versions = manager.versions((*names, *more))
        alone = tuple(name for name, version in versions.items() if manager.is_alone(name, version))
        return Removal(manager, machine.host.families, names, more, alone)

    def plan(self, wanted: Wanted, facts: Removal | None) -> Iterable[PurgePackages]:
        """One change for all of them. Raises ``Problem`` where the system itself would go with it."""
        if facts is None:
            return
        if facts.more is None:
            raise Problem(
                f"{', '.join(facts.names)} cannot be removed: the system needs it",
                where="[[conflicts.remove]]",
                advice=(
                    "take it out of there: the manifest's version comes before it on PATH, and verify checks"
                    " that"
                ),
            )
        yield PurgePackages(facts.names, facts.more, facts.alone, facts.families, facts.manager)

    def take_back(self, record: RemovalRecord, bench: Bench) -> Reverted:
        """They come from apt's cache, from where it fetches packages, or from the copies kept: as root has
        noted it.
        """
        manager = package_manager(record.families, bench.environ)
        if manager is None:
            return WHOLE
        noted = _noted(bench.run)
        if noted is None:
            names = ", ".join(name for name in record.versions if name not in manager.all_installed())
            told = (
                f"the packages {names} stay away: {root_store.folder(bench.run)} does not say what they were"
            )
            return Reverted((told,) if names else ())
        record = msgspec.structs.replace(
            record,
            versions=noted.versions,
            unasked=noted.unasked,
            settings=noted.settings,
            copies=noted.copies,
        )
        here = manager.all_installed()
        missing = [name for name in record.versions if name not in here]
        if missing:
            exact = {name: record.versions[name] for name in missing if name not in record.copies}
            wanted = [
                *manager.exactly(exact),
                *(
                    str(place)
                    for name in missing
                    if (place := root_store.stands(bench.run, record.copies.get(name, "none")))
                ),
            ]
            try:
                manager.install(
                    wanted, bench.run_privileged, lambda what, done, total: None, bench.log / "packages.log"
                )
            except Problem as problem:
                told = f"the packages {', '.join(missing)} could not be restored: {problem.what}"
                return Reverted((told,), whole=False)
        marks = [name for name in record.unasked if name in missing]
        mark = manager.mark_unasked(marks) if marks else None
        if mark is not None:
            bench.run_privileged(mark, lambda line: None)
        own = set(manager.settings_of(tuple(record.versions)))
        stays = tuple(
            f"{file} has the package's own content again; what it held is kept in the attic"
            for file, name in record.settings.items()
            if file in own and bench.as_root([root_store.give(bench.run, name, file)])
        )
        if not stays:
            bench.as_root([root_store.clear(bench.run, "removal.*", "settings-*", "package-*.deb")])
        return Reverted(stays, needed=bool(stays))


class Noted(msgspec.Struct, frozen=True):
    """What brings packages back: their versions, those that were there because others need them, and by what
    name each file of configuration, and each package that no archive holds, is kept.
    """

    versions: dict[str, str]
    unasked: list[str]
    settings: dict[str, str]
    copies: dict[str, str]


def _kept_by_root(run: str, record: RemovalRecord) -> list[Command]:
    """The commands that keep all of it."""
    settings = {file: f"settings-{number}" for number, file in enumerate(record.settings)}
    copies = {name: f"package-{number}.deb" for number, name in enumerate(record.copies)}
    text = msgspec.json.encode(Noted(record.versions, record.unasked, settings, copies)).decode()
    return [
        *(root_store.copy(run, name, file) for file, name in settings.items()),
        *(
            root_store.take(run, copies[name], file, hashlib.sha256(Path(file).read_bytes()).hexdigest())
            for name, file in record.copies.items()
        ),
        *root_store.note(run, "removal", text),
    ]


def _noted(run: str) -> Noted | None:
    text = root_store.noted(run, "removal")
    try:
        return msgspec.json.decode(text, type=Noted) if text else None
    except msgspec.MsgspecError:
        return None
