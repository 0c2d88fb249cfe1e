"""After the program itself was upgraded or moved: its generated files follow, in one quiet step."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor import __version__
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.record import FileRecord
from zesty_anchor.changes.shells.generated_file import WriteGenerated
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.opening import latest
from zesty_anchor.engine.undo import record_of
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.replace import replace
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.running import journal_alone
from zesty_anchor.planning.plan import Plan
from zesty_anchor.planning.promised import BASE, read
from zesty_anchor.planning.workstation import Workstation

_NAME = "program.json"


class _Program(msgspec.Struct):
    """The program that wrote the generated files last: its version, and the words that start it."""

    version: str
    words: tuple[str, ...]


def note_program(workstation: Workstation) -> None:
    """Write down that this program wrote the generated files. A folder that cannot be written keeps none."""
    with suppress(OSError):
        text = msgspec.json.encode(_Program(__version__, workstation.program))
        replace(workstation.locations.state / _NAME, text, 0o600, lasting=False)


def renewed(workstation: Workstation, person: Person, plan: Plan) -> bool:
    """Where another version of this program wrote the generated files, and all that the plan has is to write
    them as this one does: write them, and have the journal know them so, in no run of its own. Returns
    whether it was done; then there is another plan.

    One that somebody changed is left to the plan, and so is everything where the manifest was changed too.
    Raises ``Problem`` where another run is under way.
    """
    writes = [change for change in plan.changes if isinstance(change, WriteGenerated)]
    if not writes or len(writes) != len(plan.changes) or plan.missing or _same_program(workstation):
        return False
    run, standing = latest(workstation.locations, lambda: KINDS)
    own = {str(each.place): each.digest for each in standing if each.kind == WriteGenerated.kind}
    text = digest_of(os.fsencode(workstation.text))
    if run is None or (run.manifest, run.digest) != (workstation.file, text):
        return False
    if read(run.promised).get(BASE, {}) != workstation.source.bases:
        return False
    if not all(_is_ours(each, own) for each in writes):
        return False
    with journal_alone(person, workstation) as journal:
        for each in writes:
            assert each.edit.after is not None
            each.edit.carry_out()
            _note(journal, each.edit.file.target, each.edit.after)
    note_program(workstation)
    person.reporter.said(f"updated {len(writes)} generated files for zesty-anchor {__version__}")
    return True


def _same_program(workstation: Workstation) -> bool:
    try:
        content = (workstation.locations.state / _NAME).read_bytes()
        before = msgspec.json.decode(content, type=_Program)
    except (OSError, msgspec.MsgspecError):
        return False  # a program before 0.2 notes none
    return (before.version, before.words) == (__version__, workstation.program)


def _is_ours(change: WriteGenerated, own: dict[str, str]) -> bool:
    """Whether a change replaces a file that is as it was written, by another text."""
    content, place = change.edit.file.content, str(change.edit.file.target)
    return content is not None and change.edit.after is not None and own.get(place) == digest_of(content)


def _note(journal: Journal, place: Path, content: bytes) -> None:
    """Have the record of the latest change of a file hold what it has now."""
    entries = (entry for run in journal.standing_runs() for entry in journal.entries(run))
    for entry in entries:
        if entry.kind != WriteGenerated.kind:
            continue
        record = record_of(KINDS, entry)
        if isinstance(record, FileRecord) and Path(record.path) == place and record.after is not None:
            replace(Path(record.after), content)
            new = msgspec.structs.replace(record, after_digest=digest_of(content))
            journal.noted(entry.run, entry.change, new, entry.state)
            return
