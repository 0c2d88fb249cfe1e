"""The state of this home, read from the disk alone."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path

from zesty_anchor.engine.home_identity import moved_from
from zesty_anchor.engine.journal import LatestRun, StandingWrite
from zesty_anchor.engine.opening import latest
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.replace import content_of
from zesty_anchor.planning.home import Home, kinds
from zesty_anchor.planning.newer import last_answer, still_true
from zesty_anchor.planning.promised import BASE, read
from zesty_anchor.planning.status import ChangedSince, Status
from zesty_anchor.proof.proved import LastProof, last_proof
from zesty_anchor.proof.verified import EXITS, State
from zesty_anchor.shells.reading import MARK
from zesty_anchor.system.locations import Locations


def status(home: Home, folder: Path) -> Status:
    """What is installed, what has changed since, and what is pending. Changes nothing, starts no shell.
    Before the first run its manifest is the one that ``provision`` would take in ``folder``; empty: there is
    none.
    """
    locations = home.locations
    run, writes = latest(locations, kinds)
    proof = last_proof(locations.state)
    promised = read(run.promised) if run is not None else {}
    versions = promised.get("version", {})
    wanted = {f"{name} {version}" for name, version in versions.items()} | set(promised.get("also", {}))
    changed = tuple(_changed(writes, wanted, locations))
    failing, pending = tuple(_failing(proof)), tuple(_pending(home, run))
    answer, disk = last_answer(locations.state), os.statvfs(locations.home)
    state: State = "failing" if failing else "changed" if changed else "pending" if pending else "ok"
    return Status(
        state=state,
        exit=EXITS[state],
        manifest=locations.shown(run.manifest) if run is not None else _found(folder, locations),
        run=run.run if run is not None else 0,
        at=run.began if run is not None else 0.0,
        versions=versions,
        verified_at=proof.at if proof is not None else 0.0,
        shells=tuple(dict.fromkeys(each.shell for each in proof.shells)) if proof is not None else (),
        failing=failing,
        changed=changed,
        pending=pending,
        newer=still_true(answer, wanted) if answer is not None else (),
        asked_at=answer.at if answer is not None else 0.0,
        free=disk.f_bavail * disk.f_frsize,
    )


def _found(folder: Path, locations: Locations) -> str:
    from zesty_anchor.manifest.read import NoManifest, find

    try:
        return locations.shown(find(None, folder, locations.config, home=locations.home))
    except NoManifest:
        return ""


def _failing(proof: LastProof | None) -> Iterator[str]:
    """The checks that failed last, and did not fail before anything was provisioned, each once a shell."""
    found = {
        f"{each.shell}: {check.name}": None
        for each in (proof.shells if proof is not None else ())
        for check in each.checks
        if not check.ok and not check.before
    }
    yield from found


def _pending(home: Home, run: LatestRun | None) -> Iterator[str]:
    if run is None:
        yield "nothing was provisioned in this home yet"
        return
    if home.past.cut_off:
        yield "the last run was cut off"
    if before := moved_from(home.past.home, home.locations):
        yield f"this home was {before} when it was provisioned"
    shown = home.locations.shown(run.manifest)
    try:
        text = content_of(run.manifest)
    except OSError as error:
        yield f"{shown} cannot be read: {error.strerror}"
        return
    if text is None:
        yield f"{shown} is gone"
    elif digest_of(text) != run.digest:
        yield f"{shown} was changed since run {run.run}"
    for file, digest in read(run.promised).get(BASE, {}).items():
        with suppress(OSError):
            if digest_of(content_of(Path(file)) or b"") != digest:
                yield f"{home.locations.shown(file)} was changed since run {run.run}"


def _changed(
    writes: Iterable[StandingWrite], wanted: set[str], locations: Locations
) -> Iterator[ChangedSince]:
    """Of the generated files every byte counts; of a startup file only our line, since the rest is the
    person's; of a version its folder, where the manifest still wants it.
    """
    for each in writes:
        what = ""
        if each.kind == "version":
            if each.subject in wanted and not each.place.is_dir():
                what = f"{each.subject} is gone"
        elif each.kind in ("generated-file", "startup-file") and each.digest:
            what = _file_changed(each.place, each)
        if what:
            yield ChangedSince(locations.shown(each.place), what)


def _file_changed(file: Path, wrote: StandingWrite) -> str:
    try:
        content = content_of(file)
    except OSError as error:
        return f"cannot be read: {error.strerror}"
    if content is None:
        return "is gone"
    if digest_of(content) == wrote.digest:
        return ""
    if wrote.kind == "startup-file":
        return "" if MARK.encode() in content else "its zesty-anchor line is gone"
    return "changed since installation"
