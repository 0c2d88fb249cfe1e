"""A runtime that the manifest does not name, since only a build of another one needs it."""

from __future__ import annotations

import msgspec

from zesty_anchor.manifest.model import Manifest, Runtime
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.recipes import recipe_for


def builder_recipe(name: str, workstation: Workstation) -> Recipe:
    """The recipe of such a runtime. Raises ``UsageProblem`` where there is none."""
    return recipe_for(name, _wanting(name, workstation), workstation.locations.recipes, workstation.source)


def with_builder(name: str, workstation: Workstation) -> Workstation:
    """The same workstation as if its manifest wanted that runtime too. Raises ``UsageProblem`` where it has
    no recipe.
    """
    recipes = {**workstation.recipes, name: builder_recipe(name, workstation)}
    return msgspec.structs.replace(workstation, manifest=_wanting(name, workstation), recipes=recipes)


def _wanting(name: str, workstation: Workstation) -> Manifest:
    runtimes = {**workstation.manifest.runtimes, name: Runtime("latest")}
    return msgspec.structs.replace(workstation.manifest, runtimes=runtimes)
