"""The whole thing for real, in a copy of the home: what would happen here, and whether it could be taken
back.
"""

from __future__ import annotations

import hashlib
import os
import shlex
import stat
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path

import msgspec

from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.provision import provision
from zesty_anchor.operations.report import report
from zesty_anchor.operations.take_back import undo
from zesty_anchor.planning.agreement import check_hands
from zesty_anchor.planning.rehearsed import Rehearsed
from zesty_anchor.planning.reported import Report
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shells.rooted import Root, in_root
from zesty_anchor.shells.sealed import World, in_copy
from zesty_anchor.system.locations import Locations, locate
from zesty_anchor.system.namespaces import Closed, die_with_parent, way_to_allow
from zesty_anchor.system.problem import Problem, UsageProblem
from zesty_anchor.system.with_sudo import with_sudo

Entry = tuple[int, ...]
"""What lstat(2) tells of a file that changes when its content does."""
Open = Callable[[], Workstation]
"""Opens the workstation anew."""
Page = Callable[[Report, Path], str]
"""Makes the page of a report, for a home."""
Begin = Callable[[], AbstractContextManager[tuple[Open, Person]]]
"""Begins the work in another root."""
_OF_A_ROOT = ("bin/sh", "etc", "usr")


class _Failed(msgspec.Struct, frozen=True):
    """A problem as it comes out of the copy."""

    what: str
    where: str
    advice: str
    code: int


class _Inside(msgspec.Struct, frozen=True):
    """What was done in the copy: ``left`` holds of each path that differs after undo what stands there
    (empty: nothing).
    """

    outcome: Outcome | None
    left: dict[str, str]
    manifest: str
    page: str


def rehearse(open_anew: Open, person: Person, page: Page | None = None) -> Rehearsed:
    """Provision in a copy of the home, prove it, make the ``page`` if one is wanted, and take it back; then
    compare.

    Nothing outside the copy can be written but temporary files. What needs privilege is told and not done.
    Raises ``UsageProblem`` where folders of ours are outside the home, and ``Problem`` where the system
    allows no copy, or what provisioning raises.
    """
    began = time.monotonic()
    workstation = open_anew()
    locations = workstation.locations
    _check_inside(locations)
    check_hands(workstation)
    before = looked(locations.home)
    rehearsing = msgspec.structs.replace(person, rehearses=True)

    def open_inside() -> Workstation:
        return msgspec.structs.replace(open_anew(), hands_known=True)

    def task(home: Path) -> _Inside | _Failed:
        try:
            return _inside(open_inside, rehearsing, page)
        except Problem as problem:
            return _Failed(problem.what, problem.where, problem.advice, problem.code)
        finally:
            person.reporter.over()

    try:
        inside = in_copy(World(locations.home, apart=True), task)[0]
    except Closed as error:
        raise Problem(
            f"this system allows no copy of the home to rehearse in: {error}",
            where="user namespaces (user_namespaces(7)), mount_setattr(2)",
            advice=way_to_allow(),
        ) from None
    return _compared(inside, locations, before, began)


def rehearse_in_root(root: Root, begin: Begin, page: Page | None = None) -> Rehearsed:
    """The same in another system's root, in which what needs privilege is done too. This process must be
    root.

    ``begin`` gives the workstation's opener and the person; it is called in that root, still as root. Raises
    ``UsageProblem`` where the folder is no root of a system, or this process is not root; else as
    ``rehearse``.
    """
    began = time.monotonic()
    _check_root(root.folder)
    locations = locate({"HOME": str(root.home)})
    before = looked(locations.home)

    def task() -> _Inside | _Failed:
        try:
            with begin() as (open_anew, person):
                die_with_parent()
                _check_inside(open_anew().locations)
                return _inside(open_anew, person, page)
        except Problem as problem:
            return _Failed(problem.what, problem.where, problem.advice, problem.code)

    try:
        inside = in_root(root, task)
    except Closed as error:
        raise Problem(
            f"this system does not allow to enter {root.folder}: {error}",
            where="mount_namespaces(7), overlayfs",
            advice="in a container this takes the right to mount (CAP_SYS_ADMIN)",
        ) from None
    return _compared(inside, locations, before, began, str(root.folder))


