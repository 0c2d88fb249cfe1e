"""One made-up feed, shell, package manager and kind of change: all that another package has to write."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any, ClassVar

from zesty_anchor.changes.base import FileChange, FileKind
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.feeds.feed import Feed
from zesty_anchor.feeds.release import Release
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shells.reading import Reading, Surroundings
from zesty_anchor.shells.sh import Sh
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.asked_manager import AskedManager


class TideTable(Feed):
    """A table at ``url``: in each row a version, the address of its archive, and that one's SHA-256."""

    title = "a tide table"
    schemes = ("http", "https", "file")

    @classmethod
    def wrong_address(cls, url: str) -> tuple[str, str] | None:
        return (
            None
            if url.endswith(".table")
            else (f"{url!r} is not a tide table", "name a file that ends in .table")
        )

    def releases(self, product: str, platform: str) -> list[Release]:
        rows = (line.split() for line in Path(self.address).read_text().splitlines())
        return [Release(version, url, f"sha256:{digest}") for version, url, digest in rows]


class TideShell(Sh):
    """A shell like sh, whose program is called tidesh."""

    name = "tidesh"
    programs = ("tidesh",)
    read_only = "TIDEMARK"
    endings = ("tidesh",)

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        return (Reading(around.home / ".profile", "login", 'tidesh(1), "Invocation"'),)


class TidePackages(AskedManager):
    """A package manager of the made-up system tide."""

    name = "tidepkg"
    family = "tide"
    package = "tide package"
    programs = ("tidepkg",)
    list_installed = ("printf", "harbour\n")
    install_words: ClassVar[tuple[str, ...]] = ("tidepkg", "add")


class MarkTide(FileChange, frozen=True):
    """Write the mark into one file."""

    kind: ClassVar[str] = "tide-mark"
    stage: ClassVar[Stage] = Stage.SHELL


class TideMarks(FileKind):
    """The kind: a home whose manifest is titled so has a file with the mark."""

    name = "tide-mark"
    heading = Heading.SETTINGS
    when_changed = "the tide's mark was changed"

    def concerns(self, wanted: Wanted, machine: Machine) -> bool:
        return dict(wanted.variables).get("TIDEMARKS") is not None

    def plan(self, wanted: Wanted, machine: Any) -> Iterable[MarkTide]:
        file = read_text_file(machine.locations.home / ".tide-mark")
        if file.content != b"high\n":
            yield MarkTide(Edit(file, b"high\n"), machine.locations.shown(file.path))


REGISTERED = """\
[zesty_anchor.feeds]
tidetable = tide_parts:TideTable
[zesty_anchor.shells]
tidesh = tide_parts:TideShell
[zesty_anchor.package_managers]
tidepkg = tide_parts:TidePackages
[zesty_anchor.changes]
tide-mark = tide_parts:TideMarks
"""
"""The entry points of its package: a line each."""
