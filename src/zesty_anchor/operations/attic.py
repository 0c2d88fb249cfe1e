"""Looking into the attic, and emptying it."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from pathlib import Path

from zesty_anchor.changes.kept import Kept, in_attic, kept_by, throw_away
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.opening import read_journal
from zesty_anchor.engine.questions import settle
from zesty_anchor.engine.undo import record_of
from zesty_anchor.files.move import move
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import journal_alone
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import read
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import UsageProblem

_HOME = "kept-by-zesty-anchor"
_WHERE = "where-it-stood.txt"


def kept(workstation: Workstation) -> list[Kept]:
    """What is in the attic, the latest first: what undo would bring back, and what stays there until a person
    says so.
    """
    with read_journal(workstation.locations, KINDS) as journal:
        return kept_in(journal)


def empty_attic(workstation: Workstation, person: Person, entries: Sequence[str] = ()) -> list[Kept]:
    """Delete what is in it, or the ``entries`` that are named by where they were or are kept, after a yes.
    What undo needs to put lines back stays: it is not listed. Raises ``UsageProblem`` for an entry that is
    not there.
    """
    things = kept(workstation)
    if entries:
        things = [each for entry in entries for each in _named(things, entry, workstation)]
    if things:
        names = ", ".join(workstation.locations.shown(each.was or each.kept) for each in things)
        text = f"delete what is in the attic ({names})? undo cannot restore it then"
        settle([Question("attic", text, "--yes", safe=True)], person.asker, yes=person.yes)
        with journal_alone(person, workstation) as journal:
            for each in things:
                throw_away(each)
                journal.let_go(each.kept)
    return things


def _named(things: Sequence[Kept], entry: str, workstation: Workstation) -> list[Kept]:
    """What an entry names: all that was at that path, or the one thing that is kept there."""
    home = str(workstation.locations.home)
    path = home + entry[1:] if entry == "~" or entry.startswith("~/") else str(workstation.folder / entry)
    found = [each for each in things if path in (each.was, each.kept)]
    if not found:
        raise UsageProblem(
            f"the attic has no {entry!r}", advice="zesty-anchor attic shows the paths of its entries"
        )
    return found


def bring_home(journal: Journal, locations: Locations) -> tuple[Path | None, dict[Path, Path]]:
    """Move what is in the attic, or on the shelf and not ours, into a folder in the home, with a list of
    where it all stood.

    Returns that folder, None where there is nothing to move, and by the places where things were those where
    they are; the run's folders in the attic are among those. Raises ``OSError``; what was not moved is where
    it was.
    """
    moved: dict[Path, Path] = {}
    things = [(each.was, Path(each.kept)) for each in kept_in(journal)]
    things += [(str(path), path) for path in _strange(locations)]
    if not things:
        return None, moved
    folder, number = locations.home / _HOME, 1
    while os.path.lexists(folder):
        number += 1
        folder = locations.home / f"{_HOME}-{number}"
    folder.mkdir(mode=0o700)
    for number, (was, path) in enumerate(things, 1):
        new = folder / f"{number:03}-{path.name}"
        with (folder / _WHERE).open("a", encoding="utf-8", errors="surrogateescape") as file:
            file.write(f"{new.name}\t{was or '(not known)'}\n")
        move(path, new)
        journal.let_go(str(path))
        moved[path] = new
        if path.is_relative_to(locations.attic):
            moved |= {
                above: folder
                for above in path.parents
                if above != locations.attic and above.is_relative_to(locations.attic)
            }
    return folder, moved


def kept_in(journal: Journal) -> list[Kept]:
    """What a journal says is in the attic: what undo would restore, then what stays there."""
    standing = [
        each
        for run in journal.standing_runs()
        for entry in journal.entries(run)
        for each in kept_by(record_of(KINDS, entry), journal.began(run))
    ]
    things = [
        in_attic(thing.was, thing.kept, thing.since)
        for thing in journal.things()
        if os.path.lexists(thing.kept)
    ]
    return [*standing, *things]


def _strange(locations: Locations) -> Iterator[Path]:
    """What stands in the folders that the shells and the versions have, after all was taken back: somebody
    else put it there.
    """
    shelf = locations.shelf
    for folder in (
        locations.launchers,
        locations.shell,
        shelf,
        *(path for path in _entries(shelf) if _is_folder(path)),
    ):
        for path in _entries(folder):
            if folder == shelf and _is_folder(path):
                continue
            if read(path) is None and (not _is_folder(path) or _entries(path)):
                yield path


def _entries(folder: Path) -> list[Path]:
    return sorted(folder.iterdir()) if folder.is_dir() else []


def _is_folder(path: Path) -> bool:
    return path.is_dir() and not path.is_symlink()
