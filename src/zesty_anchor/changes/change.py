"""What a change is. The engine knows changes by this alone."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from enum import IntEnum
from pathlib import Path
from typing import Any, Protocol

import msgspec

from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.package_manager import Command

ALL_PACKAGES = "package:all"
"""The key of the change that installs packages: what others name in their needs."""

Record = dict[str, Any]
"""What the journal keeps of a change: plain JSON values, enough to take it back."""


class Question(msgspec.Struct, frozen=True):
    """Something that a person must decide before work begins.

    ``key`` is what answers it once and for all: a line of the manifest, or an option. ``safe`` tells whether
    ``--yes`` may answer it, ``secret`` that the answer is a text which nobody else may see. ``to_read`` is a text that a
    person should read before. To one that is ``optional`` a no is an answer as well.
    """

    kind: str
    text: str
    key: str
    safe: bool = False
    secret: bool = False
    to_read: str = ""
    optional: bool = False


class Stage(IntEnum):
    """When a change is carried out. A later stage begins only when the earlier one is well."""

    PREPARE = 0
    """What the operating system must have: packages, system-wide variables. One after the other."""
    OBTAIN = 1
    """Bring onto the shelf. Nobody sees it yet, so what was obtained may stay when something else fails."""
    SHELL = 2
    """Startup files and what they source: all of them, or none."""
    CLEAR = 3
    """Remove what conflicts, only after fresh shells have proved the new."""


class Bench(msgspec.Struct, frozen=True):
    """What a change may use while it works."""

    locations: Locations
    attic: Path
    """This run's own folder in the attic; it exists."""
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
    secrets: Mapping[str, str] = {}
    """What was answered to the secret questions, by their kind."""


class Change(Protocol):
    """One reversible step, missing on this machine."""

    @property
    def kind(self) -> str:
        """The name of its kind."""

    @property
    def subject(self) -> str:
        """What is changed, for a person."""

    @property
    def action(self) -> str:
        """One word for what is done: install, create, edit, remove, clean, retire."""

    @property
    def key(self) -> str:
        """Names the change among all others."""

    @property
    def stage(self) -> Stage:
        """When it is carried out."""

    @property
    def needs(self) -> frozenset[str]:
        """The keys of changes that come first."""

    @property
    def pending(self) -> bool:
        """Whether it cannot be known exactly yet: it waits for a manager, and is planned anew when that is there."""

    @property
    def privileged(self) -> bool:
        """Whether it needs the rights of the superuser."""

    @property
    def detail(self) -> str:
        """What exactly changes, for a person: one line, or a diff."""

    @property
    def size(self) -> int | None:
        """Bytes to fetch, where known."""

    @property
    def questions(self) -> tuple[Question, ...]:
        """What has to be decided before it may be carried out, and the manifest does not answer."""

    @property
    def commands(self) -> tuple[Command, ...]:
        """The commands that it runs with privilege, as an administrator could type them."""

    def prepare(self, bench: Bench) -> Record:
        """Save whatever taking back will need, change nothing else, and return what the journal keeps.

        Raises ``Problem`` where the change cannot be made.
        """

    def carry_out(self, bench: Bench, record: Record) -> None:
        """Make the change; what becomes known only now may be added to the record.

        Raises ``Problem`` or ``OSError``; it is then taken back.
        """


class Kind(Protocol):
    """One kind of change."""

    @property
    def name(self) -> str:
        """The word for it in the journal and in JSON."""

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[Change]:
        """The changes of this kind that are missing. Pure. Raises ``Problem`` where one cannot be made."""

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """Undo a change that was begun or done, from its record. Doing so twice is harmless.

        A record of a change that needs privilege holds ``privileged``; the bench then runs commands with it.

        Returns what a person should know, one sentence each: empty where all went back as it was.
        """


Kinds = Mapping[str, Kind]
