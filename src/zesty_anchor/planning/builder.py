"""A runtime that the manifest does not name, since only a build of another one needs it."""

from __future__ import annotations

import msgspec

from zesty_anchor.manifest.model import Runtime
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.recipes import recipe_for


def builder_recipe(name: str, workstation: Workstation) -> Recipe:
    """The recipe of such a runtime. Raises ``UsageProblem`` where there is none."""
    manifest = workstation.manifest
    manifest = msgspec.structs.replace(manifest, runtimes={**manifest.runtimes, name: Runtime("latest")})
    return recipe_for(name, manifest, workstation.locations.recipes, workstation.source)


def with_builder(name: str, workstation: Workstation) -> Workstation:
    """The same workstation as if its manifest wanted that runtime too. Raises ``UsageProblem`` where it has
    no recipe.
    """
    manifest = workstation.manifest
    return msgspec.structs.replace(
        workstation,
        manifest=msgspec.structs.replace(manifest, runtimes={**manifest.runtimes, name: Runtime("latest")}),
        recipes={**workstation.recipes, name: builder_recipe(name, workstation)},
    )
