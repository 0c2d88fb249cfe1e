"""The change that takes an old install's folder into the attic."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.files import folders
from zesty_anchor.files.move import finish_move, move, same
from zesty_anchor.files.removal import discard_any
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.cutting import removable
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem, UsageProblem


class FolderRecord(Record, kw_only=True, tag="conflict"):
    """Where the folder stood, where it is kept in the attic, and how a person reads it."""

    folder: str
    kept: str
    name: str

    def in_attic(self) -> dict[str, str]:
        """The folder."""
        return {self.folder: self.kept}

    def places(self) -> tuple[str, ...]:
        """The folder."""
        return (self.folder,)


class RetireFolder(BaseChange, frozen=True):
    """Move one folder to the attic."""

    folder: Path
    name: str
    kind: ClassVar[str] = "conflict"
    action: ClassVar[str] = "remove"
    stage: ClassVar[Stage] = Stage.CLEAR
    touches: ClassVar[frozenset[str]] = frozenset({"home", "shelf"})

    @property
    def subject(self) -> str:
        """The folder."""
        return self.name

    @property
    def key(self) -> str:
        """The folder."""
        return f"conflict:{self.folder}"

    @property
    def detail(self) -> str:
        """Where it goes."""
        return "to the attic"

    def prepare(self, bench: Bench) -> FolderRecord:
        """Make room for it in the attic."""
        return FolderRecord(
            folder=str(self.folder), kept=str(bench.attic.place(self.folder.name)), name=self.name
        )

    def carry_out(self, bench: Bench, record: FolderRecord) -> None:
        """Move it there."""
        move(self.folder, Path(record.kept))


class RetireInstall(RetireFolder, frozen=True):
    """Move an old install to the attic, which has these ``programs``."""

    programs: frozenset[str]

    @property
    def gave(self) -> frozenset[str]:
        """The programs in it."""
        return self.programs


class BaseRetireFolders(BaseKind):
    """What all kinds have in common that move folders to the attic."""

    record = FolderRecord

    def take_back(self, record: FolderRecord, bench: Bench) -> Reverted:
        """Move it back. Where something stands in its place, that stays, and so does the old one in the
        attic.
        """
        folder, kept = Path(record.folder), Path(record.kept)
        finish_move(folder, kept)
        finish_move(kept, folder)
        if not os.path.lexists(kept):
            gone = not os.path.lexists(folder)
            told = f"{record.name} is not restored: it was deleted from the attic"
            return Reverted((told,)) if gone else WHOLE
        if os.path.lexists(folder):
            if same(folder, kept):
                # A move between file systems was cut off after the copy was whole.
                discard_any(kept)
                folders.remove_empty([str(kept.parent)])
                return WHOLE
            return Reverted((f"{record.name} exists again, so the old one stays in {kept}",))
        folders.make(folder.parent)
        move(kept, folder)
        folders.remove_empty([str(kept.parent)])
        return WHOLE


class Removable(msgspec.Struct, frozen=True):
    """A folder that is to go: how a person reads it, and the problem where it must not, or cannot."""

    name: str
    problem: Problem | None


class RetireFolders(BaseRetireFolders):
    """The kind."""

    name = "conflict"
    heading = Heading.REMOVAL

    def look(self, wanted: Wanted, machine: Machine) -> Mapping[Path, Removable]:
        """Of the folders to be removed, those that are there and that no prompt or start still uses."""
        locations = machine.locations
        going, _ = removable(wanted.removals, wanted.stale_variables, machine)
        there = (folder for folder in going if os.path.lexists(folder))
        return {
            folder: Removable(locations.shown(folder), _hindrance(folder, wanted.folder, locations))
            for folder in there
        }

    def plan(self, wanted: Wanted, facts: Mapping[Path, Removable]) -> Iterable[RetireInstall]:
        """One for each. Raises ``Problem`` where one holds what must stay, or cannot be moved."""
        for folder, found in facts.items():
            if found.problem is not None:
                raise found.problem
            yield RetireInstall(folder, found.name, programs_in(folder))


_BINS = ("bin", "sbin", "shims", "current/bin")
"""Where an install has its programs, below its folder."""


def programs_in(folder: Path) -> frozenset[str]:
    """The names of the programs in a folder and in those below it, as an install lays them out."""
    found: set[str] = set()
    for part in (folder, *(folder / name for name in _BINS)):
        with suppress(OSError), os.scandir(part) as entries:
            found |= {each.name for each in entries if each.is_file() and os.access(each.path, os.X_OK)}
    return frozenset(found)


def _hindrance(folder: Path, manifest: Path, locations: Locations) -> Problem | None:
    """Why a folder is not one that may be taken away; None where it may."""
    real = Path(os.path.realpath(folder))
    if os.path.ismount(folder):
        return UsageProblem(
            f"{folder} is where another file system is mounted, so it is not removed",
            where="[[conflicts.remove]]",
            advice="unmount it, or name the folders in it",
        )
    for own, what in (
        (locations.home, "your home"),
        (manifest, "the manifest"),
        (locations.data, "zesty-anchor's own folder"),
        (locations.state, "zesty-anchor's own folder"),
        (Path(sys.executable), "the Python that zesty-anchor itself runs on"),
        (Path(sys.prefix), "the Python that zesty-anchor itself runs on"),
        (Path(__file__), "zesty-anchor itself"),
    ):
        for place in (own, Path(os.path.realpath(own))):
            if real == place or real in place.parents:
                return UsageProblem(
                    f"{folder} holds {what}, so it is not removed",
                    where="[[conflicts.remove]]",
                    advice="name the folder of the old install alone"
                    + (", or install zesty-anchor with another Python first" if "Python" in what else ""),
                )
    if not os.access(folder.parent, os.W_OK | os.X_OK):
        return Problem(
            f"{folder} cannot be removed: the folder around it is not yours to write",
            where=str(folder.parent),
            advice=(
                "take the entry out of [[conflicts.remove]]: the new version is put before it on PATH anyway"
            ),
        )
    return None
