"""What a mirror holds, as a person reads it."""

from __future__ import annotations

import shlex
from collections.abc import Sequence

from zesty_anchor.planning.mirrored import ChangedFile, Mirrored, MirrorMade
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount, count


def made(paint: Paint, found: MirrorMade, quiet: bool) -> None:
    """What was fetched, what failed, and how to serve and use it."""
    new = f"{count(found.fetched, 'file')} fetched, {amount(found.fetched_size)}" if found.fetched else ""
    text = f"{count(len(found.files), 'file')}, {amount(found.size)} in {found.folder}"
    if found.failed:
        paint.write(f"{paint.bad(count(len(found.failed), 'file') + ' failed')}; {text}.")
        for each in found.failed:
            paint.write(f"  {paint.bad('failed')}  {each}")
        paint.write("What was fetched stays; run the same command again to go on.")
        return
    paint.write(f"{text} ({new or 'nothing was missing'}).")
    if quiet:
        return
    for note in found.notes:
        paint.write(f"{paint.faint('not in it:')} {note}")
    serve = f"python3 -m http.server -d {shlex.quote(found.folder)} 8931"
    paint.write(f"To serve it:   {serve}   (or any web server)")
    paint.write('To use it:     [mirror] url = "http://THIS-HOST:8931/"   in the manifest of another machine')
    if any(each.path.startswith("simple/") for each in found.files):
        paint.write("The program:   pip install --index-url http://THIS-HOST:8931/simple/ zesty-anchor")
    _packages(paint, found)


def _packages(paint: Paint, found: MirrorMade) -> None:
    """How another machine takes the packages of the system from it."""
    if any(each.path == "packages/InRelease" for each in found.files):
        paint.write(
            "The packages:  [prerequisites.sources.mirror] with"
            ' url = "http://THIS-HOST:8931/", suite = "packages/", key = "FILE"'
        )
        paint.write(f"               FILE is a copy of {shlex.quote(found.folder)}/packages/key.asc")


def checked(paint: Paint, folder: str, number: int, wrong: Sequence[ChangedFile]) -> None:
    """Which files are not as they were put there."""
    if not wrong:
        paint.write(f"{paint.good('All ' + count(number, 'file') + ' are unchanged')} in {folder}.")
        return
    share = f"{len(wrong)} of {count(number, 'file')} changed"
    paint.write(f"{paint.bad(share)} in {folder}.")
    for each in wrong:
        what = f"is {each.found}, was {each.expected}" if each.found else "is missing"
        paint.write(f"  {paint.bad(each.path)} {what}")
    paint.write(f"Delete them, then: {paint.name(f'zesty-anchor mirror {shlex.quote(folder)}')}")


def pruned(paint: Paint, gone: Sequence[Mirrored]) -> None:
    """What was deleted."""
    if not gone:
        paint.write("Nothing to delete: the locks name every file.")
        return
    paint.write(f"{count(len(gone), 'file')} deleted, {amount(sum(each.size for each in gone))}.")
    for each in gone:
        paint.write(f"  {each.path}  {paint.faint(', '.join(each.for_))}")
