"""The change that puts the block into a startup file, fixes it, or takes it out."""

from __future__ import annotations

import functools
import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import FileChange, FileKind, ours_beside
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import FileRecord, Reverted
from zesty_anchor.files.edit import Edit, lines_of
from zesty_anchor.files.replace import content_of, remove, replace
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.guard import ends_always, ends_early
from zesty_anchor.shells.known import SH, SHELLS
from zesty_anchor.shells.line_ends import described, fix, misread
from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.shells.reading import Site
from zesty_anchor.survey.machine import Machine, generated_file, known_blocks
from zesty_anchor.survey.startup.sites import sites

_EARLY = b"case $- in "


class WriteBlock(FileChange, frozen=True):
    """Edit one startup file so that it holds the right block, once, or none. ``known`` are the blocks that we
    write. ``broken`` is the shell's message where it cannot read the whole file: it reads the lines above
    the mistake, so the block goes to the top.
    """

    checker: tuple[str, str] | None
    known: frozenset[bytes] = frozenset()
    broken: str = ""
    kind: ClassVar[str] = "startup-file"
    stage: ClassVar[Stage] = Stage.SHELL
    touches: ClassVar[frozenset[str]] = frozenset({"startup"})

    def prepare(self, bench: Bench) -> FileRecord:
        """Check the file that is to come with the shell's own ``-n``, then copy the present one to the
        attic.
        """
        if self.checker and self.edit.after is not None and not self.broken:
            from zesty_anchor.changes.shells.readable import check_syntax

            check_syntax(self.checker, self.edit.file, self.edit.after)
        record = FileChange.prepare(self, bench)
        if self.broken:
            bench.remark(f"{self.name} has a syntax error, so our line is at the top: {self.broken}")
        rows = lines_of(self.edit.file.content or b"")
        for number in sorted(marked_rows(rows)):
            if rows[number].strip() not in self.known:
                kept = bench.locations.shown(
                    bench.attic.copy(self.edit.file.path, self.edit.file.content or b"")
                )
                bench.remark(
                    f"our line in {self.name}:{number + 1} was changed by somebody, and is as it should be"
                    f" again; what the file held is kept in {kept}"
                )
        return record


class Blocks(FileKind):
    """The kind."""

    name = "startup-file"
    heading = Heading.STARTUP
    when_changed = "our line is missing from it"
    carries = frozenset({"generated-file", "launchers"})

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[WriteBlock]:
        """Startup files that should hold the block get it; those that should not, and do, lose it."""
        locations = machine.locations
        known = known_blocks(locations)
        placed = one_a_file(sites(wanted.shells, machine), machine)
        done: set[Path] = set()
        last, first = (
            {machine.startup[path].target for path in paths}
            for paths in (wanted.lines_last, wanted.lines_first)
        )
        for path, file in machine.startup.items():
            if file.target in done:
                continue
            done.add(file.target)
            site = placed.get(file.target)
            late = early = None
            if site:
                shell, generated = SHELLS[site.language], generated_file(locations, site.language)
                late = os.fsencode(shell.block(generated, locations.home))
                early = (
                    os.fsencode(shell.block(generated, locations.home, early=True)) if site.early else None
                )
            after = with_block(
                file.content, late, early, last=file.target in last, first=file.target in first
            )
            if after != file.content:
                checker = self._checker(path, site, machine)
                broken = _mistake(checker, file.content) if late is not None else ""
                if broken:
                    after = with_block(file.content, late, top=True)
                    if after == file.content:
                        continue
                edit = Edit(file, after)
                edit.check_writable()
                yield WriteBlock(edit, locations.shown(path), checker, known, broken)

    def notices(self, wanted: Wanted, facts: Machine) -> Sequence[str]:
        """Files that get our line, and whose own lines their shell misreads."""
        placed = one_a_file(sites(wanted.shells, facts), facts)
        return [
            f"{shown}: {described(file.content)}; to fix it: {fix(facts.locations.shown(file.target))}"
            for path, file in facts.startup.items()
            if (site := placed.get(file.target))
            and misread(site.language, file.content)
            and not marked_rows(lines_of(file.content or b""))
            and (shown := facts.locations.shown(path))
        ]

    def take_back(self, record: FileRecord, bench: Bench) -> Reverted:
        """Put the file back. Where a person moved our line, or doubled it, every line of ours goes, unless
        one was there before.
        """
        if record.untouched or bench.is_elsewhere(record.path):
            return FileKind.take_back(self, record, bench)
        before = record.kept.content_before()
        if before is not None and marked_rows(lines_of(before)):
            return FileKind.take_back(self, record, bench)
        now = content_of(Path(record.path))
        if (
            now is None
            or record.kept.is_before(now)
            or record.kept.is_after(now)
            or not marked_rows(lines_of(now))
        ):
            return FileKind.take_back(self, record, bench)
        for beside in ours_beside(record):
            beside.unlink()
        left = with_block(now, None) or b""
        if left or before is not None:
            replace(Path(os.path.realpath(record.path)), left, instead_of=now)
        else:
            remove(Path(record.path))
        return Reverted((f"{record.name} was changed by someone else too: only our own part was taken out",))

    @staticmethod
    def _checker(path: Path, site: Site | None, machine: Machine) -> tuple[str, str] | None:
        """The shell that is asked about a startup file: its own. .profile is often written for bash."""
        names = ("bash", SH) if path.name == ".profile" else (site.language,) if site else ()
        shells = (machine.shell(name) for name in names)
        return next(((shell.program, SHELLS[shell.name].check) for shell in shells if shell), None)


