"""The change that writes a generated file: variables, PATH and the following of folders, in one shell's
language.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import FileChange, FileKind, edited_from
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Found, Keep, Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import FileRecord, Reverted
from zesty_anchor.changes.shells.environment import environment_of
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.edit import Edit, lines_of, taken_out
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.replace import content_of, replace
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.graphical import unfit
from zesty_anchor.shells.known import COMPLETE, FOLLOW, LAUNCH, SESSION, SH, SHELLS, generated, path_forms
from zesty_anchor.shells.posix import WRITTEN
from zesty_anchor.survey.machine import Machine, generated_file
from zesty_anchor.survey.startup.sites import sites
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem


class WriteGenerated(FileChange, frozen=True):
    """Write, replace or remove one generated file. ``checker`` is the shell that must be able to read it."""

    environment: Environment
    checker: tuple[str, str] | None = None
    kind: ClassVar[str] = "generated-file"
    stage: ClassVar[Stage] = Stage.SHELL
    touches: ClassVar[frozenset[str]] = frozenset({"generated"})

    @property
    def detail(self) -> str:
        """What it gives: its lines say nothing to a person."""
        if self.edit.after is None:
            return "nothing reads it any more"
        names = ", ".join(name for name, _ in self.environment.variables)
        folders = (
            len(self.environment.first) + len(self.environment.default_bins) + len(self.environment.last)
        )
        parts = [f"{folders} folder{'' if folders == 1 else 's'} on PATH"] + (
            [f"variables {names}"] if names else []
        )
        return "; ".join(parts)

    def prepare(self, bench: Bench) -> FileRecord:
        """Lines of the manifest or of a recipe stand in it, so the shell reads it before it is put in
        place.
        """
        if self.checker and self.edit.after is not None:
            from zesty_anchor.shells.syntax import passes

            well, said = passes(self.checker, self.edit.after)
            if not well:
                raise Problem(
                    f"the lines that a hook adds for {Path(self.checker[0]).name} do not pass its"
                    f" {self.checker[1]}: {said}",
                    where=self.name,
                    advice=(
                        "fix [shells.hooks] in the manifest, or the hooks of the recipe; nothing was changed"
                    ),
                )
        place = self.edit.file.path
        if place.is_dir():
            bench.remark(
                f"a folder stood in place of {self.name}: it is kept in"
                f" {bench.locations.shown(bench.attic.away(place))}"
            )
        record = FileChange.prepare(self, bench)
        earlier, content = bench.wrote(record.path), self.edit.file.content
        if content is not None and earlier and record.before_digest not in earlier:
            kept = bench.locations.shown(bench.attic.copy(self.edit.file.path, content))
            bench.remark(
                f"{self.name} was changed by somebody: what it held is kept in {kept}. Such a change belongs"
                " in workstation.toml"
            )
        return record


class GeneratedFiles(FileKind):
    """The kind."""

    name = "generated-file"
    heading = Heading.OURS

    def found(self, locations: Locations) -> Iterable[Found]:
        """The files that begin as ours do."""
        for name in generated():
            path = generated_file(locations, name)
            content = _written(path)
            if content is not None:
                shown = locations.shown(path)
                above = [str(folder) for folder in path.parents if locations.home in folder.parents]
                made = above if path.is_relative_to(locations.others) else []
                yield (
                    shown,
                    "create",
                    FileRecord(path=str(path), name=shown, after_digest=digest_of(content), made=made),
                )

    def follow(self, record: FileRecord, move: HomeMove) -> FileRecord | None:
        """Our own text contains the path of the home: the copies of before and after are rewritten, with
        their digests.
        """
        digests = {}
        for which in ("before", "after"):
            copy = getattr(record, which)
            content = content_of(Path(copy)) if copy else None
            if content is None or digest_of(content) != (
                getattr(record, f"{which}_digest") or digest_of(content)
            ):
                continue
            moved = move.content(content, *path_forms(_name_of(Path(record.path))))
            if moved != content:
                replace(Path(copy), moved)
                digests[f"{which}_digest"] = digest_of(moved)
        return msgspec.structs.replace(record, **digests) if digests else None

    def uses(self, record: FileRecord, places: Sequence[str]) -> bool:
        """Whether the shells look for commands in one of these folders."""
        text = (content_of(Path(record.after)) or b"") if record.after else b""
        return any(os.fsencode(f"{place}/") in text for place in places)

    def without(self, earlier: FileRecord, later: FileRecord, keep: Keep) -> FileRecord | None:
        """The later one, without what the earlier one added."""
        was, got = earlier.kept.content_before(), earlier.kept.content_after()
        before, after = (
            _apart(was, got, each) for each in (later.kept.content_before(), later.kept.content_after())
        )
        return (
            None
            if before is None or after is None
            else edited_from(later, before or None, after or None, keep)
        )

    def notices(self, wanted: Wanted, machine: Machine) -> Sequence[str]:
        """The variables that a graphical session does not get."""
        if not machine.has_user_generator or not wanted.shells:
            return ()
        found = ((name, unfit(value)) for name, value in wanted.by_default)
        return tuple(f"{name} is not given to graphical sessions: {why}" for name, why in found if why)

    def take_back(self, record: FileRecord, bench: Bench) -> Reverted:
        """Put the file back; of what a later run wrote over it, only what this one added goes."""
        now = content_of(Path(record.path))
        if (
            now is not None
            and not record.untouched
            and not (record.kept.is_before(now) or record.kept.is_after(now))
        ):
            left = _apart(record.kept.content_before(), record.kept.content_after(), now)
            if left is not None:
                replace(Path(record.path), left, instead_of=now)
                return Reverted()
        return FileKind.take_back(self, record, bench)

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[WriteGenerated]:
        """Each file as it should be, where it is not. One that nothing reads any more goes."""
        environment = environment_of(wanted, machine)
        used, texts = used_files(wanted, machine), generated()
        for name, file in machine.generated.items():
            # What follows the folder must know the file that it belongs to.
            path = generated_file(machine.locations, name.removeprefix(FOLLOW))
            text = texts[name](environment, str(path)) if name in used else ""
            after = os.fsencode(text) if text else None
            if after != file.content:
                edit = Edit(file, after)
                edit.check_writable()
                shell = machine.shell(name)
                checker = (
                    (shell.program, SHELLS[name].check) if shell and environment.hooks_of(name) else None
                )
                yield WriteGenerated(edit, machine.locations.shown(file.path), environment, checker)


def _written(path: Path) -> bytes | None:
    """The content of a file that begins as ours do; None for any other, for a link and for a folder."""
    content = None if path.is_symlink() or path.is_dir() else content_of(path)
    return content if content is not None and content.startswith(WRITTEN.encode()) else None


def _name_of(path: Path) -> str:
    """Return the name of a generated file, by its path."""
    for name, shell in SHELLS.items():
        own = shell.own_file(path.parents[2]) if len(path.parents) > 2 else None
        if own == path:
            return name
    return SESSION if path.parent.name == "environment.d" else path.name


def follow_generated(locations: Locations, move: HomeMove) -> int:
    """Update the generated files after the home was moved. Returns how many were written."""
    written = 0
    for name in generated():
        path = generated_file(locations, name)
        content = _written(path)
        moved = move.content(content, *path_forms(name)) if content is not None else None
        if moved is not None and moved != content:
            replace(path, moved)
            written += 1
    return written


def _apart(was: bytes | None, got: bytes | None, now: bytes | None) -> bytes | None:
    """What a generated file holds without what one run added to it; None where that cannot be told. The stamp
    is made anew, so that open shells read the file again.
    """
    if now == got:
        return was or b""
    rows = taken_out(*(lines_of(_unstamped(each or b"")) for each in (was, got, now)))
    if rows is None:
        return None
    text = b"".join(rows)
    return text.replace(_NO_STAMP, digest_of(text)[:_STAMP_DIGITS].encode())


def _unstamped(content: bytes) -> bytes:
    found = _STAMP.search(content)
    return content.replace(found[1], _NO_STAMP) if found else content


_STAMP_DIGITS = 12
_STAMP = re.compile(rb"^# stamp ([0-9a-f]{12})$", re.MULTILINE)
_NO_STAMP = b"?" * _STAMP_DIGITS


def used_files(wanted: Wanted, machine: Machine) -> frozenset[str]:
    """The names of the generated files that something reads."""
    used = {site.language for site in sites(wanted.shells, machine)}
    used |= {name for name in wanted.shells if SHELLS[name].own_file(machine.locations.others) is not None}
    languages = [SHELLS[name] for name in used]
    for shell in languages:
        used |= {SH, f"{FOLLOW}{shell.name}"} if shell.follows else set()
        used |= {f"{COMPLETE}{shell.name}"} if shell.completes else set()
        used |= shell.further_files().keys()
    used |= {LAUNCH} if wanted.recipes else set()
    return frozenset(used | ({SESSION} if machine.has_user_generator and wanted.shells else set()))
