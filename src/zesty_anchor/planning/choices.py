"""Which version is in effect in a folder, and what decided it: session, project, default, the narrower
wins.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.pin import MOST_BYTES, Pin, names, pin_files, read_pins
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.version import Version
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.resolve import Asked
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.ownership import in_other_hands
from zesty_anchor.system.problem import UsageProblem

SESSION = "ZESTY_ANCHOR_SESSION"
"""The variable that holds a session's choices, as words ``NAME=VERSION``."""


class Choice(msgspec.Struct, frozen=True):
    """The active version of one runtime (empty: none; ``system``: the system's own), its scope, and what
    decided it.
    """

    runtime: str
    version: str
    scope: str
    decided_by: str


class Missing(msgspec.Struct, frozen=True):
    """A project's pin that no installed version answers to."""

    pin: Pin
    file: Path


def _leads_away(file: Path) -> bool:
    """Whether a project's file is a link to a file with another name elsewhere: its content may be private,
    and would be shown.
    """
    real = Path(os.path.realpath(file))
    return (
        file.is_symlink()
        and real.name != file.name
        and not real.is_relative_to(os.path.realpath(file.parent))
    )


class Chooser:
    """Chooses among the versions on the shelf. ``defaults`` are the versions by default (``system``; empty:
    none).

    ``manifest`` is the machine's own: it decides by default, and is no project's.
    """

    def __init__(
        self,
        recipes: Mapping[str, Recipe],
        shelf: Mapping[tuple[str, str], Receipt],
        defaults: Mapping[str, str],
        locations: Locations,
        manifest: Path,
    ) -> None:
        self._recipes = recipes
        self._here = {name: [r for (n, _), r in shelf.items() if n == name] for name in recipes}
        self._folders = {(r.runtime, r.version): folder for (_, folder), r in shelf.items()}
        self._defaults = defaults
        self._locations = locations
        self._manifest = manifest

    def active(self, folder: Path, session: str, default_line: Mapping[str, str]) -> list[Choice]:
        """What is in effect in a folder for every runtime. ``default_line`` says where each default is
        decided.
        """
        chosen: dict[str, tuple[str, str, bool]] = {}
        for file, pin in self.pins(folder):
            version = self.version(pin)
            if version and (
                pin.runtime not in chosen or (chosen[pin.runtime][2] and pin.requirement is None)
            ):
                place = f"{self._locations.shown(file)}:{pin.line}"
                chosen[pin.runtime] = (version, place, pin.requirement is not None)
        words = dict(word.partition("=")[::2] for word in session.split())
        choices = []
        for name in self._recipes:
            if name in words:
                choices.append(Choice(name, words[name], "session", f"${SESSION}"))
            elif name in chosen:
                choices.append(Choice(name, chosen[name][0], "project", chosen[name][1]))
            else:
                choices.append(
                    Choice(name, self._defaults.get(name, ""), "default", default_line.get(name, ""))
                )
        return choices

    def pins(self, folder: Path) -> Iterator[tuple[Path, Pin]]:
        """Every pin that holds in a folder, the nearest first, up to the home or the root."""
        for file in pin_files_above(folder, self._recipes, self._locations.home):
            for pin in self.read(file):
                yield file, pin

    def missing(self, files: Sequence[Path]) -> list[Missing]:
        """The pins in these files that no installed version answers to, or that say nothing that can be
        read.
        """
        return [
            Missing(pin, file)
            for file in files
            for pin in self.read(file)
            if self.version(pin) is None and (pin.runtime in self._recipes or pin.wrong)
        ]

    def unmet(self, folder: Path) -> list[Missing]:
        """Of the pins that decide in a folder, the nearest of each runtime, those that no installed version
        matches.
        """
        nearest: dict[str, Missing] = {}
        for file, pin in self.pins(folder):
            nearest.setdefault(pin.runtime, Missing(pin, file))
        return [
            each
            for runtime, each in nearest.items()
            if runtime in self._recipes and not each.pin.wrong and self.version(each.pin) is None
        ]

    def read(self, file: Path) -> list[Pin]:
        """The pins in a file; none where it cannot be read, or is the machine's own manifest."""
        if file == self._manifest:
            return []
        if _leads_away(file):
            pinned = [
                runtime
                for runtime, recipe in self._recipes.items()
                if file.name in pin_files(runtime, recipe)
            ]
            return [
                Pin(runtime, "", 1, wrong="is a symbolic link to a file with another name, so it is not read")
                for runtime in pinned[:1]
            ]
        try:
            with file.open("rb") as opened:
                return read_pins(file.name, opened.read(MOST_BYTES), self._recipes)
        except OSError:
            return []

    def version(self, pin: Pin) -> str | None:
        """The folder's name of the version that a pin means."""
        version = pin.choose(self._here.get(pin.runtime, []), self._defaults.get(pin.runtime, ""))
        return self._folders.get((pin.runtime, version), version) if version else None


