"""What a run told while it worked, written down: in words for a person, and a line of JSON an event
(https://jsonlines.org).
"""

from __future__ import annotations

import re
import threading
import time
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.engine.reporter import Reporter
from zesty_anchor.files.removal import discard_any
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.visible import visible

EVENTS, WORDS = "events.jsonl", "log"
MOST = 20
"""How many runs' logs are kept."""
_RUN = re.compile(r"\Arun-[0-9]{5,}\Z")


class LogEvent(msgspec.Struct, frozen=True, omit_defaults=True):
    """One event: when (seconds since 1970), what kind of event, of which change, and the text. ``size`` is in
    bytes.
    """

    at: float
    event: str
    text: str
    key: str = ""
    size: int = 0
    format: int = 0


_FORMAT = 1


class EventLog:
    """A reporter that writes down what it hears in the folder of a run, and hands it on. It stays quiet where
    nothing can be written: a full disk ends no run.
    """

    def __init__(self, folder: Path, hand_on: Reporter) -> None:
        self._folder = folder
        self._hand_on = hand_on
        self._arrived: dict[str, int] = {}
        self._lock = threading.Lock()

    def _write(self, event: str, text: str, key: str = "", size: int = 0) -> None:
        now = time.time()
        told = visible(without_credentials(text))
        stamp = time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(now))
        line = msgspec.json.encode(LogEvent(now, event, told, key, size, _FORMAT)) + b"\n"
        with self._lock, suppress(OSError):
            with (self._folder / EVENTS).open("ab") as file:
                file.write(line)
            with (self._folder / WORDS).open("ab") as file:
                file.write(f"{stamp}  {event:7} {told}\n".encode("utf-8", "surrogateescape"))

    def said(self, text: str) -> None:
        """A plain statement about the run as a whole."""
        self._write("said", text)
        self._hand_on.said(text)

    def warned(self, text: str) -> None:
        """Something that a person should look at."""
        self._write("warned", text)
        self._hand_on.warned(text)

    def began(self, key: str, text: str) -> None:
        """Work on a change has begun."""
        self._write("began", text, key)
        self._hand_on.began(key, text)

    def told(self, key: str, text: str) -> None:
        """What goes on in a change: handed on alone, as what a build prints has a log of its own."""
        self._hand_on.told(key, text)

    def unattended(self, steps: int, size: int, unknown: int) -> None:
        """All is asked."""
        self._hand_on.unattended(steps, size, unknown)

    def ahead(self, steps: int, size: int) -> None:
        """So much is left to do."""
        self._hand_on.ahead(steps, size)

    def moved(self, key: str, done: int, total: int | None) -> None:
        """Bytes have arrived; how many they were stands with the end."""
        self._arrived[key] = done
        self._hand_on.moved(key, done, total)

    def ended(self, key: str, text: str, *, well: bool) -> None:
        """Work on a change has ended, well or not."""
        self._write("done" if well else "failed", text, key, self._arrived.get(key, 0))
        self._hand_on.ended(key, text, well=well)

    def over(self) -> None:
        """All work is over."""
        self._hand_on.over()


def keep_newest(logs: Path, most: int = MOST) -> None:
    """Remove the logs of all runs but the newest; what cannot be removed stays."""
    with suppress(OSError):
        names = sorted(
            (path.name for path in logs.iterdir() if _RUN.match(path.name)), key=lambda name: int(name[4:])
        )
        for name in names[:-most]:
            discard_any(logs / name)
