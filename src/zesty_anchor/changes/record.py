"""What the journal keeps of a change, and what came of taking one back."""

from __future__ import annotations

import msgspec

from zesty_anchor.files.edit import Copies


class Record(msgspec.Struct, kw_only=True, tag_field="kind"):
    """Enough to take a change back. Each kind has a struct of its own, tagged with the kind's name.

    ``privileged`` tells that taking it back needs privilege. ``made`` are folders that had to be made for it; they go
    where they are empty. Fields may be added, never renamed: journals of older versions are read with them.
    """

    privileged: bool = False
    made: list[str] = msgspec.field(default_factory=list)

    def in_attic(self) -> dict[str, str]:
        """What the change moved to the attic whole: where it stood, and where it is kept."""
        return {}


class FileRecord(Record, kw_only=True, tag="file"):
    """An edit of one file: see ``files.edit.Copies``."""

    path: str
    name: str
    mode: int = 0o644
    before: str | None = None
    after: str | None = None

    @property
    def copies(self) -> Copies:
        """Where its content before and after is kept."""
        return Copies(path=self.path, name=self.name, mode=self.mode, before=self.before, after=self.after)


class Reverted(msgspec.Struct, frozen=True):
    """What came of taking a change back. ``notices`` are what a person should know, a sentence each.

    ``whole`` is False where something of ours still stands that another try could take back: then the change stays in
    the journal.
    """

    notices: tuple[str, ...] = ()
    whole: bool = True


WHOLE = Reverted()
"""All is as it was."""
