"""Freeing disk space: versions, downloads, builds and attic entries, by what still needs them."""

from __future__ import annotations

import os
import time
from collections.abc import Sequence
from pathlib import Path

import msgspec

from zesty_anchor.changes.kept import throw_away
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.runtimes.remove_version import removing
from zesty_anchor.engine.questions import settle
from zesty_anchor.files.removal import discard_any
from zesty_anchor.operations.attic import kept, kept_in
from zesty_anchor.operations.in_step import bring_in_step
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import carry_out_alone, journal_alone
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.prunable import Prunable, Pruned, PruneKind, builds, chosen, downloads, versions
from zesty_anchor.planning.workstation import Workstation

_MOST_NAMED = 6


def prunable(
    workstation: Workstation,
    kinds: Sequence[PruneKind],
    *,
    keep: int = 0,
    older: int = 0,
    needed_too: bool = False,
) -> Pruned:
    """What is on disk of these kinds, and what ``prune`` would delete."""
    machine = look_at(workstation)
    found = [
        *(versions(workstation, machine) if "versions" in kinds else ()),
        *(downloads(workstation, machine) if "downloads" in kinds else ()),
        *(builds(workstation, machine) if "builds" in kinds else ()),
        *(_attic(workstation) if "attic" in kinds else ()),
    ]
    things = chosen(found, kinds, keep=keep, older=older, needed_too=needed_too, now=time.time())
    return Pruned(False, sum(each.size for each in things if each.goes), tuple(things))


def _attic(workstation: Workstation) -> list[Prunable]:
    shown = workstation.locations.shown
    return [
        Prunable("attic", shown(each.was or each.kept), each.kept, each.size, each.since)
        for each in kept(workstation)
    ]


def prune(workstation: Workstation, person: Person, found: Pruned, sizes: str) -> Pruned:
    """Delete what goes, after a yes; ``sizes`` is its size as a person reads it. A version is removed as
    ``remove`` does, and then from the attic: undo does not restore it.
    """
    going = [each for each in found.things if each.goes]
    if not going:
        return found
    names = ", ".join(
        each.subject + (f" (with {', '.join(each.packages)})" if each.packages else "")
        for each in going[:_MOST_NAMED]
    )
    more = f" and {len(going) - _MOST_NAMED} more" if len(going) > _MOST_NAMED else ""
    text = f"delete {names}{more}? frees {sizes}; undo cannot restore them"
    settle([Question("prune", text, "--yes", safe=True)], person.asker, yes=person.yes)
    leaving = [each for each in going if each.kind == "versions"]
    if leaving:
        changes = [change for each in leaving for change in removing(workstation.locations, Path(each.path))]
        carry_out_alone(person, workstation, changes)
        bring_in_step(workstation, look_at(workstation))
    places = {each.path for each in leaving} | {os.path.realpath(each.path) for each in leaving}
    entries = {each.path for each in going if each.kind == "attic"}
    with journal_alone(person, workstation) as journal:
        for entry in kept_in(journal):
            if entry.kept in entries or entry.was in places:
                throw_away(entry)
                journal.let_go(entry.kept)
    for each in going:
        if each.kind in ("downloads", "builds"):
            discard_any(Path(each.path))
            if each.kind == "builds":
                Path(each.path.removesuffix(".tar.zst") + ".json").unlink(missing_ok=True)
    return msgspec.structs.replace(found, deleted=True)
