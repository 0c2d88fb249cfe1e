"""A process that looks at the home once more when the program that watched a foreign one is killed.

    python -m zesty_anchor.changes.runtimes.last_look FILE

It waits at a pipe that nobody but the program holds. Where that ends without a word, what the foreign program
did until then is written down beside FILE, which tells what to look at; the foreign program is ended by then.
What is otherwise later is not its doing.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.inventory import Inventory, item_at, take
from zesty_anchor.files.replace import replace
from zesty_anchor.survey.home_watch import HomeWatch, Seen
from zesty_anchor.system.process import lives

_ENDING_SECONDS = 0.1
_WAIT_SECONDS = 5.0


class During(msgspec.Struct, frozen=True):
    """What was seen while a program worked: of the home, and in the program's own places (files by size and
    time alone).
    """

    seen: Seen
    own: Inventory


class Places(msgspec.Struct, frozen=True):
    """What to look at: see ``HomeWatch``, the program's own places, and its ``name``: entries that bear it
    are looked at with all in them. ``during`` is the file that gets what is seen.
    """

    home: str
    files: tuple[str, ...]
    apart: tuple[str, ...]
    own: tuple[str, ...]
    name: str
    during: str

    def watch(self) -> HomeWatch:
        """Who looks at the home."""
        return HomeWatch(Path(self.home), map(Path, self.files), map(Path, self.apart))

    def look(self) -> During:
        """Look at all of it."""
        seen = self.watch().look()
        named = (os.fsdecode(path) for path in seen.entries if bears(os.fsdecode(path), self.name))
        return During(seen, own_in(map(Path, (*self.own, *named))))


def bears(path: str, name: str) -> bool:
    """Whether an entry bears a program's name."""
    return name.lower() in os.path.basename(path).lower()


def own_in(places: Iterable[Path], *, digests: bool = False) -> Inventory:
    """These places, and what is in them, by whole path; files are not read without ``digests``."""
    found: Inventory = {}
    for place in places:
        with suppress(OSError):
            found[str(place)] = item_at(place, digests=digests)
            if found[str(place)].kind == "folder":
                found |= {str(place / name): item for name, item in take(place, digests=digests).items()}
    return found


@contextmanager
def kept_watch(places: Places) -> Iterator[None]:
    """Have the process wait as long as the block lasts."""
    file = Path(places.during).with_name("places")
    file.write_bytes(msgspec.json.encode(places))
    with subprocess.Popen(
        [sys.executable, "-m", __name__, str(file)],
        stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
    ) as waiting:  # fmt: skip
        assert waiting.stdin is not None
        file.with_name("process").write_text(str(waiting.pid), "ascii")
        try:
            yield
        finally:
            with suppress(OSError):
                waiting.stdin.write(b"well\n")
                waiting.stdin.close()
            waiting.terminate()


def seen_last(during: Path) -> During:
    """What was seen last; nothing where that was never written down. Waits for a look that is under way."""
    until = time.monotonic() + _WAIT_SECONDS
    with suppress(OSError, ValueError):
        process = int(during.with_name("process").read_text("ascii"))
        while lives(process) and time.monotonic() < until:
            time.sleep(0.05)
    try:
        return msgspec.msgpack.decode(during.read_bytes(), type=During)
    except (OSError, msgspec.MsgspecError):
        return During(Seen(frozenset(), {}, {}), {})


def main(file: Path) -> None:
    """Wait, and look."""
    if sys.stdin.buffer.read(1):
        return
    time.sleep(_ENDING_SECONDS)
    places = msgspec.json.decode(file.read_bytes(), type=Places)
    replace(Path(places.during), msgspec.msgpack.encode(places.look()), 0o600)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
