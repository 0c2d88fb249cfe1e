"""Fetching what a provisioning will need, and nothing more: the rest can be done without a network."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.runtimes.install import Install
from zesty_anchor.engine.outcome import ChangeReport, Outcome
from zesty_anchor.feeds.linked import LINKED
from zesty_anchor.files import folders
from zesty_anchor.manifest.wanted import Artefact, WantedVersion
from zesty_anchor.operations.agreed import agreed
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.planner import Planner
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.download import kept_file, obtain
from zesty_anchor.shelf.inflate import Source
from zesty_anchor.system.privilege import NO_ACCESS
from zesty_anchor.system.problem import Problem

_CHUNK = 1 << 20
_NO_FILES = ("commit:", f"{LINKED}:")
"""How the digest begins of what is no file: it is obtained when its version is installed."""


class Fetched(msgspec.Struct, frozen=True):
    """What became of each file, and how many bytes were fetched."""

    outcome: Outcome
    size: int


def fetch(workstation: Workstation, person: Person) -> Fetched:
    """Bring the files of all versions that are missing here into the cache, as many at a time as there are
    jobs. Each is checked against its digest; what has none is fetched when its version is installed. Installs
    nothing.

    Raises ``Problem`` where the manifest cannot be planned; a file that fails is in the outcome.
    """
    began = time.monotonic()
    agreed(workstation, person)
    machine, offers = look_at(workstation), Offers(workstation)
    planner = Planner(workstation, KINDS.concerned, offers, lambda: NO_ACCESS)
    plan = planner.plan(machine, workstation.past.resolutions)
    wanted = [change.wanted for change in plan.changes if isinstance(change, Install)]
    files = list(dict.fromkeys(each for version in wanted for each in _files(version)))
    left = [file for file in files if not _kept(workstation, file[2]).is_file()]
    person.reporter.ahead(len(left), sum(file[2].size or 0 for file in left))
    folders.make(workstation.locations.downloads)
    stopped = threading.Event()
    with ThreadPoolExecutor(person.jobs) as pool:
        running = [pool.submit(_one, workstation, person, offers, file, stopped) for file in left]
        try:
            reports = tuple(each.result() for each in running)
        except BaseException:
            stopped.set()
            pool.shutdown(cancel_futures=True)
            raise
    notices = tuple(
        f"{version.runtime} {version.version} is fetched when it is installed"
        for version in wanted
        if not list(_files(version))
    )
    here = (_kept(workstation, artefact) for _, _, artefact in left)
    size = sum(file.stat().st_size for file in here if file.is_file())
    seconds = time.monotonic() - began
    return Fetched(Outcome((*plan.failed, *reports), notices=notices, seconds=seconds), size)


_File = tuple[str, str, Artefact]
"""Whose it is, the feed that has it, and where it is."""


def _files(version: WantedVersion) -> Iterator[_File]:
    """The files of a version that a digest pins, with those of what it is built with."""
    name = f"{version.runtime} {version.version}"
    parts = [(f"{part.name} {part.version}", part.artefact) for part in version.parts]
    for subject, artefact in ((name, version.artefact), *parts):
        if artefact is not None and artefact.digest and not artefact.digest.startswith(_NO_FILES):
            yield subject, version.feed, artefact
    if version.earlier is not None:
        yield from _files(version.earlier)


def _kept(workstation: Workstation, artefact: Artefact) -> Path:
    return kept_file(workstation.locations.downloads, artefact.digest, artefact.url)


def _one(
    workstation: Workstation, person: Person, offers: Offers, file: _File, stopped: threading.Event
) -> ChangeReport:
    subject, feed, artefact = file
    key, kept = f"fetch:{artefact.url}", _kept(workstation, artefact)

    def moved(done: int, total: int | None) -> None:
        if stopped.is_set():
            raise KeyboardInterrupt
        person.reporter.moved(key, done, total)

    person.reporter.began(key, f"fetch {subject}")
    try:
        obtain(
            lambda: offers.open_body(artefact.url, f"the feed {feed!r}"),
            artefact.digest, artefact.size, kept, kept.parent, moved,
            unpack=_passed, bounds=Bounds(artefact.largest, named=True) if artefact.largest else Bounds(),
        )  # fmt: skip
    except Problem as problem:
        person.reporter.ended(key, f"fetch {subject}", well=False)
        where = artefact.url + (f": {problem.where}" if problem.where not in ("", artefact.url) else "")
        return ChangeReport("version", subject, "fetch", "", "failed", problem.what, where, problem.advice)
    person.reporter.ended(key, f"fetch {subject}", well=True)
    return ChangeReport("version", subject, "fetch", artefact.url, "done")


def _passed(source: Source, folder: Path, *, bounds: Bounds) -> None:
    """Read an archive to its end, in place of unpacking it."""
    while source.read(_CHUNK):
        pass
