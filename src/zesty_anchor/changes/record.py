"""What the journal keeps of a change, and what came of taking one back."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from zesty_anchor.files.edit import Copies


class Record(msgspec.Struct, kw_only=True, tag_field="kind"):
    """Enough to take a change back. Each kind has a struct of its own, tagged with the kind's name.

    ``privileged`` tells that taking it back needs privilege. ``made`` are folders that had to be made for it;
    they go where they are empty. Fields may be added, never renamed: journals of older versions are read with
    them.
    """

    privileged: bool = False
    made: list[str] = msgspec.field(default_factory=list)

    def in_attic(self) -> dict[str, str]:
        """What the change moved to the attic whole: where it stood, and where it is kept."""
        return {}

    def attic_copies(self) -> dict[str, str]:
        """What the attic holds for the change beside that, by its path there: of which place it is a copy
        (empty: it is of use to the change alone).
        """
        return {}

    def places(self) -> tuple[str, ...]:
        """The files and folders that the change made, or changed."""
        return ()


class FileRecord(Record, kw_only=True, tag="file"):
    """An edit of one file: see ``files.edit.Copies``."""

    path: str
    name: str
    mode: int = 0o644
    before: str | None = None
    after: str | None = None
    before_digest: str = ""
    after_digest: str = ""
    untouched: bool = False
    """Whether it is known that the edit was never made: the file was somebody else's by then."""

    @property
    def kept(self) -> Copies:
        """Where its content before and after is kept."""
        return Copies(
            path=self.path, name=self.name, mode=self.mode, before=self.before, after=self.after,
            before_digest=self.before_digest, after_digest=self.after_digest,
        )  # fmt: skip

    def attic_copies(self) -> dict[str, str]:
        """What the file held before is the person's; what it got is ours."""
        return copies_of([self.kept])

    def places(self) -> tuple[str, ...]:
        """The file."""
        return (self.path,)


def copies_of(edits: Iterable[Copies]) -> dict[str, str]:
    """What the attic holds for edits of files, as ``Record.attic_copies`` tells it."""
    found: dict[str, str] = {}
    for edit in edits:
        found |= {edit.before: edit.path} if edit.before else {}
        found |= {edit.after: ""} if edit.after else {}
    return found


class Reverted(msgspec.Struct, frozen=True):
    """What came of taking a change back. ``notices`` are what a person should know, a sentence each.

    ``whole`` is False where something of ours still stands that another try could take back: then the change
    stays in the journal. ``needed`` tells that the copies in the attic stay of use to the person.
    """

    notices: tuple[str, ...] = ()
    whole: bool = True
    needed: bool = False


WHOLE = Reverted()
"""All is as it was."""
