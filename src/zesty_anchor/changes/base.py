"""What most changes, and most kinds, have in common."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any, ClassVar

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Found, Keep, Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import FileRecord, Record, Reverted
from zesty_anchor.files import folders
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.edit import ChangedMeanwhile, Edit, lines_of, put_back, taken_out
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.replace import content_of, left_beside
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.command import Command
from zesty_anchor.system.locations import Locations

_NOTHING: frozenset[str] = frozenset()


class BaseChange(msgspec.Struct, frozen=True):
    """A change that needs nothing first, no privilege, no answer, and fetches nothing."""

    kind: ClassVar[str]
    stage: ClassVar[Stage]
    touches: ClassVar[frozenset[str]] = _NOTHING
    privileged: ClassVar[bool] = False
    on_trial: ClassVar[bool] = False
    fetches: ClassVar[bool] = False
    layered: ClassVar[bool] = False

    @property
    def needs(self) -> frozenset[str]:
        """None."""
        return _NOTHING

    @property
    def gave(self) -> frozenset[str]:
        """None that are known."""
        return _NOTHING

    @property
    def follows(self) -> frozenset[str]:
        """None."""
        return _NOTHING

    @property
    def pending(self) -> bool:
        """It is known exactly."""
        return False

    @property
    def size(self) -> int | None:
        """Nothing is fetched."""
        return 0

    @property
    def questions(self) -> tuple[Question, ...]:
        """None."""
        return ()

    @property
    def commands(self) -> tuple[Command, ...]:
        """None."""
        return ()


class BaseKind:
    """A kind that tells nothing beside its changes."""

    name: ClassVar[str]
    heading: ClassVar[Heading]
    record: ClassVar[type[Record]]
    of_subject: ClassVar[str] = "{}"
    when_changed: ClassVar[str] = "is not as it was written"
    gives_way: ClassVar[bool] = False
    carries: ClassVar[frozenset[str]] = _NOTHING

    def notices(self, wanted: Wanted, facts: Any) -> Sequence[str]:
        """None."""
        return ()

    def concerns(self, wanted: Wanted, machine: Machine) -> bool:
        """It might have something to do."""
        return True

    def uses(self, record: Any, places: Sequence[str]) -> bool:
        """It does not."""
        return False

    def found(self, locations: Locations) -> Iterable[Found]:
        """Nothing that it could tell."""
        return ()

    def follow(self, record: Any, move: HomeMove) -> Record | None:
        """The attic holds nothing that names the home."""
        return None

    def without(self, earlier: Any, later: Any, keep: Keep) -> Record | None:
        """They do not hang on each other."""
        record: Record = later
        return record


class PlainKind(BaseKind):
    """A kind that needs to know no more of the machine than everybody does."""

    def look(self, wanted: Wanted, machine: Machine) -> Machine:
        """The machine itself; what is not known yet of it is read when it is asked for."""
        return machine


class FileChange(BaseChange, frozen=True):
    """A change of one text file of the person's or of ours. ``name`` is the file as a person reads it."""

    edit: Edit
    name: str
    record: ClassVar[type[FileRecord]] = FileRecord

    @property
    def subject(self) -> str:
        """The file."""
        return self.name

    @property
    def action(self) -> str:
        """What is done to it."""
        return self.edit.action

    @property
    def key(self) -> str:
        """The kind, and the file."""
        return f"{self.kind}:{self.name}"

    @property
    def detail(self) -> str:
        """The diff."""
        return self.edit.diff(self.name)

    def prepare(self, bench: Bench) -> FileRecord:
        """Check that the file may be changed, and copy it to the attic. Raises ``Problem`` where it may
        not.
        """
        self.edit.check_writable()
        return self.saved(bench)

    def saved(self, bench: Bench) -> FileRecord:
        """Copy the file to the attic, before and after the edit."""
        kept = self.edit.keep(bench.attic, self.name)
        made = folders.missing(self.edit.file.target.parent) if self.edit.after is not None else []
        return self.record(
            path=kept.path, name=kept.name, mode=kept.mode, before=kept.before, after=kept.after,
            before_digest=kept.before_digest, after_digest=kept.after_digest, made=made,
        )  # fmt: skip

    def carry_out(self, bench: Bench, record: FileRecord) -> None:
        """Replace the file. Raises ``Problem`` where somebody changed it meanwhile: then there is nothing to
        undo.
        """
        try:
            self.edit.carry_out()
        except ChangedMeanwhile:
            record.untouched = True
            raise


class FileTakeBack(BaseKind):
    """How edits of text files are taken back."""

    record = FileRecord

    def take_back(self, record: FileRecord, bench: Bench) -> Reverted:
        """Put the file back; what someone else changed in it since then stays."""
        if record.untouched:
            return Reverted()
        if bench.is_elsewhere(record.path):
            return Reverted(
                (f"{record.name} leads to {os.path.realpath(record.path)}, in another home: left as it is",)
            )
        for beside in ours_beside(record):
            beside.unlink()
        found = put_back(record.kept)
        return Reverted(found.told, needed=found.needs)

    def without(self, earlier: FileRecord, later: FileRecord, keep: Keep) -> FileRecord | None:
        """The later edit of the same file, in which the earlier one is not to be seen."""
        was, got = earlier.kept.content_before(), earlier.kept.content_after()
        contents = []
        for content in (later.kept.content_before(), later.kept.content_after()):
            rows = taken_out(*(lines_of(each or b"") for each in (was, got, content)))
            if rows is None:
                return None
            contents.append(None if was is None and not rows else b"".join(rows))
        return edited_from(later, contents[0], contents[1], keep)


def edited_from(record: FileRecord, before: bytes | None, after: bytes | None, keep: Keep) -> FileRecord:
    """A record of an edit with other contents, which ``keep`` puts into the attic."""
    name = Path(record.path).name
    return msgspec.structs.replace(
        record,
        before=keep(name, before), before_digest=digest_of(before) if before is not None else "",
        after=keep(f"{name}.after", after), after_digest=digest_of(after) if after is not None else "",
    )  # fmt: skip


def ours_beside(record: FileRecord) -> list[Path]:
    """What a run that was cut off had written of the file also installed: no more than the beginning of what
    it was to get, or of what it held.
    """
    target = Path(record.path)
    found = [path for path, name in left_beside(target.parent) if name == target.name and path.is_file()]
    wholes = [content_of(Path(copy)) or b"" for copy in (record.before, record.after) if copy]
    return [path for path in found if any(whole.startswith(path.read_bytes()) for whole in wholes)]


class FileKind(FileTakeBack, PlainKind):
    """A kind of edit of text files that needs to know no more of the machine than everybody does."""
