"""What a change is, and a kind of change. The engine knows them by these protocols alone."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from enum import IntEnum
from typing import Any, Protocol, TypeVar

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import Record, Reverted
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.command import Command
from zesty_anchor.system.locations import Locations

ALL_PACKAGES = "package:all"
"""The key of the change that installs packages: what others name in their needs."""


def version_key(runtime: str, version: str) -> str:
    """The key of the change that brings a version, whichever way it comes."""
    return f"version:{runtime}:{version}"


def source_key(name: str) -> str:
    """The key of the change that adds a source of packages."""
    return f"package-source:{name}"


Keep = Callable[[str, bytes | None], str | None]
"""Puts content into the attic under a name, and returns where it is."""

Found = tuple[str, str, Record]
"""A change that must have been: its subject, its action, and a record to take it back by."""

Facts = TypeVar("Facts")


class Stage(IntEnum):
    """When a change is carried out. A later stage begins only when the earlier one is well."""

    PREPARE = 0
    """What must be there first: packages, system-wide variables, the person's key. One after the other."""
    OBTAIN = 1
    """Bring onto the shelf. Nobody sees it yet, so what was obtained may stay when something else fails."""
    SHELL = 2
    """Startup files and what they source: all of them, or none."""
    CLEAR = 3
    """Remove what conflicts, only after new shells have proved the new."""


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
    def follows(self) -> frozenset[str]:
        """The keys of changes that must not be at work at the same time: they come first, whether they are
        done or fail.
        """

    @property
    def gave(self) -> frozenset[str]:
        """The commands that what it removes gave, as far as they are known: it waits for the checks of these
        alone. Empty: it waits for those of all commands.
        """

    @property
    def touches(self) -> frozenset[str]:
        """The facts of the machine (``survey.machine.Machine``) that are read again once it is done."""

    @property
    def layered(self) -> bool:
        """Whether a foreign program works in a layer over the home: below it nothing may change meanwhile."""

    @property
    def pending(self) -> bool:
        """Whether it cannot be known exactly yet: it waits for a manager or a program, and is planned anew
        then.
        """

    @property
    def privileged(self) -> bool:
        """Whether it needs the rights of the superuser."""

    @property
    def on_trial(self) -> bool:
        """Whether it may be what keeps the new version from answering, so that it is tried before the proof
        is given up.
        """

    @property
    def detail(self) -> str:
        """What exactly changes, for a person: one line, or a diff."""

    @property
    def fetches(self) -> bool:
        """Whether bytes are fetched for it."""

    @property
    def size(self) -> int | None:
        """Bytes to fetch; None where nobody tells."""

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

    def carry_out(self, bench: Bench, record: Any) -> None:
        """Make the change; what becomes known only now may be added to the record that ``prepare`` returned.

        Raises ``Problem`` or ``OSError``; it is then taken back.
        """


class Kind(Protocol[Facts]):
    """One kind of change: it looks at the machine, plans from what it saw, and takes back."""

    @property
    def name(self) -> str:
        """The word for it in the journal and in JSON."""

    @property
    def heading(self) -> Heading:
        """What it is for, as a person sees it."""

    @property
    def of_subject(self) -> str:
        """How a summary names the subject of a change; ``{}`` is replaced by it."""

    @property
    def when_changed(self) -> str:
        """What ``verify`` says of a file that a change wrote and that was changed since."""

    def concerns(self, wanted: Wanted, machine: Machine) -> bool:
        """Whether it could have something to do, judged by what is wanted and by what is known of the machine
        without a further look.
        """

    @property
    def record(self) -> type[Record]:
        """The struct of its records."""

    @property
    def gives_way(self) -> bool:
        """Whether what a later change of the same thing wrote stands wholly in its place."""

    @property
    def carries(self) -> frozenset[str]:
        """The names of the kinds of which nothing is read without what this one wrote."""

    def uses(self, record: Any, places: Sequence[str]) -> bool:
        """Whether what a change wrote uses one of these folders."""

    def found(self, locations: Locations) -> Iterable[Found]:
        """What stands there that only this kind makes, should no journal tell of it."""

    def without(self, earlier: Any, later: Any, keep: Keep) -> Record | None:
        """The record of a later change as if an earlier one of this kind, of the same thing, had never been;
        None where that cannot be told. ``keep`` puts content into the attic and returns where it is. Raises
        ``Problem`` where a copy is missing.
        """

    def follow(self, record: Any, move: HomeMove) -> Record | None:
        """Update what the attic holds for a change after the home was moved. Returns the updated record; None
        where it has not changed.
        """

    def look(self, wanted: Wanted, machine: Machine) -> Facts:
        """What it must know of the machine to plan. May start programs; writes nothing. May be read
        lazily.
        """

    def plan(self, wanted: Wanted, facts: Facts) -> Iterable[Change]:
        """The changes of this kind that are missing. Pure. Raises ``Problem`` where one cannot be made."""

    def notices(self, wanted: Wanted, facts: Facts) -> Sequence[str]:
        """What a person should decide on, or know, beside the changes. Pure."""

    def take_back(self, record: Any, bench: Bench) -> Reverted:
        """Undo a change that was begun or done, from its record. Doing so twice is harmless."""


AnyKind = Kind[Any]

Kinds = Mapping[str, AnyKind]
"""Every kind of change, by the name that the journal knows it by."""

Concerned = Callable[[Wanted, Machine], Sequence[AnyKind]]
"""The kinds that could have something to do, in the order in which changes of one stage are told."""
