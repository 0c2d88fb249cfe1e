"""What changes work with."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.files.attic import Attic
from zesty_anchor.system.command import Command
from zesty_anchor.system.locations import Locations


class Bench(msgspec.Struct, frozen=True):
    """What a change may use while it works."""

    locations: Locations
    environ: Mapping[str, str]
    """The environment that programs are started in, where a change starts some."""
    attic: Attic
    """This run's own folder in the attic."""
    open_body: Callable[[str, str], Any]
    """Opens an address for download, given the address and who is asked (a ``shelf.download.Body``)."""
    run_privileged: Callable[[Command, Callable[[str], None]], int]
    """Runs a command with privilege, given it and a listener for its lines; returns its exit status."""
    log: Path
    """The folder of this run's logs; it exists."""
    told: Callable[[str, str], None]
    """Tells what goes on in a change, by its key."""
    moved: Callable[[str, int, int | None], None]
    """Tells the bytes done, of those in all, for a change's key. Raises to break the work off."""
    registry: Callable[[str, str], AbstractContextManager[str]] = lambda kind, package: nullcontext("")
    """The address to take a package of a kind of registry from, while it is open; empty: where a package tool
    takes them by itself.
    """
    interrupted: Callable[[], bool] = lambda: False
    """Whether the run was interrupted: what is at work is to end."""
    offline: bool = False
    """Whether nobody may be asked."""
    wrote: Callable[[str], frozenset[str]] = lambda path: frozenset()
    """The digests of what earlier runs wrote into a file, by its path; none where no run tells."""
    placed: Callable[[str], bool] = lambda path: False
    """Whether a run that stands put a version, or a manager, into this place on the shelf."""
    remark: Callable[[str], None] = lambda text: None
    """Tells what a person should know of a change that is made."""
    noted: Callable[[], None] = lambda: None
    """Writes the record of the change that is carried out into the journal, as it is now."""
    secrets: Mapping[str, str] = {}
    """What was answered to the secret questions, by their kind."""
    journal: str = ""
    """The name of the journal that the run is in; empty for a run of a program before 0.2."""

    other_homes: tuple[str, ...] = ()
    """The homes that this one was copied from: nothing there is ever changed."""

    def is_elsewhere(self, path: str) -> bool:
        """Whether a path leads into one of the other homes, by links."""
        real = os.path.realpath(path)
        own = os.path.realpath(self.locations.home)
        others = [os.path.realpath(home) for home in self.other_homes]
        return any(real.startswith(f"{home}/") for home in others if home != own) and not real.startswith(
            f"{own}/"
        )

    @property
    def run(self) -> str:
        """The run's name in root's store: that of its folder in the attic, and of the journal, since another
        home has such runs too.
        """
        return f"{self.attic.folder.name}-{self.journal}" if self.journal else self.attic.folder.name

    def as_root(self, commands: Iterable[Command]) -> str:
        """Run commands with privilege, up to the first that fails. Returns what that said last; empty where
        all went well.
        """
        for command in commands:
            lines: list[str] = []
            if self.run_privileged(command, lines.append) != 0:
                return lines[-1] if lines else "it says no more"
        return ""
