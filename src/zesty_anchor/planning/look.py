"""The machine as a workstation's manifest speaks of it, and what is wanted of it."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.manifest.model import SYSTEM, Manifest
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.wanted import Wanted, WantedVersion, expand, packages_of, put_together
from zesty_anchor.planning.secrets import with_secrets
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.footprint import used_shells
from zesty_anchor.survey.machine import Machine, left_out, shells_to_use
from zesty_anchor.system.host import host, system_authorities
from zesty_anchor.system.problem import UsageProblem

_REFERENCES = ("{env:", "{file:")
"""Without one of these in a text, nothing is taken from outside: most manifests have none."""
_SHORTER = "write a plain value there, or set it in [variables] for your own shells"


def look_at(workstation: Workstation) -> Machine:
    """The machine. Nothing is read before it is asked for."""
    manifest = workstation.manifest
    machine = Machine(
        workstation.locations,
        workstation.environ,
        packages=packages_for(workstation, host().families),
        settings=[Path(expand(setting.file, workstation.locations.home)) for setting in manifest.settings],
        identity=manifest.identity,
        program=workstation.program,
    )
    facts = workstation.facts
    if facts is None:
        return machine
    system, _, processor = facts.platform.partition("-")
    there = msgspec.structs.replace(
        machine.host, system=system, machine=processor, families=facts.families, version=facts.version
    )
    return machine.on(there, empty=True)


def packages_for(workstation: Workstation, families: Iterable[str]) -> tuple[str, ...]:
    """The packages of the system that the manifest and its recipes may need on systems of these families,
    also for builds.
    """
    recipes = _with_builders(workstation)
    found = {
        package.name: None
        for family in families
        for package in packages_of(workstation.manifest, recipes, family)
    }
    return tuple(found)


def _with_builders(workstation: Workstation) -> Mapping[str, Recipe]:
    """The recipes of the manifest's runtimes, and of others that builds of some versions of those need."""
    builds = [recipe.build for recipe in workstation.recipes.values() if recipe.build is not None]
    names = {build.earlier.runtime for build in builds if build.earlier is not None}
    others = {name for name in names if name is not None and name not in workstation.recipes}
    if not others:
        return workstation.recipes
    from zesty_anchor.planning.builder import builder_recipe

    return {**workstation.recipes, **{name: builder_recipe(name, workstation) for name in sorted(others)}}


def _shells(workstation: Workstation, machine: Machine) -> tuple[str, ...]:
    use = workstation.manifest.shells.use
    if use == ():
        return ()
    unfit = left_out(machine)
    used = tuple(name for name in used_shells(machine) if name not in unfit) if use is None else use
    return shells_to_use(used or "all", machine, machine.coming, lambda: workstation.place("shells", "use"))


def wanted_of(workstation: Workstation, versions: Sequence[WantedVersion], machine: Machine) -> Wanted:
    """What is wanted, given the versions. Raises ``UsageProblem`` where no shell could be set up."""
    manifest, recipes = _with_outside(workstation), workstation.recipes
    built = {v.earlier.runtime for v in versions if v.earlier is not None and v.artefact is not None}
    known = _with_builders(workstation)
    needing = {name: recipe for name, recipe in known.items() if name in recipes.keys() | built}
    system = [name for name, tool in manifest.tools.items() if tool.want == SYSTEM]
    wanted = put_together(
        manifest,
        tuple(versions),
        _shells(workstation, machine),
        packages_of(manifest, needing, machine.packages.family if machine.packages else ""),
        workstation.file.parent,
        workstation.locations.home,
        tuple(command for name in system for command in recipes[name].commands[:1]),
        workstation.locations.shelf,
        recipes,
        _authorities(workstation),
    )
    return with_secrets(wanted, workstation)


def _with_outside(workstation: Workstation) -> Manifest:
    """The manifest with what its values take from the environment and from files; for another machine, as it
    is. Raises ``UsageProblem`` with the line of a reference to what is not there.
    """
    manifest, place = workstation.manifest, workstation.place
    texts = [layer.text for layer in workstation.source.layers]
    if workstation.facts is not None or not any(form in text for text in texts for form in _REFERENCES):
        return manifest
    from zesty_anchor.manifest.outside import Unknown, with_outside
    from zesty_anchor.system.pam_environment import unfit

    def taken(value: Any, *steps: str | int) -> Any:
        try:
            home, folder = workstation.locations.home, workstation.file.parent
            return with_outside(value, workstation.environ, home, folder)
        except Unknown as unknown:
            raise UsageProblem(unknown.what, where=place(*steps), advice=unknown.advice) from None

    system = manifest.variables.get(SYSTEM)
    for name, value in system.items() if isinstance(system, dict) else ():
        if why := unfit(taken(value, "variables", SYSTEM, name)):
            where = place("variables", SYSTEM, name)
            raise UsageProblem(f"{name} cannot be in /etc/environment: {why}", where=where, advice=_SHORTER)
    return msgspec.structs.replace(
        manifest,
        variables={name: taken(value, "variables", name) for name, value in manifest.variables.items()},
        settings=tuple(
            msgspec.structs.replace(each, value=taken(each.value, "settings", number))
            for number, each in enumerate(manifest.settings)
        ),
    )


def _authorities(workstation: Workstation) -> str:
    """The file of certificate authorities that the manifest hands to the runtimes' own tools; empty where it
    hands them none. Raises ``UsageProblem`` where there is no such file.
    """
    trust, home = workstation.manifest.trust, workstation.locations.home
    if trust.file is not None:
        file = expand(trust.file, home)
        file = file if file.startswith("/") else str(workstation.file.parent / file)
    elif trust.system:
        file = system_authorities()
    else:
        return ""
    if not file or not os.access(file, os.R_OK):
        raise UsageProblem(
            f"there is no file {file}"
            if file
            else "no file of the system's certificate authorities was found",
            where=workstation.place("trust", "file" if trust.file is not None else "system"),
            advice='name one: [trust] file = "/path/to/authorities.pem"',
        )
    return file
