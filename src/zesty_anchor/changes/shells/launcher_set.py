"""The change that makes the launchers: one for each command of the versions on the shelf."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Found, Keep, Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.changes.replacement import bring_back
from zesty_anchor.changes.shells.launcher_texts import Runtimes, texts
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.move import move
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shelf.launchers import keep_in_step, standing
from zesty_anchor.shelf.receipt import files_in, stock
from zesty_anchor.shells.known import LAUNCH, path_forms
from zesty_anchor.shells.launch import is_launcher
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.locations import Locations


class LaunchersRecord(Record, kw_only=True, tag="launchers"):
    """The launchers that were there before, by name, with their text, and what was not ours in the place of
    one: where it stood, and where it is kept.
    """

    folder: str
    before: dict[str, str]
    aside: dict[str, str] = msgspec.field(default_factory=dict)

    def in_attic(self) -> dict[str, str]:
        """What had the place of a launcher."""
        return self.aside

    def places(self) -> tuple[str, ...]:
        """The folder."""
        return (self.folder,)


class WriteLaunchers(BaseChange, frozen=True):
    """Bring the launchers in step with the shelf. ``planned`` are those that are known before anything is
    fetched; those of them that are ``added`` are for commands that the person put into a version since.
    """

    folder: Path
    name: str
    runtimes: Runtimes
    planned: tuple[str, ...]
    action: str
    added: tuple[str, ...] = ()
    kind: ClassVar[str] = "launchers"
    stage: ClassVar[Stage] = Stage.SHELL
    touches: ClassVar[frozenset[str]] = frozenset({"launchers"})

    @property
    def subject(self) -> str:
        """The folder."""
        return self.name

    @property
    def key(self) -> str:
        """There is one such change."""
        return self.kind

    @property
    def detail(self) -> str:
        """For whom."""
        return f"{', '.join(self.planned)}: for editors, cron and make, which read no startup file"

    def prepare(self, bench: Bench) -> LaunchersRecord:
        """Write down the launchers that are there, and where goes what has the place of one and is not
        ours.
        """
        there = dict(sorted(standing(self.folder).items()))
        wanted = texts(bench.locations, self.runtimes)
        taken = [name for name in wanted if os.path.lexists(self.folder / name) and not _is_ours(name, there)]
        aside = {str(self.folder / name): str(bench.attic.place(name)) for name in taken}
        before = {name: text for name, text in there.items() if is_launcher(name, text)}
        return LaunchersRecord(folder=str(self.folder), before=before, aside=aside)

    def carry_out(self, bench: Bench, record: LaunchersRecord) -> None:
        """Make the folder hold one launcher for each command of the shelf, and no others."""
        for place, kept in record.aside.items():
            move(Path(place), Path(kept))
            shown = bench.locations.shown
            bench.remark(f"{shown(place)} was not as we wrote it: what it held is kept in {shown(kept)}")
        keep_in_step(self.folder, texts(bench.locations, self.runtimes), is_launcher)


def _is_ours(name: str, there: Mapping[str, str]) -> bool:
    return name in there and is_launcher(name, there[name])


class LauncherFacts(msgspec.Struct, frozen=True):
    """The launchers that are there, those that the shelf gives now (both by name, with their text), and the
    folder.
    """

    standing: Mapping[str, str]
    given: Mapping[str, str]
    folder: Path
    name: str
    shelf: Path


class Launchers(BaseKind):
    """The kind."""

    name = "launchers"
    heading = Heading.OURS
    gives_way = True

    def found(self, locations: Locations) -> Iterable[Found]:
        """Those that are ours, byte for byte."""
        folder = locations.launchers
        if any(is_launcher(name, text) for name, text in standing(folder).items()):
            yield locations.shown(folder), "create", LaunchersRecord(folder=str(folder), before={})

    def without(self, earlier: LaunchersRecord, later: LaunchersRecord, keep: Keep) -> LaunchersRecord:
        """The later ones were made over the earlier ones."""
        return msgspec.structs.replace(later, before=earlier.before, aside={**earlier.aside, **later.aside})

    def follow(self, record: LaunchersRecord, move: HomeMove) -> LaunchersRecord | None:
        """The launchers of before name the file that does their work."""
        before = {name: moved_launcher(text, move) for name, text in record.before.items()}
        return msgspec.structs.replace(record, before=before) if before != record.before else None

    record = LaunchersRecord

    def look(self, wanted: Wanted, machine: Machine) -> LauncherFacts:
        """Go through the commands on the shelf."""
        locations = machine.locations
        given = texts(locations, runtimes_of(wanted))
        return LauncherFacts(
            machine.launchers, given, locations.launchers, locations.shown(locations.launchers),
            locations.shelf,
        )  # fmt: skip

    def plan(self, wanted: Wanted, facts: LauncherFacts) -> Iterable[WriteLaunchers]:
        """One change for all of them. A command that an extra brings gets its launcher by ``keep_in_step``
        later.
        """
        coming = {name: v.runtime for v in wanted.versions for name in v.recipe.commands}
        there, standing = facts.given, facts.standing
        missing = [name for name in coming if name not in there and name not in standing]
        stale = {name for name, text in there.items() if standing.get(name) != text}
        gone = standing.keys() - there.keys() - coming.keys()
        if missing or stale or gone:
            planned = tuple(sorted({*missing, *stale} or gone))
            action = "edit" if standing else "create"
            new = [name for name in planned if name in there and name not in standing]
            added = tuple(_added_by_hand(new, facts.shelf, runtimes_of(wanted)))
            yield WriteLaunchers(facts.folder, facts.name, runtimes_of(wanted), planned, action, added)

    def take_back(self, record: LaunchersRecord, bench: Bench) -> Reverted:
        """Make the folder hold those of before."""
        keep_in_step(Path(record.folder), record.before, is_launcher)
        bring_back(record.aside)
        return WHOLE


def _added_by_hand(names: Iterable[str], shelf: Path, runtimes: Runtimes) -> Iterator[str]:
    """Those commands of the shelf whose files we did not put there."""
    left, places = set(names), dict(runtimes)
    for runtime, version in stock(shelf) if left else ():
        files = files_in(shelf / runtime / version) or {}
        for part in places.get(runtime, ()):
            left -= {name for name in left if str(Path(part, name)) in files}
    yield from sorted(left)


def moved_launcher(text: str, move: HomeMove) -> str:
    """The text of a launcher in a home that was moved."""
    return move.content(os.fsencode(text), *path_forms(LAUNCH)).decode("utf-8", "surrogateescape")


def follow_launchers(folder: Path, move: HomeMove) -> int:
    """Update the launchers in a folder after the home was moved. Returns how many were written."""
    written = 0
    for name, text in standing(folder).items():
        moved = moved_launcher(text, move)
        if moved != text and is_launcher(name, text):
            replace(folder / name, os.fsencode(moved), 0o755)
            written += 1
    return written


def runtimes_of(wanted: Wanted) -> Runtimes:
    """The runtimes whose commands get launchers."""
    return tuple((name, recipe.bin) for name, recipe in wanted.recipes.items())
