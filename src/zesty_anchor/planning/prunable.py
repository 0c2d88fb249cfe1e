"""What takes disk space, and what needs each thing."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Literal, get_args

import msgspec

from zesty_anchor.manifest.version import Version
from zesty_anchor.planning.uses import by_hand, uses
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.download import kept_file
from zesty_anchor.shelf.kept_builds import KeptBuilds
from zesty_anchor.shelf.receipt import FILE_NAME
from zesty_anchor.survey.disk_use import disk_use
from zesty_anchor.survey.machine import Machine

PruneKind = Literal["versions", "downloads", "builds", "attic"]
KINDS: tuple[PruneKind, ...] = get_args(PruneKind)
_DAY = 86_400


class Prunable(msgspec.Struct, frozen=True):
    """One thing on disk: its ``kind``, what it is, where, how many bytes it takes, since when it is there
    (seconds since 1970), and what needs it (empty: nothing). ``packages`` are those that the person put into
    a version. ``goes`` tells that ``prune`` deletes it.
    """

    kind: PruneKind
    subject: str
    path: str
    size: int
    since: float
    needed: tuple[str, ...] = ()
    goes: bool = False
    packages: tuple[str, ...] = ()


class Pruned(msgspec.Struct, frozen=True):
    """What takes disk space, the biggest first; those that ``goes`` were ``deleted``, unless it was only
    asked what would go. ``freed`` are their bytes.
    """

    deleted: bool
    freed: int
    things: tuple[Prunable, ...]


def versions(workstation: Workstation, machine: Machine) -> list[Prunable]:
    """Each version on the shelf, with what needs it."""
    needed, found = uses(workstation, machine), []
    for (name, folder_name), receipt in machine.shelf.items():
        folder = workstation.locations.shelf / name / folder_name
        real = folder.resolve()
        since = _changed(real / FILE_NAME)
        reasons = needed[name, folder_name]
        if folder.is_symlink() and not receipt.through:
            reasons = (*reasons, "it is a manager")
        found.append(
            Prunable(
                *("versions", f"{name} {folder_name}", str(folder), disk_use(real), since, reasons),
                packages=tuple(package.text for package in by_hand(workstation, name, folder_name)),
            )
        )
    return found


def downloads(workstation: Workstation, machine: Machine) -> list[Prunable]:
    """Each file that was fetched; one of an installed version is kept to repair that."""
    folder = workstation.locations.downloads
    known = {kept_file(folder, digest, url).name: what for digest, url, what in _digests(machine)}
    return [
        Prunable(
            "downloads",
            file.name[:24] + "…" if (what := known.get(file.name)) is None else f"archive of {what}",
            str(file),
            disk_use(file),
            _changed(file),
            (f"repairs {what}",) if what else (),
        )
        for file in _files(folder)
    ]


def builds(workstation: Workstation, machine: Machine) -> list[Prunable]:
    """Each kept build; one of an installed version saves building that again."""
    found = []
    for file, prefix in KeptBuilds(workstation.locations.builds).archives():
        name, version = prefix.parts[-2:] if prefix is not None else ("?", "")
        here = (name, version) in machine.shelf
        found.append(
            Prunable(
                "builds",
                f"build of {name} {version}".rstrip(),
                str(file),
                disk_use(file),
                _changed(file),
                (f"repairs {name} {version}",) if here else (),
            )
        )
    return found


def chosen(
    things: Iterable[Prunable],
    kinds: Sequence[PruneKind],
    *,
    keep: int = 0,
    older: int = 0,
    needed_too: bool = False,
    now: float = 0.0,
) -> list[Prunable]:
    """The things of these kinds, the biggest first, with ``goes`` for those to be deleted: that nothing needs
    (``needed_too``: downloads and builds of installed versions as well), that are at least ``older`` days old
    at the time ``now``, and, of a runtime's versions, not among the ``keep`` newest. Entries of the attic go
    only where that kind alone, or an age, was named: undo restores them. Pure.
    """
    of_kinds = [each for each in things if each.kind in kinds]
    if len(kinds) > 1 and not older:
        of_kinds = [
            msgspec.structs.replace(each, needed=("undo restores it",)) if each.kind == "attic" else each
            for each in of_kinds
        ]
    newest = _newest([each for each in of_kinds if each.kind == "versions"], keep)
    return sorted(
        (
            msgspec.structs.replace(
                each,
                goes=(not each.needed or (needed_too and each.kind in ("downloads", "builds")))
                and now - each.since >= older * _DAY
                and each.path not in newest,
            )
            for each in of_kinds
        ),
        key=lambda each: (-each.size, each.subject),
    )


def days(text: str) -> int:
    """A number of days: 90d, 12w, 3m (of 30 days), 1y. Raises ``ValueError``."""
    found = re.fullmatch(r"(\d{1,4})\s*([dwmy]?)", text.strip().lower())
    if found is None:
        raise ValueError(f"{text!r} is no age: write it like 90d, 12w, 3m or 1y")
    return int(found[1]) * {"": 1, "d": 1, "w": 7, "m": 30, "y": 365}[found[2]]


def _newest(things: Sequence[Prunable], keep: int) -> set[str]:
    by_runtime: dict[str, list[Prunable]] = {}
    for each in things:
        by_runtime.setdefault(each.subject.partition(" ")[0], []).append(each)
    return {
        each.path
        for group in by_runtime.values()
        for each in sorted(group, key=lambda one: Version(one.subject.partition(" ")[2]), reverse=True)[:keep]
    }


def _digests(machine: Machine) -> Iterator[tuple[str, str, str]]:
    """The digest and the address of each file of an installed version, and which one that is."""

    for (name, folder), receipt in machine.shelf.items():
        yield receipt.digest, receipt.url, f"{name} {folder}"
        for part in receipt.parts:
            yield part.digest, receipt.url, f"{part.name} {part.version} of {name} {folder}"


def _files(folder: Path) -> list[Path]:
    try:
        return sorted(entry for entry in folder.iterdir() if entry.is_file() and not entry.is_symlink())
    except OSError:
        return []


def _changed(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except OSError:
        return 0.0
