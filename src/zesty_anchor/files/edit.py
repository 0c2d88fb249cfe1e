"""Replacing a text file whole, and putting it back, so that nothing of a person's is lost."""

from __future__ import annotations

import os
import re
from pathlib import Path

import msgspec

from zesty_anchor.files import folders
from zesty_anchor.files.attic import Attic
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.replace import Changed, content_of, remove, replace
from zesty_anchor.files.text_file import TextFile
from zesty_anchor.system.mounts import mounted_at
from zesty_anchor.system.ownership import owner_name
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.with_sudo import with_sudo


class ChangedMeanwhile(Problem):
    """A file is not what it was when it was read, so it was not touched."""


class Edit(msgspec.Struct, frozen=True):
    """A file's content before and after. None stands for no file."""

    file: TextFile
    after: bytes | None

    @property
    def action(self) -> str:
        """What is done to the file."""
        return "create" if self.file.content is None else "remove" if self.after is None else "edit"

    def diff(self, name: str) -> str:
        """The change as a unified diff, with ``name`` for the file. A missing last line end is passed
        over.
        """
        before, after = self.file.content or b"", self.after or b""
        if before == after:
            return ""
        # Only what differs is compared, with a line around it: a startup file may have a megabyte.
        start = _line_before(before, _same_at_start(before, after))
        end = min(_same_at_end(before, after), len(before) - start, len(after) - start)
        ends = [
            content.find(b"\n", content.find(b"\n", len(content) - end) + 1) + 1
            for content in (before, after)
        ]
        parts = [
            content[start : stop if end and stop else len(content)]
            for content, stop in zip((before, after), ends, strict=True)
        ]
        rows = _unified(_shown_lines(parts[0]), _shown_lines(parts[1]), before.count(b"\n", 0, start))
        names = (name if content is not None else "(no file)" for content in (self.file.content, self.after))
        return "".join([f"--- {next(names)}\n", f"+++ {next(names)}\n", *rows]) if rows else ""

    def check_writable(self) -> None:
        """Raises ``Problem`` where the file is read-only, another user's, or a mount of its own, or where the
        folder that it must be made in is read-only.
        """
        import shlex

        path, target, closed = self.file.path, self.file.target, self.file.closed
        behind = f", {target}" if target != path else ""
        there = self.file.content is not None
        leave = "(or leave its shell out of [shells] use)"
        if there and not self.file.writable:
            raise Problem(
                f"{path} is read-only",
                where=f"mode {self.file.mode:o}{behind}",
                advice=f"allow it with: chmod u+w {shlex.quote(str(path))}   {leave}",
            )
        if there and self.file.owner is not None:
            own = with_sudo(f"chown {os.geteuid()} {shlex.quote(str(target))}")
            raise Problem(
                f"{path} belongs to {owner_name(self.file.owner)}, and writing it would change its owner",
                where=str(target),
                advice=f"if it is yours: {own}   {leave}",
            )
        if closed is not None and os.statvfs(closed).f_flag & os.ST_RDONLY:
            raise Problem(
                f"{path} cannot be written: its disk is mounted read-only",
                where=str(closed),
                advice=(
                    f"mount it to be written to {leave}; for files of ours set XDG_DATA_HOME to another disk"
                ),
            )
        if closed is not None:
            raise Problem(
                f"{path} cannot be written: its folder is read-only",
                where=str(closed),
                advice=f"allow it with: chmod u+w {shlex.quote(str(closed))}",
            )
        if there and (mount := mounted_at(str(target))) is not None:
            read_only = "" if os.access(target, os.W_OK) else ", and that is read-only"
            raise Problem(
                f"{path} is a mount point ({mount.kind}){read_only}, so it cannot be replaced",
                where=str(target),
                advice=f"unmount it, or mount the folder around it   {leave}",
            )

    def keep(self, attic: Attic, name: str) -> Copies:
        """Copy the content before and after to the attic. ``name`` is the file as a person reads it."""
        return Copies(
            path=str(self.file.target),
            name=name,
            mode=self.file.mode,
            before=attic.keep(self.file.path.name, self.file.content),
            after=attic.keep(self.file.path.name + ".after", self.after),
            before_digest=_digest(self.file.content),
            after_digest=_digest(self.after),
        )

    def carry_out(self) -> None:
        """Replace the file. Raises ``Problem`` where it was changed since it was read."""
        target = self.file.target
        try:
            if self.after is None:
                if content_of(target) != self.file.content:
                    raise Changed
                remove(target)
            else:
                folders.make(target.parent)
                replace(target, self.after, self.file.mode, instead_of=self.file.content)
        except Changed:
            raise ChangedMeanwhile(
                f"{self.file.path} was changed by someone else meanwhile",
                advice="it was not touched; run the command again",
            ) from None


class Copies(msgspec.Struct, kw_only=True):
    """Where a file's content before and after an edit is kept in the attic (None: there was no file, or will
    be none), and the digests of both (empty: an older journal has none).
    """

    path: str
    name: str
    mode: int = 0o644
    before: str | None = None
    after: str | None = None
    before_digest: str = ""
    after_digest: str = ""

    def content_before(self) -> bytes | None:
        """What the file held. Raises ``Problem`` where its copy is not what was put there."""
        return _copy(self.before, self.before_digest, self.name)

    def content_after(self) -> bytes | None:
        """What the file got. Raises ``Problem`` where its copy is not what was put there."""
        return _copy(self.after, self.after_digest, self.name)

    def is_before(self, content: bytes | None) -> bool:
        """Whether this is what the file held."""
        return _is(content, self.before, self.before_digest, self.name)

    def is_after(self, content: bytes | None) -> bool:
        """Whether this is what the file got."""
        return _is(content, self.after, self.after_digest, self.name)


