"""Pinning the bases that a key signs to what they are now, in the lock beside the manifest."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.changes.question import Question
from zesty_anchor.engine.questions import settle
from zesty_anchor.manifest.lock import file_beside, read, write
from zesty_anchor.manifest.toml_file import read_text
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.agreement import agree, is_agreed, manifest_differences, tables_of
from zesty_anchor.planning.base import PinnedBases
from zesty_anchor.planning.workstation import Workstation, with_manifest
from zesty_anchor.system.problem import Problem, Problems, UsageProblem


def pin_bases(bare: Workstation, person: Person, file: Path) -> PinnedBases:
    """Fetch the newest text of each base that a key signs, and pin it after a yes.

    Raises ``UsageProblem`` where there is no such base, its signature does not hold, or the manifest with it
    has mistakes; ``AnswersNeeded`` or ``Declined``. Nothing is written then.
    """
    text = read_text(file)
    after = with_manifest(bare, file, text, newest_bases=True)
    pins = after.source.pins
    if not pins:
        raise UsageProblem(
            f"no base of {bare.locations.shown(file)} is signed by a key",
            where=str(file),
            advice='write base = { url = "https://…", key = "FILE" }; one with a digest needs no lock',
        )
    before = _as_pinned(bare, file, text)
    known = before.source.pins if before is not None else {}
    changed = tuple(address for address, digest in pins.items() if known.get(address) != digest)
    if not changed:
        return PinnedBases(str(file_beside(file)), pins)
    told = manifest_differences(before, after) if before is not None else tables_of(after)
    names = ", ".join(changed)
    verb = "use the new text of" if before is not None else "pin"
    question = Question("base", f"{verb} {names}? {_sentence(told, new=before is None)}", "--yes", safe=True)
    settle([question], person.asker, yes=person.yes)
    agreed = before is not None and not person.yes and is_agreed(before)
    write(file_beside(file), read(file_beside(file)).values(), pins)
    if agreed:  # the person has just read what differs
        agree(after)
    return PinnedBases(str(file_beside(file)), pins, changed, tuple(told))


def changed_bases(workstation: Workstation) -> list[str]:
    """The addresses of pinned bases that have a newer text; nothing where none can be asked."""
    pins = workstation.source.pins
    if not pins or workstation.offline:
        return []
    try:
        now = with_manifest(workstation, workstation.file, workstation.text, newest_bases=True)
    except (Problem, Problems):
        return []
    return [address for address, digest in now.source.pins.items() if pins.get(address) != digest]


def _as_pinned(bare: Workstation, file: Path, text: str) -> Workstation | None:
    """The workstation with its pinned bases; None where one is not pinned, or cannot be fetched."""
    try:
        return with_manifest(bare, file, text)
    except (Problem, Problems):
        return None


def _sentence(told: list[str], *, new: bool) -> str:
    if not told:
        return "The manifest comes to the same."
    return f"The manifest with it sets {', '.join(told)}." if new else f"{'; '.join(told)}."
