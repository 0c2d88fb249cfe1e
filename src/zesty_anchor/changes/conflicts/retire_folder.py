"""The change that takes an old install's folder into the attic."""

from __future__ import annotations

import errno
import os
import shutil
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange
from zesty_anchor.changes.change import Bench, Record, Stage
from zesty_anchor.files import folders
from zesty_anchor.files.removal import discard
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem, UsageProblem


class RetireFolder(BaseChange, frozen=True):
    """Move one folder to the attic."""

    folder: Path
    name: str
    kind: ClassVar[str] = "conflict"
    action: ClassVar[str] = "retire"
    stage: ClassVar[Stage] = Stage.CLEAR

    @property
    def subject(self) -> str:
        """The folder."""
        return self.name

    @property
    def key(self) -> str:
        """See ``Change``."""
        return f"conflict:{self.folder}"

    @property
    def detail(self) -> str:
        """Where it goes."""
        return "to the attic"

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        number = 1
        while os.path.lexists(bench.attic / f"{number:03}-folder"):
            number += 1
        room = bench.attic / f"{number:03}-folder"
        room.mkdir(mode=0o700)
        return {"folder": str(self.folder), "kept": str(room / self.folder.name), "name": self.name}

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        move(self.folder, Path(record["kept"]))


class RetireFolders:
    """The kind."""

    name = "conflict"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[RetireFolder]:
        """See ``Kind``."""
        for folder in wanted.removals:
            if os.path.lexists(folder):
                _check_removable(folder, machine)
                yield RetireFolder(folder, machine.locations.shown(folder))

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        folder, kept = Path(record["folder"]), Path(record["kept"])
        if not os.path.lexists(kept):
            gone = not os.path.lexists(folder)
            return (f"{record['name']} does not come back: it was thrown away from the attic",) if gone else ()
        if os.path.lexists(folder):
            if folder.is_dir() and kept.is_dir() and _same(folder, kept):
                discard(kept)  # a move between file systems was cut off after the copy back was whole
                return ()
            return (f"{record['name']} exists again, so the old one stays in {kept}",)
        folders.make(folder.parent)
        move(kept, folder)
        folders.remove_empty([str(kept.parent)])
        return ()


def _check_removable(folder: Path, machine: Machine) -> None:
    """Raises where a folder is not one that may be taken away."""
    real = Path(os.path.realpath(folder))
    for own, what in (
        (machine.locations.home, "your home"),
        (machine.locations.data, "zesty-anchor's own folder"),
        (machine.locations.state, "zesty-anchor's own folder"),
        (Path(sys.executable), "the Python that zesty-anchor itself runs on"),
        (Path(sys.prefix), "the Python that zesty-anchor itself runs on"),
        (Path(__file__), "zesty-anchor itself"),
    ):
        for place in (own, Path(os.path.realpath(own))):
            if real == place or real in place.parents:
                raise UsageProblem(
                    f"{folder} holds {what}, so it is not removed",
                    where="[[conflicts.remove]]",
                    advice="name the folder of the old install alone"
                    + (", or install zesty-anchor with another Python first" if "Python" in what else ""),
                )
    if not os.access(folder.parent, os.W_OK | os.X_OK):
        raise Problem(
            f"{folder} cannot be removed: the folder around it is not yours to write",
            where=str(folder.parent),
            advice="take the entry out of [[conflicts.remove]]: the new version is put before it on PATH anyway",
        )


def move(source: Path, target: Path) -> None:
    """Rename; between file systems copy beside, rename into place, and only then remove the source."""
    try:
        source.rename(target)
        return
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
    beside = target.with_name(f".{target.name}.zesty-anchor-{os.getpid()}")
    try:
        if source.is_dir() and not source.is_symlink():
            shutil.copytree(source, beside, symlinks=True)
        else:
            shutil.copy2(source, beside, follow_symlinks=False)
        beside.rename(target)
    finally:
        if os.path.lexists(beside):
            discard(beside)
    if source.is_dir() and not source.is_symlink():
        discard(source)
    else:
        source.unlink()


def _same(one: Path, other: Path) -> bool:
    """Whether two folders hold the same names, kinds and bytes."""
    return _tree(one) == _tree(other)


def _tree(folder: Path) -> dict[str, object]:
    found: dict[str, object] = {}
    for root, names, files in os.walk(folder):
        for name in (*names, *files):
            path = Path(root, name)
            key = str(path.relative_to(folder))
            if path.is_symlink():
                found[key] = os.readlink(path)
            elif path.is_dir():
                found[key] = "folder"
            else:
                found[key] = path.read_bytes()
    return found
