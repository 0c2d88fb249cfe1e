"""What is checked in a folder that pins versions. Pure."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import msgspec

from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.question import Question
from zesty_anchor.proof.result import Cause, CheckResult
from zesty_anchor.shells.posix import quote
from zesty_anchor.system.locations import Locations


class Pinned(msgspec.Struct, frozen=True):
    """A pin that decides in a folder: the file with its line, what it asks for, and the installed version
    that it means (empty: none is installed).
    """

    runtime: str
    want: str
    file: str
    line: int
    version: str

    @property
    def cause(self) -> Cause:
        """Why something about it failed."""
        return Cause(f"pins {self.runtime} {self.want}", self.file, self.line)


class PinnedFolder(msgspec.Struct, frozen=True):
    """A folder, as a path and as a person reads it, with the pins that decide in it."""

    path: str
    shown: str
    pins: tuple[Pinned, ...]


def with_checks(folders: Iterable[PinnedFolder], wanted: Wanted, locations: Locations) -> list[PinnedFolder]:
    """These folders, and those that the manifest's checks name and that are there."""
    named = {check.folder: Path(check.folder) for check in wanted.checks if check.folder is not None}
    own = [PinnedFolder(name, locations.shown(path), ()) for name, path in named.items() if path.is_dir()]
    return list({each.path: each for each in (*own, *folders)}.values())


def in_folder(folder: PinnedFolder, wanted: Wanted) -> list[Question]:
    """The questions for each new shell in a folder: that each pinned runtime is of the version that the pin
    means.
    """
    return [
        Question(_name(pin, folder), proof.run, proof.expected(pin.version), "glob", pin.runtime, shared=True)
        for pin in folder.pins
        if pin.version not in ("", SYSTEM) and (proof := wanted.recipes[pin.runtime].version) is not None
    ]


def no_folder(wanted: Wanted) -> list[CheckResult]:
    """The checks of the manifest whose folder does not exist."""
    return [
        CheckResult(
            check.name,
            False,
            f"the folder {check.folder}",
            "no such folder",
        )
        for check in wanted.checks
        if check.folder is not None and not Path(check.folder).is_dir()
    ]


def missing_in(folder: PinnedFolder) -> list[CheckResult]:
    """What needs no shell: a pinned version that is not installed."""
    return [
        CheckResult(
            f"{pin.runtime} {pin.want} is installed for {folder.shown}",
            False,
            f"an installed version that matches {pin.want}",
            "none",
            pin.cause,
            f"cd {quote(folder.path)} && zesty-anchor provision",
        )
        for pin in folder.pins
        if not pin.version
    ]


def by_pin(check: CheckResult, folder: PinnedFolder) -> CheckResult:
    """A check with the pin as its cause, where it failed and none is known."""
    pin = next((each for each in folder.pins if _name(each, folder) == check.name), None)
    if check.ok or check.cause is not None or pin is None:
        return check
    trace = f"cd {quote(folder.path)} && zesty-anchor trace {pin.runtime}"
    return msgspec.structs.replace(check, cause=pin.cause, fix=check.fix or f"find what wins there: {trace}")


def _name(pin: Pinned, folder: PinnedFolder) -> str:
    return f"{pin.runtime} is {pin.version} in {folder.shown}"
