"""The change that writes a choice of version into a file of the person's: the manifest, or a project's
pin.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import FileChange, FileTakeBack
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine


class WriteChoice(FileChange, frozen=True):
    """Edit one file."""

    kind: ClassVar[str] = "choice"
    stage: ClassVar[Stage] = Stage.SHELL


class Choices(FileTakeBack):
    """The kind. It is never planned from a manifest: a person asks for it."""

    name = "choice"
    heading = Heading.SETTINGS

    def look(self, wanted: Wanted, machine: Machine) -> None:
        """Nothing."""

    def plan(self, wanted: Wanted, facts: None) -> Iterable[WriteChoice]:
        """None."""
        return ()


def with_default(text: str, runtime: str, want: str, before: str) -> str:
    """The text of a manifest with another want of a runtime. What was wanted ``before`` is kept beside it, so
    that the next machine has it too. Pure.
    """
    import tomlkit

    document = tomlkit.parse(with_want(text, runtime, want))
    table = document["runtimes"][runtime]
    listed = list(table.get("also", ()))
    beside = [each for each in listed if each != want]
    beside += [before] if before not in ("", want, SYSTEM, *beside) else []
    if not beside:
        table.pop("also", None)
    elif beside != listed:
        table["also"] = beside
    return tomlkit.dumps(document)


def with_want(text: str, runtime: str, want: str) -> str:
    """The text of a manifest, or of a project's file, with another want of a runtime; its layout and comments
    stay. Pure.
    """
    import tomlkit

    document = tomlkit.parse(text)
    runtimes = document.setdefault("runtimes", tomlkit.table(is_super_table=True))
    # A base may have it: what is written here comes before that.
    runtimes.setdefault(runtime, tomlkit.table())["want"] = want
    return tomlkit.dumps(document)


def pin(file: Path, runtime: str, want: str, line: int) -> Edit:
    """The edit that pins a version in a file; whatever else is in it stays. ``line`` is where it is pinned
    already, 0 for a new file.
    """
    before = read_text_file(file)
    if not line or before.content is None:
        return Edit(before, f"{want}\n".encode())
    text = before.content.decode("utf-8", "surrogateescape")
    if file.name == FILE_NAME:
        after = with_want(text, runtime, want)
    else:
        rows = text.splitlines(keepends=True)
        old = rows[line - 1]
        rows[line - 1] = old.replace(old.partition("#")[0].strip(), want, 1)
        after = "".join(rows)
    return Edit(before, after.encode("utf-8", "surrogateescape"))