class Reversal(msgspec.Struct, frozen=True):
    """What takes an edit back: the content that the file should get (None: no file), if any, what it holds
    ``now``, and what to tell. ``needs`` tells that what it held before stays of use.
    """

    needed: bool
    content: bytes | None = None
    told: tuple[str, ...] = ()
    now: bytes | None = None
    needs: bool = False


def put_back(copies: Copies) -> Reversal:
    """Put a file back as it was before its edit. See ``reversal``."""
    found = reversal(copies)
    if found.needed:
        # Where it has become a link since, what that leads to is edited, and the link stays.
        target = Path(os.path.realpath(copies.path))
        if found.content is None and not os.path.islink(copies.path):
            remove(target)
        else:
            folders.make(target.parent)
            mode = None if target.exists() else copies.mode
            replace(target, found.content or b"", mode, instead_of=found.now)
    return found


def reversal(copies: Copies) -> Reversal:
    """How to take an edit back, by what the file holds now.

    Where someone changed it since, only our edit is taken out and their changes stay; where both touched the
    same lines it is left alone, and the older content stays in the attic. Raises ``Problem`` where the copy
    in the attic that is needed for it is missing or damaged.
    """
    name, now = copies.name, content_of(Path(copies.path))
    if copies.is_before(now):
        return Reversal(False)
    if copies.is_after(now):
        return Reversal(True, copies.content_before(), now=now)
    if now is None:
        return Reversal(
            False, told=(f"{name} was removed by someone else meanwhile, and stays removed",), needs=True
        )
    before, after = copies.content_before(), copies.content_after()
    texts = [lines_of(content or b"") for content in (before, after, now)]
    if all_gone(*texts):
        return Reversal(False)
    rows = taken_out(*texts)
    if rows is None:
        copy = f"; what it held before is kept in {copies.before}" if copies.before else ""
        told = f"{name} was changed in the same lines by someone else and is left as it is{copy}"
        return Reversal(False, told=(told,), needs=True)
    told = f"{name} was changed by someone else too: only our own part was taken out"
    return Reversal(True, b"".join(rows), (told,), now)


def lines_of(content: bytes) -> list[bytes]:
    """Lines with their ends: a line feed ends one, a lone carriage return is content like any other."""
    rows = content.split(b"\n")
    return [row + b"\n" for row in rows[:-1]] + ([rows[-1]] if rows[-1] else [])


def all_gone(before: list[bytes], after: list[bytes], now: list[bytes]) -> bool:
    """Whether an edit only added lines, and none of them is in ``now``: someone took them out, so nothing of
    the edit is left to reverse. Pure.
    """
    import difflib

    added: set[bytes] = set()
    for kind, a1, a2, b1, b2 in difflib.SequenceMatcher(None, before, after, autojunk=False).get_opcodes():
        if kind == "equal":
            continue
        if b"".join(before[a1:a2]).strip():
            return False
        added |= {row.strip() for row in after[b1:b2] if row.strip()}
    return bool(added) and added.isdisjoint(row.strip() for row in now)


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


def _digest(content: bytes | None) -> str:
    return "" if content is None else digest_of(content)


def _is(content: bytes | None, copy: str | None, digest: str, name: str) -> bool:
    if digest:
        return content is not None and digest_of(content) == digest
    if content is None or copy is None:
        return content is None and copy is None
    return content == _copy(copy, digest, name)


def _copy(copy: str | None, digest: str, name: str) -> bytes | None:
    """What is kept in the attic. Raises ``Problem`` where it is not what was put there."""
    if copy is None:
        return None
    content = content_of(Path(copy))
    if content is None or (digest and digest_of(content) != digest):
        raise Problem(
            f"the copy of {name} in the attic is"
            f" {'missing' if content is None else 'not what was put there'}",
            where=copy,
            advice=(
                f"{name} is left as it is: put that copy back from a backup, or take our line out of {name}"
                " by hand"
            ),
        )
    return content


def _same_at_start(one: bytes, other: bytes) -> int:
    """How many bytes two contents have alike at their start."""
    low, high = 0, min(len(one), len(other))
    while low < high:
        middle = (low + high + 1) // 2
        if one[low:middle] == other[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low


def _same_at_end(one: bytes, other: bytes) -> int:
    return _same_at_start(one[::-1], other[::-1])


def _line_before(content: bytes, place: int) -> int:
    """Where the line begins before the one that a place is in."""
    return content.rfind(b"\n", 0, max(0, content.rfind(b"\n", 0, place))) + 1


def _unified(before: list[str], after: list[str], skipped: int) -> list[str]:
    """The hunks of a unified diff of parts that stand behind ``skipped`` lines."""
    import difflib

    def moved(found: re.Match[str]) -> str:
        start, count = int(found[2]), found[3] or ""
        return f"{found[1]}{start + skipped if start or skipped else 0}{count}"

    rows = list(difflib.unified_diff(before, after, n=1))[2:]
    return [
        re.sub(r"([-+])([0-9]+)((?:,[0-9]+)?)", moved, row) if row.startswith("@@ ") else row for row in rows
    ]


def _shown_lines(content: bytes | None) -> list[str]:
    pieces = (content or b"").decode("utf-8", "backslashreplace").split("\n")
    return [piece + "\n" for piece in (pieces if pieces[-1] else pieces[:-1])]
