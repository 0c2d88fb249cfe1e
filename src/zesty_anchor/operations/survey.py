"""Looking at the machine for a person, and drafting a manifest from that."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.operations.person import Person, finder
from zesty_anchor.planning.agreement import is_agreed
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.recipes import shipped
from zesty_anchor.survey.findings import Findings, Trouble
from zesty_anchor.survey.look import look
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.provenance import Origin
from zesty_anchor.system.host import own_authorities
from zesty_anchor.system.problem import UsageProblem


def survey(
    workstation: Workstation, person: Person, meanwhile: Callable[[], object] = lambda: None
) -> Findings:
    """What is here, with the commands of the manifest's runtimes, and those of runtimes that have a shipped
    recipe. ``meanwhile`` is what can be done as long as shells start.
    """
    manifest = workstation.locations.shown(workstation.file) if workstation.file != Path() else ""
    privilege = finder(person, workstation.environ)().way
    return look(look_at(workstation), _recipes(workstation), shipped(), privilege, manifest, meanwhile)


def path_and_troubles(
    workstation: Workstation, machine: Machine
) -> tuple[tuple[Origin, ...], tuple[Trouble, ...]]:
    """Where the entries of PATH come from in new shells, and what is wrong, the worst first."""
    from zesty_anchor.survey.look import path_and_troubles

    path, troubles = path_and_troubles(machine, _recipes(workstation), shipped())
    return tuple(path), troubles


def _recipes(workstation: Workstation) -> dict[str, Recipe]:
    """The manifest's recipes; of those that stand in a manifest that was not agreed to, no command is run."""
    if not workstation.manifest.recipes or is_agreed(workstation):
        return dict(workstation.recipes)
    own = workstation.manifest.recipes
    return {
        name: msgspec.structs.replace(recipe, version=None) if name in own else recipe
        for name, recipe in workstation.recipes.items()
    }


def draft(workstation: Workstation, person: Person, file: Path | None, names: Sequence[str] = ()) -> str:
    """The text of a starter manifest, for runtimes by name, for the tool at one address, else from the
    survey.

    Raises ``UsageProblem`` where the file for it exists, or a runtime has no recipe.
    """
    from zesty_anchor.operations.recipes import manifest_of
    from zesty_anchor.survey.draft import draft

    if file is not None and file.exists():
        raise UsageProblem(
            f"{file} exists already", advice="name another one: zesty-anchor draft FILE; or - to print it"
        )
    if names and "://" in names[0]:
        from zesty_anchor.operations.draft_address import draft_address

        return draft_address(workstation, names[0])
    text = manifest_of(workstation, names) if names else draft(survey(workstation, person))
    added = own_authorities()
    if not added:
        return text
    return text.rstrip("\n") + f"\n\n[trust]\nsystem = true  # {added[0]} is trusted by this system\n"