def _check_root(folder: Path) -> None:
    if os.geteuid() != 0:
        raise UsageProblem(
            "packages can be installed for real in a root by root alone",
            where=str(folder),
            advice=with_sudo(f'"$(command -v zesty-anchor)" rehearse --root {shlex.quote(str(folder))}'),
        )
    missing = [name for name in _OF_A_ROOT if not (folder / name).exists()]
    if missing:
        raise UsageProblem(
            f"this is no root of a system: it has no {' and no '.join(missing)}",
            where=str(folder),
            advice=(
                "make one: debootstrap --variant=minbase SUITE FOLDER, or name / for a copy of this system"
            ),
        )


def _compared(
    inside: _Inside | _Failed, locations: Locations, before: dict[str, Entry], began: float, root: str = ""
) -> Rehearsed:
    """What came of it, with the real home compared. Raises the ``Problem`` that came out of the copy."""
    if isinstance(inside, _Failed):
        failed = Problem(inside.what, where=inside.where, advice=inside.advice)
        failed.code = inside.code
        raise failed
    after = looked(locations.home)
    touched = sorted(path for path in before.keys() | after.keys() if before.get(path) != after.get(path))
    back = sorted(path for path, told in inside.left.items() if told != standing(Path(path)))
    assert inside.outcome is not None
    return Rehearsed(
        inside.outcome,
        tuple(map(locations.shown, back)),
        tuple(map(locations.shown, touched)),
        len(before),
        time.monotonic() - began,
        inside.manifest,
        inside.page,
        root,
    )


def _check_inside(locations: Locations) -> None:
    for folder in (locations.config, locations.data, locations.state, locations.cache):
        if not folder.is_relative_to(locations.home):
            raise UsageProblem(
                "only what is in the home can be rehearsed, and this folder is not",
                where=str(folder),
                advice="take the XDG variable that names it out of the environment, for the rehearsal",
            )


def _inside(open_anew: Open, person: Person, page: Page | None) -> _Inside:
    workstation = open_anew()
    home = workstation.locations.home
    before = looked(home)
    outcome = provision(workstation, person)
    told = ""
    if page is not None:
        told = page(report(open_anew(), person), home)
    if outcome.changed:
        undo(open_anew(), person)
    after = looked(home)
    own = (workstation.locations.state, workstation.locations.cache)
    left = {
        path: standing(Path(path))
        for path in before.keys() | after.keys()
        if before.get(path) != after.get(path)
        and not any(Path(path).is_relative_to(folder) or folder.is_relative_to(path) for folder in own)
    }
    return _Inside(outcome, left, workstation.locations.shown(workstation.file), told)


def looked(home: Path) -> dict[str, Entry]:
    """Every path of a home with its mode, size, times and number, links not followed; what cannot be read is
    left out.
    """
    found: dict[str, Entry] = {}
    waiting = [str(home)]
    while waiting:
        folder = waiting.pop()
        try:
            entries = list(os.scandir(folder))
        except OSError:
            continue
        for entry in entries:
            try:
                status = entry.stat(follow_symlinks=False)
            except OSError:
                continue
            found[entry.path] = (
                status.st_mode,
                status.st_size,
                status.st_mtime_ns,
                status.st_ctime_ns,
                status.st_uid,
            )
            if stat.S_ISDIR(status.st_mode):
                waiting.append(entry.path)
    return found


def standing(path: Path) -> str:
    """What stands at a path, as words that tell one thing from another: kind and permissions, and the digest
    of a file's content or where a link leads. Empty: nothing.
    """
    try:
        status = path.lstat()
    except OSError:
        return ""
    kind = f"{status.st_mode:o}"
    if stat.S_ISLNK(status.st_mode):
        return f"{kind} {os.readlink(path)}"
    if stat.S_ISREG(status.st_mode):
        return f"{kind} {hashlib.sha256(path.read_bytes()).hexdigest()}"
    return kind
