"""Putting a version onto the shelf, and taking it off, each in one rename."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Collection, Mapping
from pathlib import Path

from zesty_anchor.files import folders
from zesty_anchor.files.removal import discard, set_aside
from zesty_anchor.system.problem import Problem


def stage(staging: Path, name: str) -> Path:
    """A new empty folder beside the shelf, to unpack into. The folder for such is made where it is not
    there.
    """
    folders.make(staging)
    return Path(tempfile.mkdtemp(prefix=name + ".", dir=staging))


def content(folder: Path, bins: Collection[str] = ()) -> Path:
    """The folder that holds the content: an archive often wraps it in a single one of its own.

    A single one that is, or holds, one of the folders of commands ``bins`` is content itself.
    """
    entries = list(folder.iterdir())
    own = {part.partition("/")[0] for part in bins}
    if (
        len(entries) == 1
        and entries[0].is_dir()
        and not entries[0].is_symlink()
        and entries[0].name not in own
    ):
        return entries[0]
    return folder


def root_in(folder: Path, pattern: str) -> Path:
    """The folder of an archive that is the version. Raises ``Problem`` where there is no single one of that
    name, or it would lead out of the archive.
    """
    if ".." in pattern.split("/") or pattern.startswith("/"):
        raise Problem(f"{pattern!r} leads out of the archive", advice="fix root in the recipe")
    found = [each for each in folder.glob(pattern) if each.is_dir() and not each.is_symlink()]
    if len(found) != 1:
        raise Problem(f"the archive holds no single folder {pattern!r}", advice="fix root in the recipe")
    return found[0]


def put_into(part: Path, folder: Path, inner: str) -> None:
    """Put a companion into an inner folder of a version that is not on the shelf yet, in place of what is
    there.

    Raises ``Problem`` where that would leave the version.
    """
    target = _inner(folder, inner)
    if target.is_dir() and not target.is_symlink():
        discard(target)
    target.parent.mkdir(parents=True, exist_ok=True)
    part.chmod(0o755)
    part.rename(target)


def link_commands(folder: Path, bin: str, links: Mapping[str, str], inner: str = "") -> None:
    """Make commands in the folder of commands, each a link to its file below ``inner``, which may then be
    run.

    Raises ``Problem`` where there is no such file.
    """
    for command, file in links.items():
        real = _inner(folder, f"{inner}/{file}" if inner else file)
        if not real.is_file():
            raise Problem(
                f"there is no {file!r} for the command {command!r}", advice="fix links in the recipe"
            )
        link = folder / bin / command
        link.parent.mkdir(parents=True, exist_ok=True)
        link.unlink(missing_ok=True)
        real.chmod(0o755)
        link.symlink_to(os.path.relpath(real, link.parent))


def _inner(folder: Path, inner: str) -> Path:
    """A path of a version. Raises ``Problem`` where it, or a link on the way, leads out of it."""
    path = folder / inner
    if not os.path.realpath(path).startswith(os.path.realpath(folder) + os.sep):
        raise Problem(f"{inner!r} leads out of the version's folder", advice="fix the recipe")
    return path


def put(folder: Path, target: Path) -> None:
    """Rename a finished folder to its place on the shelf (rename(2): all of it or nothing)."""
    folder.chmod(0o755)
    folder.rename(target)


def take_off(target: Path, staging: Path) -> Path | None:
    """Rename a version off the shelf, so that no half of it is ever seen there. Returns the folder to be
    removed.
    """
    if not target.exists():
        return None
    room = Path(tempfile.mkdtemp(prefix="gone.", dir=staging))
    away = set_aside(target, room / target.name)
    if away == target:
        room.rmdir()
        return target
    return room