@functools.lru_cache(maxsize=64)  # a run plans several times
def _mistake(checker: tuple[str, str] | None, content: bytes | None) -> str:
    """What a shell says of a file that it cannot read; empty where it can."""
    if checker is None or not content:
        return ""
    from zesty_anchor.shells.syntax import passes  # most runs edit no startup file

    well, said = passes(checker, content)
    return "" if well else said or "no message"


def _goes_on(rows: list[bytes]) -> bool:
    """Whether the last line ends in a backslash, so that what follows would be a part of it (POSIX.1-2017,
    XCU 2.2.1).
    """
    last = b"".join(rows[-2:]).removesuffix(b"\n").rpartition(b"\n")[2] if rows else b""
    return (len(last) - len(last.rstrip(b"\\"))) % 2 == 1


def one_a_file(found: Iterable[Site], machine: Machine) -> dict[Path, Site]:
    """The site of each file, by what its links lead to. One that several shells read gets a line that serves
    all of them: the file of sh reads the one of the shell that it is in. Pure.
    """
    placed: dict[Path, Site] = {}
    for site in found:
        target = machine.startup[site.file].target
        other = placed.get(target)
        if other is not None and other.language != site.language:
            site = msgspec.structs.replace(site, language=SH, early=site.early or other.early)
        placed[target] = site
    return placed


def with_block(
    content: bytes | None,
    line: bytes | None,
    early: bytes | None = None,
    *,
    last: bool = False,
    first: bool = False,
    top: bool = False,
) -> bytes | None:
    """A startup file's content with exactly the one block ``line`` (None: without a block).

    A right block stays where it is, unless it is to be ``last``, or ``first``, above what may end the
    reading. A wrong one is replaced in its place; a new one goes to the end, after the file's own lines, or
    above the statement at which every reading of it ends (``first``: which may end it, else at the top;
    ``top``: at the top). With ``early`` there is a second one, above the statement that may end the reading,
    unless the block is at the top, where every shell reads it. A block always ends in a line feed alone, also
    in a file with CRLF: a shell would take the CR for a part of the command. Pure.
    """
    if content is None:
        return None if line is None else line + b"\n"
    rows = lines_of(content)
    marked = marked_rows(rows)
    wanted = {}
    if line is not None:
        early_ones = {i for i in marked if rows[i].startswith(_EARLY)}
        guard = ends_early(content) if early is not None else None
        kept = min(marked - early_ones, default=None)
        if early is not None and not (kept == 0 and guard):
            above = [i for i in early_ones if guard is not None and i < guard]
            wanted[above[0] if above else guard or 0] = early + b"\n"
        end = 0 if top else (ends_early(content) or 0) if first else ends_always(content)
        if kept is not None and last and any(row.strip() for row in rows[kept + 1 : end]):
            kept = None
        if kept is not None and (end is None or kept < end):
            wanted[kept] = line + b"\n"
        elif end is not None:
            wanted[end] = wanted.get(end, b"") + line + b"\n"
    result = []
    for i, row in enumerate(rows):
        if i in wanted:
            result.append(wanted[i])
        if i not in marked:
            result.append(row)
    if line is not None and not any(line + b"\n" in each for each in wanted.values()):
        if result and not result[-1].endswith(b"\n"):
            result.append(b"\n")
        if _goes_on(result):
            result.append(b"\n")
        result.append(line + b"\n")
    return b"".join(result)
