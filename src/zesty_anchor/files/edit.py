"""Replacing a text file whole, and putting it back, so that nothing of a person's is lost."""

from __future__ import annotations

from pathlib import Path

import msgspec

from zesty_anchor.files import folders
from zesty_anchor.files.attic import Attic
from zesty_anchor.files.replace import replace
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
        import difflib

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
        path, target, closed = self.file.path, self.file.target, self.file.closed
        if (self.file.content is None or self.file.writable) and closed is None:
            return
        import shlex

        if self.file.content is not None and not self.file.writable:
            raise Problem(
                f"{path} is read-only",
                where=f"mode {self.file.mode:o}" + (f", {target}" if target != path else ""),
                advice=f"allow it with: chmod u+w {shlex.quote(str(path))}   (or leave its shell out of [shells] use)",
            )
        if closed is not None:
            raise Problem(
                f"{path} cannot be written: its folder is read-only",
                where=str(closed),
                advice=f"allow it with: chmod u+w {shlex.quote(str(closed))}",
            )

    def keep(self, attic: Attic, name: str) -> Copies:
        """Copy the content before and after to the attic. ``name`` is the file as a person reads it."""
        return Copies(
            path=str(self.file.target),
            name=name,
            mode=self.file.mode,
            before=attic.keep(self.file.path.name, self.file.content),
            after=attic.keep(self.file.path.name + ".after", self.after),
        )

    def carry_out(self) -> None:
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


class Copies(msgspec.Struct, kw_only=True):
    """Where a file's content before and after an edit is kept in the attic (None: there was no file, or will be none)."""

    path: str
    name: str
    mode: int = 0o644
    before: str | None = None
    after: str | None = None


class Reversal(msgspec.Struct, frozen=True):
    """What takes an edit back: the content that the file should get (None: no file), if any, and what to tell."""

    needed: bool
    content: bytes | None = None
    told: tuple[str, ...] = ()


def put_back(copies: Copies) -> tuple[str, ...]:
    """Put a file back as it was before its edit, and return what a person should know. See ``reversal``."""
    target = Path(copies.path)
    found = reversal(copies)
    if found.needed and found.content is None:
        target.unlink(missing_ok=True)
    elif found.needed and found.content is not None:
        folders.make(target.parent)
        replace(target, found.content, None if target.exists() else copies.mode)
    return found.told


def reversal(copies: Copies) -> Reversal:
    """How to take an edit back, by what the file holds now.

    Where someone changed it since, only our edit is taken out and their changes stay; where both touched the
    same lines it is left alone, and the older content stays in the attic.
    """
    name = copies.name
    before, after, now = (_content(Path(p)) if p else None for p in (copies.before, copies.after, copies.path))
    if now == before:
        return Reversal(False)
    if now == after:
        return Reversal(True, before)
    if now is None:
        return Reversal(False, told=(f"{name} was removed by someone else meanwhile, and stays removed",))
    rows = taken_out(*((content or b"").splitlines(keepends=True) for content in (before, after, now)))
    if rows is None:
        copy = f"; what it held before is kept in {copies.before}" if copies.before else ""
        told = f"{name} was changed in the same lines by someone else and is left as it is{copy}"
        return Reversal(False, told=(told,))
    told = f"{name} was changed by someone else too: only our own part was taken out"
    return Reversal(True, b"".join(rows), (told,))


def taken_out(before: list[bytes], after: list[bytes], now: list[bytes]) -> list[bytes] | None:
    """``now`` with the edit that led from ``before`` to ``after`` reversed. Pure.

    None where a line of that edit is no longer there. A general three-way merge will not do: it calls a line
    that was added right below our own a conflict, and that is where most installers add theirs.
    """
    import difflib

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


def _content(file: Path) -> bytes | None:
    try:
        return file.read_bytes()
    except FileNotFoundError:
        return None


def _shown_lines(content: bytes | None) -> list[str]:
    pieces = (content or b"").decode("utf-8", "backslashreplace").split("\n")
    return [piece + "\n" for piece in (pieces if pieces[-1] else pieces[:-1])]