def pin_files_above(folder: Path, recipes: Mapping[str, Recipe], home: Path) -> Iterator[Path]:
    """The files that may hold pins for a folder, the nearest first, up to the home or the root."""
    looked_for = names(recipes)
    for each in (folder, *folder.parents):
        for name in looked_for:
            if (each / name).is_file():
                yield each / name
        if each == home:
            return


def chooser(workstation: Workstation, machine: Machine) -> Chooser:
    """The chooser among what stands on this machine's shelf."""
    defaults = {
        name: default_version(workstation, name, machine) or "" for name in workstation.manifest.tools
    }
    return Chooser(workstation.recipes, machine.shelf, defaults, workstation.locations, workstation.file)


def pinned_at_home(workstation: Workstation, machine: Machine) -> list[str]:
    """What pins in the home itself decide otherwise than the default, a sentence each."""
    choosing, home = chooser(workstation, machine), workstation.locations.home
    found = []
    for file, pin in choosing.pins(home):
        version = choosing.version(pin)
        if file.parent == home and version and version != default_version(workstation, pin.runtime, machine):
            place = f"{workstation.locations.shown(file)}:{pin.line}"
            found.append(
                f"{place} pins {pin.runtime} {version} for your home and all folders below it without a pin"
                " of their own: the default is not active there; to undo that: rm"
                f" {workstation.locations.shown(file)}"
            )
    return found


def active_versions(workstation: Workstation, machine: Machine) -> list[Choice]:
    """What is in effect in the current folder, for every runtime."""
    session = workstation.environ.get(SESSION, "")
    return chooser(workstation, machine).active(workstation.folder, session, workstation.decided_by_default())


def choice_of(workstation: Workstation, machine: Machine, runtime: str) -> Choice:
    """What is in effect for one runtime. Raises ``UsageProblem`` where the manifest does not have it."""
    workstation.check_runtime(runtime)
    return next(choice for choice in active_versions(workstation, machine) if choice.runtime == runtime)


def default_version(workstation: Workstation, name: str, machine: Machine) -> str | None:
    """The version that a runtime has by default; ``system`` where it is left to that, None where none
    stands.
    """
    want = workstation.manifest.tools[name].want
    return (
        SYSTEM if want == SYSTEM else standing(workstation, name, want, machine, workstation.past.resolutions)
    )


def wanted_by_project(workstation: Workstation, machine: Machine, offers: Offers) -> tuple[Asked, ...]:
    """What the pins that hold in the current folder ask for, as far as no installed version answers to
    them.
    """
    files = list(pin_files_above(workstation.folder, workstation.recipes, workstation.locations.home))
    if not files:
        return ()
    missing = [
        each
        for each in chooser(workstation, machine).missing(files)
        if not each.pin.wrong and not in_other_hands(each.file)
    ]
    return asked_for(missing, machine, offers)


def asked_for(missing: Sequence[Missing], machine: Machine, offers: Offers) -> tuple[Asked, ...]:
    """What to ask the feeds for. A requirement of another format takes the newest version that meets it.

    Raises ``UsageProblem`` where none does.
    """
    asked = []
    for each in missing:
        pin, want = each.pin, each.pin.want
        if pin.requirement is not None:
            offered = offers.releases(pin.runtime, machine)
            fitting = [r.version for r in offered if pin.admits(r.version, r.channels)]
            stable = [v for v in fitting if not Version(v).is_prerelease] or fitting
            if not stable:
                newest = max((r.version for r in offered), key=Version, default="none")
                raise UsageProblem(
                    f"no available version of {pin.runtime} matches {pin.want!r}",
                    where=f"{each.file}:{pin.line}",
                    advice=f"the newest is {newest}; ask for less there, or name a feed that has it",
                )
            want = max(stable, key=Version)
        asked.append(Asked(pin.runtime, want, False, f"{each.file}:{pin.line}"))
    return tuple(asked)
