"""Replacing a text file whole, and putting it back, so that nothing of a person's is lost."""

from __future__ import annotations

import difflib
import os
import shlex
import stat
from collections.abc import Sequence
from pathlib import Path

import msgspec

from zesty_anchor.changes.change import Bench, Record
from zesty_anchor.files import folders
from zesty_anchor.files.text_file import TextFile
from zesty_anchor.system.problem import Problem


class Edit(msgspec.Struct, frozen=True):
    """A file's content before and after. None stands for no file."""

    file: TextFile
    after: bytes | None

    @property
    def action(self) -> str:
        """What is done to the file."""
        return "create" if self.file.content is None else "remove" if self.after is None else "edit"

    def diff(self, name: str) -> str:
        """The change as a unified diff, with ``name`` for the file. A missing last line end is passed over."""
        rows = difflib.unified_diff(
            _shown_lines(self.file.content),
            _shown_lines(self.after),
            name if self.file.content is not None else "(no file)",
            name if self.after is not None else "(no file)",
            n=1,
        )
        return "".join(rows)

    def check_writable(self) -> None:
        """Raises ``Problem`` where the file, or the folder that it must be made in, is read-only."""
        path, target = self.file.path, self.file.target
        if self.file.content is not None and not self.file.writable:
            raise Problem(
                f"{path} is read-only",
                where=f"mode {self.file.mode:o}" + (f", {target}" if target != path else ""),
                advice=f"allow it with: chmod u+w {shlex.quote(str(path))}   (or leave its shell out of [shells] use)",
            )
        folder = target.parent
        while not folder.exists():
            folder = folder.parent
        if not folder.stat().st_mode & stat.S_IWUSR or not os.access(folder, os.W_OK):
            raise Problem(
                f"{path} cannot be written: its folder is read-only",
                where=str(folder),
                advice=f"allow it with: chmod u+w {shlex.quote(str(folder))}",
            )

    def prepare(self, bench: Bench) -> Record:
        """Check that the file may be changed, then save it: see ``saved``. Raises ``Problem`` where it may not."""
        self.check_writable()
        return self.saved(bench)

    def saved(self, bench: Bench) -> Record:
        """Copy the content before and after to the attic, and return the record."""
        return {
            "path": str(self.file.target),
            "name": bench.locations.shown(self.file.path),
            "mode": self.file.mode,
            "before": _keep(bench.attic, self.file.path.name, self.file.content),
            "after": _keep(bench.attic, self.file.path.name + ".after", self.after),
            "made": folders.missing(self.file.target.parent) if self.after is not None else [],
        }

    def carry_out(self, bench: Bench, record: Record) -> None:
        """Replace the file. Raises ``Problem`` where it was changed since it was read."""
        target = self.file.target
        if _content(target) != self.file.content:
            raise Problem(
                f"{self.file.path} was changed by someone else meanwhile",
                advice="it was not touched; run the command again",
            )
        if self.after is None:
            target.unlink(missing_ok=True)
        else:
            folders.make(target.parent)
            replace(target, self.after, self.file.mode)


class Reversal(msgspec.Struct, frozen=True):
    """What takes an edit back: the content that the file should get (None: no file), if any, and what to tell."""

    needed: bool
    content: bytes | None = None
    told: tuple[str, ...] = ()


def put_back(record: Record) -> Sequence[str]:
    """Put a file back as it was before its edit, and return what to tell. See ``reversal``."""
    target = Path(record["path"])
    found = reversal(record)
    if found.needed and found.content is None:
        target.unlink(missing_ok=True)
    elif found.needed and found.content is not None:
        folders.make(target.parent)
        replace(target, found.content, stat.S_IMODE(target.stat().st_mode) if target.exists() else record["mode"])
    return found.told


def reversal(record: Record) -> Reversal:
    """How to take an edit back, by what the file holds now.

    Where someone changed it since, only our edit is taken out and their changes stay; where both touched the
    same lines it is left alone, and the older content stays in the attic.
    """
    name = record["name"]
    before, after, now = (_content(Path(p)) if p else None for p in (record["before"], record["after"], record["path"]))
    if now == before:
        return Reversal(False)
    if now == after:
        return Reversal(True, before)
    if now is None:
        return Reversal(False, told=(f"{name} was removed by someone else meanwhile, and stays removed",))
    rows = taken_out(*((content or b"").splitlines(keepends=True) for content in (before, after, now)))
    if rows is None:
        kept = f"; what it held before is kept in {record['before']}" if record["before"] else ""
        told = f"{name} was changed in the same lines by someone else and is left as it is{kept}"
        return Reversal(False, told=(told,))
    told = f"{name} was changed by someone else too: only our own part was taken out"
    return Reversal(True, b"".join(rows), (told,))


def replace(target: Path, content: bytes, mode: int) -> None:
    """Write a file beside and rename it into place, with its mode, and its owner where we may give it."""
    beside = target.with_name(f".{target.name}.zesty-anchor-{os.getpid()}")
    try:
        handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
        with open(handle, "wb") as out:
            out.write(content)
            out.flush()
            os.fchmod(out.fileno(), mode)
            if os.geteuid() == 0 and target.exists():
                owner = target.stat()
                os.fchown(out.fileno(), owner.st_uid, owner.st_gid)
            os.fsync(out.fileno())
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)


def taken_out(before: list[bytes], after: list[bytes], now: list[bytes]) -> list[bytes] | None:
    """``now`` with the edit that led from ``before`` to ``after`` reversed. Pure.

    None where a line of that edit is no longer there. A general three-way merge will not do: it calls a line
    that was added right below our own a conflict, and that is where most installers add theirs.
    """
    same = difflib.SequenceMatcher(None, after, now, autojunk=False)
    place = {a + k: n + k for a, n, size in same.get_matching_blocks() for k in range(size)}
    edits: list[tuple[int, int, list[bytes]]] = []
    for kind, a1, a2, b1, b2 in difflib.SequenceMatcher(None, after, before, autojunk=False).get_opcodes():
        if kind == "equal":
            continue
        if a1 == a2:
            start = place[a1 - 1] + 1 if a1 - 1 in place else place.get(a1, 0 if not after else None)
            end = start
        else:
            start = place.get(a1)
            end = (
                None
                if start is None or any(place.get(a1 + k) != start + k for k in range(a2 - a1))
                else start + a2 - a1
            )
        if start is None or end is None:
            return None
        edits.append((start, end, before[b1:b2]))
    rows = list(now)
    for start, end, lines in reversed(edits):
        rows[start:end] = lines
    # The last line of ``before`` may have had no line end, and need not be the last one now.
    return [row if row.endswith(b"\n") else row + b"\n" for row in rows[:-1]] + rows[-1:]


def _keep(attic: Path, name: str, content: bytes | None) -> str | None:
    """Store content in the attic under a name that is free there."""
    if content is None:
        return None
    number = 1
    while True:
        file = attic / f"{number:03}-{name.lstrip('.')}"
        try:
            handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        except FileExistsError:
            number += 1
            continue
        with open(handle, "wb") as out:
            out.write(content)
        return str(file)


def _content(file: Path) -> bytes | None:
    try:
        return file.read_bytes()
    except FileNotFoundError:
        return None


def _shown_lines(content: bytes | None) -> list[str]:
    pieces = (content or b"").decode("utf-8", "backslashreplace").split("\n")
    return [piece + "\n" for piece in (pieces if pieces[-1] else pieces[:-1])]
