"""The environment in which one command runs with chosen versions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.wanted import Reference, Wanted
from zesty_anchor.operations.in_step import keep_launchers
from zesty_anchor.operations.obtain import installed
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.choices import SESSION, active_versions
from zesty_anchor.planning.look import look_at, wanted_of
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.resolve import Resolver
from zesty_anchor.planning.workstation import Workstation


def environment(
    workstation: Workstation, person: Person, pairs: Sequence[tuple[str, str]], *, install: bool = False
) -> dict[str, str]:
    """The environment with these wants, by runtime; the other versions are as they are in effect here.

    Raises ``Problem`` where a version is not installed, unless it may be.
    """
    keep_launchers(workstation)
    machine, chosen = look_at(workstation), {}
    for name, want in pairs:
        chosen[name] = installed(workstation, person, machine, name, want, install=install)
        machine = look_at(workstation) if install else machine
    versions = Resolver(workstation, Offers(workstation)).versions(
        machine, workstation.past.resolutions, missing=[]
    )
    wanted = wanted_of(workstation, versions, machine)
    for choice in active_versions(workstation, machine):
        chosen.setdefault(choice.runtime, choice.version)
    named = {name for name, _ in pairs}
    session = [w for w in workstation.environ.get(SESSION, "").split() if w.partition("=")[0] not in named]
    session += [f"{name}={chosen[name]}" for name, _ in pairs]
    return {
        **workstation.environ,
        **_variables(wanted, chosen),
        "PATH": ":".join(_path(workstation, wanted, chosen)),
        SESSION: " ".join(session),
    }


def _path(workstation: Workstation, wanted: Wanted, chosen: Mapping[str, str]) -> list[str]:
    shelf = workstation.locations.shelf
    bins = [
        str(shelf / name / chosen[name] / part) if part != "." else str(shelf / name / chosen[name])
        for name, recipe in wanted.recipes.items()
        if chosen.get(name) not in (None, "", SYSTEM)
        for part in recipe.bin
    ]
    path = workstation.environ.get("PATH", "")
    rest = [entry for entry in path.split(":") if not entry.startswith(f"{shelf}/") and entry not in bins]
    return list(dict.fromkeys([*bins, *rest]))


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
