"""What a package manager of the operating system can do for us. One file each joins here."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import ClassVar, Protocol

import msgspec

from zesty_anchor.system.apt_repository import PackageFile
from zesty_anchor.system.command import Command
from zesty_anchor.system.debconf import PackageLicence
from zesty_anchor.system.package_source import PackageSource, SourceForm

OWNER_SECONDS = 5.0
"""How long the question who owns a file may take."""


def names_of(file: str) -> list[str]:
    """The paths under which a file may be recorded: its own, that without /usr where the folders were merged,
    and where it leads.
    """
    merged = [file[len("/usr") :]] if file.startswith("/usr/") else []
    return list(dict.fromkeys((file, *merged, os.path.realpath(file))))


class PackageFacts(msgspec.Struct, frozen=True):
    """What is known of the packages that were asked about.

    ``trouble`` is empty, or says why the package manager cannot work now, with ``way_out``, the command that
    fixes it. ``held`` are those that an administrator wants not to be installed, ``held_where`` is where that
    is written, and ``release`` has how to end it, for each of them.
    """

    family: str
    manager: str
    installed: frozenset[str] = frozenset()
    held: frozenset[str] = frozenset()
    trouble: str = ""
    way_out: str = ""
    held_where: str = ""
    release: dict[str, str] = {}


LOCK_SECONDS = 300
"""How long another process may hold a package manager's lock before we give up."""


def running(programs: Mapping[str, str]) -> str:
    """Another process of root's that runs one of these, with its number: ``apt-get (4711)``; empty where none
    does. ``programs`` has what to call each, by the 15 letters that the kernel keeps (proc(5), "comm").
    """
    own = os.getpid()
    for entry in Path("/proc").glob("[0-9]*/comm"):
        with suppress(OSError, ValueError):
            name, process = entry.read_text().strip(), int(entry.parent.name)
            if name in programs and process != own and entry.stat().st_uid == 0:
                return f"{programs[name]} ({process})"
    return ""


Run = Callable[[Command, Callable[[str], None]], int]
"""Runs a command with privilege, gives each line that it prints to the listener, and returns its exit status.
"""

Told = Callable[[str, int, int], None]
"""Hears of progress: what is going on, and how much of how much is done."""


class PackageManager(Protocol):
    """One package manager. ``name`` is its command (``apt``), ``family`` the family of systems that it
    belongs to, which is the key for names by system in the manifest. ``package`` is what a person calls what
    it installs ("Debian package"), and ``programs`` are the commands that change what is installed.
    """

    name: ClassVar[str]
    family: ClassVar[str]
    package: ClassVar[str]
    programs: ClassVar[tuple[str, ...]]

    def __init__(self, environ: Mapping[str, str]) -> None:
        """``environ`` is the environment that it is started in."""

    def owners_of(self, files: Sequence[str]) -> dict[str, str]:
        """The package that owns each of some files, also where a folder of it is a link (/bin to /usr/bin);
        empty for none. Only reads; what does not answer in time owns nothing.
        """

    def source_form(self, source: PackageSource) -> SourceForm | None:
        """The files and commands of a further source of packages; None where we know no form for it. Raises
        ``Problem`` where it lacks what this manager needs. Pure.
        """

    def taking_from(self, source: PackageSource) -> PackageManager:
        """The same manager, that takes packages from this source alone; itself where it cannot."""

    def facts(self, names: Collection[str]) -> PackageFacts:
        """What is known of some packages. Only reads."""

    def commands(self, names: Sequence[str]) -> list[Command]:
        """The commands that installing takes, as an administrator could type them."""

    def download_size(self, names: Sequence[str]) -> int | None:
        """The bytes that installing would fetch, where that can be told beforehand."""

    def files_of(self, names: Sequence[str]) -> tuple[PackageFile, ...] | None:
        """The files of packages and of all that they need, as for a machine on which nothing is installed;
        None where this manager cannot tell. Raises ``Problem`` for a package that it does not know.
        """

    def all_installed(self) -> frozenset[str]:
        """The names of everything that is installed."""

    def licences(self, names: Sequence[str]) -> tuple[PackageLicence, ...]:
        """The licences that these packages, and what they bring, would ask about while they are installed.
        Fetches packages that may ask, to look into them.
        """

    def answering(self, answers: Mapping[str, str | bool], asked: Sequence[PackageLicence]) -> Command | None:
        """The command that answers what packages would ask, by the names of the questions; None where this
        manager asks nothing.
        """

    def forgetting(self, owners: Sequence[str]) -> Command | None:
        """The command that forgets the answers of packages that are gone."""

    def install(self, names: Sequence[str], run: Run, told: Told, log: Path) -> None:
        """Install packages. Raises ``Problem`` with the way out where it cannot."""

    def removable(self, names: Iterable[str]) -> tuple[list[str], dict[str, list[str]]]:
        """Which of these can go so that nothing else goes with them, found by simulation.

        Returns those, and for each of the rest what would go with it.
        """

    def goes_with(self, names: Sequence[str]) -> tuple[str, ...] | None:
        """What else a removal would take, found by simulation; None where the system itself would go."""

    def versions(self, names: Sequence[str]) -> dict[str, str]:
        """The installed versions of packages."""

    def exactly(self, versions: Mapping[str, str]) -> list[str]:
        """The words by which just these versions are installed."""

    def is_alone(self, name: str, version: str) -> bool:
        """Whether a package is nowhere to be had in this version: it came as a file. Only reads."""

    def copy_of(self, name: str, folder: Path) -> Path:
        """A file in a folder, made from what is installed, that ``install`` takes for a name.

        Raises ``Problem`` where it would not bring the package back as it is.
        """

    def settings_of(self, names: Sequence[str]) -> list[str]:
        """The files of configuration that belong to packages."""

    def unasked(self, names: Sequence[str]) -> list[str]:
        """Those of installed packages that came because others need them, and may go when nothing does any
        more.
        """

    def mark_unasked(self, names: Sequence[str]) -> Command | None:
        """The command that says so of packages; None where this manager keeps no such marks, or they cannot
        be set.
        """

    def removal(self, names: Sequence[str]) -> Command:
        """The command that removes packages with all that belongs to them, and asks nothing."""

    def typed_removal(self, names: Sequence[str]) -> Command:
        """The same as an administrator would type it."""
