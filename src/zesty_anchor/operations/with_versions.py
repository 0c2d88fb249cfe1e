"""The environment in which one command runs with chosen versions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.wanted import Reference, Wanted
from zesty_anchor.operations.in_step import keep_launchers
from zesty_anchor.operations.obtain import installed
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.projects import note_pins
from zesty_anchor.planning.choices import SESSION, active_versions, asked_for, chooser
from zesty_anchor.planning.look import look_at, wanted_of
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.pinned_folders import pinned_folders
from zesty_anchor.planning.project_variables import projects_around, variables_of
from zesty_anchor.planning.resolve import Asked, Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.ownership import in_other_hands
from zesty_anchor.system.problem import NotThere, UsageProblem


def environment(
    workstation: Workstation, person: Person, pairs: Sequence[tuple[str, str]], *, install: bool = False
) -> dict[str, str]:
    """The environment with these wants, by runtime; the other versions are those that are active here. PATH
    and the manifest's variables are in it also where no shell has read the generated files.

    Raises ``Problem`` where a version is not installed, unless it may be; ``NotThere`` where a project pins
    it.
    """
    return {**workstation.environ, **variables(workstation, person, pairs, install=install)}


def environments_below(
    workstation: Workstation, person: Person, pairs: Sequence[tuple[str, str]], *, install: bool = False
) -> dict[Path, dict[str, str]]:
    """The environment of this folder, where a pin decides in it, and of each folder below that has a pin.

    Raises as ``environment`` does, and ``UsageProblem`` where no folder has a pin.
    """
    folders = pinned_folders(workstation, chooser(workstation, look_at(workstation)), below=True)
    if not folders:
        raise UsageProblem(
            "no folder here or below pins a version",
            where=workstation.locations.shown(workstation.folder),
            advice="without --all the command runs once, in this folder",
        )
    found = {}
    for each in folders:
        there = msgspec.structs.replace(workstation, folder=Path(each.path))
        found[there.folder] = {**environment(there, person, pairs, install=install), "PWD": each.path}
    return found


def variables(
    workstation: Workstation, person: Person, pairs: Sequence[tuple[str, str]], *, install: bool = False
) -> dict[str, str]:
    """What ``environment`` adds to ours. Raises as it does."""
    keep_launchers(workstation)
    machine, chosen = look_at(workstation), {}
    named = {name for name, _ in pairs}
    session = [w for w in workstation.environ.get(SESSION, "").split() if w.partition("=")[0] not in named]
    decided = named | {word.partition("=")[0] for word in session}
    choosing = chooser(workstation, machine)
    note_pins(workstation, choosing, {file for file, _ in choosing.pins(workstation.folder)})
    missing = [each for each in choosing.unmet(workstation.folder) if each.pin.runtime not in decided]
    for each in missing:
        if not install or (why := in_other_hands(each.file)):
            place = f"{workstation.locations.shown(each.file)}:{each.pin.line}"
            raise NotThere(
                f"{each.pin.runtime} {each.pin.want} is not installed",
                where=f"{place} pins it",
                advice=(
                    f"it is not installed for that file, since {why}: zesty-anchor switch {each.pin.runtime}"
                    f" {each.pin.want} --session --install"
                    if install
                    else "the same command with --install installs it first"
                ),
            )
    asked = asked_for(missing, machine, Offers(workstation))
    for one in [*(Asked(name, want, False) for name, want in pairs), *asked]:
        chosen[one.runtime] = installed(workstation, person, machine, one, install=install)
        machine = look_at(workstation) if install else machine
    versions = Resolver(workstation, Offers(workstation)).versions(
        machine, workstation.past.resolutions, missing=[]
    )
    wanted = wanted_of(workstation, versions, machine)
    for choice in active_versions(workstation, machine):
        chosen.setdefault(choice.runtime, choice.version)
    session += [f"{name}={chosen[name]}" for name, _ in pairs]
    return {
        **_variables(wanted, chosen),
        **variables_of(projects_around(workstation), workstation.locations),
        "PATH": ":".join(_path(workstation, wanted, chosen)),
        **({SESSION: " ".join(session)} if session else {}),
    }


def warn_of_missing(workstation: Workstation, person: Person, chosen: Sequence[tuple[str, str]]) -> None:
    """Warn of each runtime of the manifest that has no active version here, but for those that are chosen."""
    named = {name for name, _ in chosen}
    for choice in active_versions(workstation, look_at(workstation)):
        if not choice.version and choice.runtime not in named:
            person.reporter.warned(f"{choice.runtime} is not installed: zesty-anchor provision installs it")


def _path(workstation: Workstation, wanted: Wanted, chosen: Mapping[str, str]) -> list[str]:
    shelf = workstation.locations.shelf
    bins = [
        str(shelf / name / chosen[name] / part) if part != "." else str(shelf / name / chosen[name])
        for name, recipe in wanted.recipes.items()
        if chosen.get(name) not in (None, "", SYSTEM)
        for part in recipe.bin
    ]
    path = workstation.environ.get("PATH", "")
    ours = {*wanted.path_first, *bins, *wanted.path_last}
    rest = [entry for entry in path.split(":") if not entry.startswith(f"{shelf}/") and entry not in ours]
    return list(dict.fromkeys([*wanted.path_first, *bins, *rest, *wanted.path_last]))


def _variables(wanted: Wanted, chosen: Mapping[str, str]) -> dict[str, str]:
    values = {}
    for name, value in wanted.variables:
        spoken = [part.runtime for part in value if isinstance(part, Reference)]
        if all(chosen.get(runtime) not in (None, "", SYSTEM) for runtime in spoken):
            values[name] = "".join(
                str(wanted.shelf / p.runtime / chosen[p.runtime]) if isinstance(p, Reference) else p
                for p in value
            )
    return values
