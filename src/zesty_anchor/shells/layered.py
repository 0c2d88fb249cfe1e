"""Runs a command that sees the home under a layer: what it writes there stays in a room, and the home as it
is.

    python -P -m zesty_anchor.shells.layered ROOM HOME [FREE …] -- COMMAND …

The network is open, all else of the system is read-only but the folders for temporary files and FREE. Ends
with the command's status, with 125 where the system allows no layer.
"""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path

from zesty_anchor.shells.sealed import World, enter_layer

NOT_ALLOWED = 125


def layered_words(room: Path, home: Path, free: Iterable[Path]) -> tuple[str, ...]:
    """The words in front of a command that run it so."""
    return (sys.executable, "-P", "-m", __name__, str(room), str(home), *map(str, free), "--")


def is_allowed(room: Path, home: Path, free: Iterable[Path]) -> bool:
    """Whether the system allows it: tried once, with a command that does nothing."""
    trial = room / "trial"
    trial.mkdir()
    done = subprocess.run(
        [*layered_words(trial, home, free), "/bin/true"],
        stdin=subprocess.DEVNULL,
        capture_output=True,
        check=False,
        cwd=home,
    )
    return done.returncode == 0


def main(words: list[str]) -> None:
    """Enter the layer, and become the command."""
    end = words.index("--")
    room, home, *free = words[:end]
    command = words[end + 1 :]
    try:
        enter_layer(World(Path(home), apart=True, free=tuple(map(Path, free))), Path(room))
    except (OSError, AttributeError) as error:
        sys.stderr.write(f"overlay mounts are not allowed here: {error}\n")
        sys.exit(NOT_ALLOWED)
    os.execvp(command[0], command)


if __name__ == "__main__":
    main(sys.argv[1:])
