"""A twin of the journal in plain text: what each run did, a line of JSON an event, in the run's own folder in
the attic.

The journal is what counts. Should it be lost, the twin tells as far as it goes what can still be taken back.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import msgspec

from zesty_anchor.engine.home_identity import HomeIdentity
from zesty_anchor.engine.home_paths import stored, stored_json, written_in
from zesty_anchor.system.locations import Locations

NAME = "changes.jsonl"
_RUN = re.compile(r"\Arun-([0-9]{5,})\Z")


class Event(msgspec.Struct, frozen=True, omit_defaults=True):
    """What became of one change of a run, or (without a change) the beginning of the run. ``record`` is JSON.
    ``resolved`` is a runtime, its want and feed, and the version that was taken for it. ``home`` is that of
    the journal, as it was then. ``promised`` is what the run promised, at its end.

    From format 2 on, paths in ``record`` and ``manifest`` are relative to the home (``home_paths``).
    """

    run: int
    change: int = 0
    state: str = ""
    kind: str = ""
    subject: str = ""
    action: str = ""
    record: msgspec.Raw = msgspec.Raw(b"null")
    began: float = 0.0
    manifest: str = ""
    resolved: tuple[str, ...] = ()
    home: HomeIdentity | None = None
    promised: str = ""
    format: int = 1


_FORMAT = 2


def run_folder(attic: Path, run: int) -> Path:
    """The folder in the attic that belongs to a run."""
    return attic / f"run-{run:05}"


def add(attic: Path, event: Event) -> None:
    """Write an event down."""
    folder = run_folder(attic, event.run)
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    with (folder / NAME).open("ab") as file:
        file.write(msgspec.json.encode(msgspec.structs.replace(event, format=_FORMAT)) + b"\n")


def last_run(attic: Path) -> int:
    """The highest number of a run that has, or had, a folder in the attic; 0 where none has."""
    return max((number for number, _ in _folders(attic)), default=0)


def events(locations: Locations) -> list[Event]:
    """Return all that is written down, in order and in the present format; lines that cannot be read are left
    out.
    """
    found = []
    attic = locations.attic
    for number, folder in _folders(attic):
        for line in _lines(folder / NAME):
            try:
                event = msgspec.json.decode(line, type=Event)
            except msgspec.MsgspecError:
                continue
            found += [event] if event.run == number else []
    old = [bytes(event.record).decode() for event in found if event.format == 1]
    home = written_in(old, str(locations.home), str(locations.state))
    return [event if event.format > 1 else _relative(event, home) for event in found]


def _relative(event: Event, home: str) -> Event:
    record = msgspec.Raw(stored_json(bytes(event.record), home))
    return msgspec.structs.replace(event, record=record, manifest=stored(event.manifest, home))


def _folders(attic: Path) -> list[tuple[int, Path]]:
    try:
        names = [path.name for path in attic.iterdir()]
    except OSError:
        return []
    return sorted((int(found[1]), attic / name) for name in names if (found := _RUN.match(name)))


def _lines(file: Path) -> Iterator[bytes]:
    try:
        yield from file.read_bytes().splitlines()
    except OSError:
        return
