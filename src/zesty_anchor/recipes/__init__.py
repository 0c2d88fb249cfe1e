"""The recipes: shipped ones as TOML files in this folder, the person's own, and those in the manifest."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.read import read_recipe
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.source import Source
from zesty_anchor.manifest.toml_file import read_tables
from zesty_anchor.manifest.wanted import expand, refer
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import UsageProblem

SHIPPED = Path(__file__).parent
_BUILDERS = SHIPPED / "builders"
"""Recipes of what only builds need: nobody is offered these, or asked about those of the system."""


def recipe_for(name: str, manifest: Manifest, personal: Path, source: Source) -> Recipe:
    """The recipe of a runtime or a manager: the manifest's, else the person's in ``personal``, else the
    shipped one.

    Raises ``UsageProblem`` where there is none, with the nearest name.
    """
    if name in manifest.recipes:
        return manifest.recipes[name]
    for folder in (personal, SHIPPED, _BUILDERS):
        if (folder / f"{name}.toml").is_file():
            return read_recipe(folder / f"{name}.toml")
    known = sorted({*manifest.recipes, *(f.stem for d in (personal, SHIPPED) for f in d.glob("*.toml"))})
    import difflib

    close = difflib.get_close_matches(name, known, 1)
    raise UsageProblem(
        f"there is no recipe for the {manifest.step(name)[0][:-1]} {name!r}",
        where=source.place(*manifest.step(name)),
        advice=(
            f"did you mean {close[0]!r}?"
            if close
            else (
                f"write one in [recipes.{name}] (zesty-anchor docs recipes); there are recipes for:"
                f" {', '.join(known)}"
            )
        ),
    )


def recipe_tables(name: str, personal: Path) -> dict[str, Any] | None:
    """The tables of the person's own recipe, else of the shipped one; None where there is none."""
    file = next((f for f in (personal / f"{name}.toml", SHIPPED / f"{name}.toml") if f.is_file()), None)
    return None if file is None else read_tables(file)


def recipe_file(name: str, personal: Path) -> str:
    """The file that a recipe stands in: the person's own, else the shipped one."""
    files = (folder / f"{name}.toml" for folder in (personal, SHIPPED, _BUILDERS))
    return str(next((file for file in files if file.is_file()), personal))


def shipped() -> dict[str, Recipe]:
    """Every shipped recipe, by the name of its runtime."""
    return {file.stem: read_recipe(file) for file in sorted(SHIPPED.glob("*.toml"))}


def all_recipes(personal: Path) -> dict[str, Recipe]:
    """Every recipe that a manifest may name without bringing it, by its runtime: the shipped ones, and the
    person's own in ``personal``, which go before them.
    """
    own = {file.stem: read_recipe(file) for file in sorted(personal.glob("*.toml"))}
    return dict(sorted({**shipped(), **own}.items()))


def recipe_names(personal: Path) -> list[str]:
    """The runtimes among them by name. To look for the table of a manager takes a hundredth of what it takes
    to read a recipe.
    """
    files = {file.stem: file for folder in (SHIPPED, personal) for file in folder.glob("*.toml")}
    return sorted(name for name, file in files.items() if b"\n[manager]" not in file.read_bytes())


def with_word(word: str, personal: Path) -> dict[str, Recipe]:
    """Those in which a word stands. To read a file takes a hundredth of what it takes to read a recipe."""
    files = {file.stem: file for folder in (SHIPPED, personal) for file in sorted(folder.glob("*.toml"))}
    found = sorted(
        name for name, file in files.items() if word == name or os.fsencode(word) in file.read_bytes()
    )
    return {name: read_recipe(files[name]) for name in found}


def as_manager(name: str, recipe: Recipe, locations: Locations) -> Recipe:
    """The recipe of a manager with its home written out, and what stands for a function among its commands.

    Raises ``UsageProblem`` where it does not say how a manager is spoken to.
    """
    tool = recipe.manager
    if tool is None:
        raise UsageProblem(
            f"the recipe of the manager {name!r} does not say how it is asked for versions",
            where=f"[manager] of the recipe of {name!r}",
            advice="add it: list, install and locate (zesty-anchor docs recipes)",
        )
    from zesty_anchor.shelf.manager import CALLED

    home = expand(tool.home, locations.home) if tool.home else str(locations.data / "kept" / name)
    installer = recipe.installer
    if installer is not None:
        folder = expand(installer.folder, locations.home)
        values = {"home": home, "folder": folder}
        environment = {key: refer(text, values) for key, text in installer.environment.items()}
        arguments = tuple(refer(text, values) for text in installer.arguments)
        installer = msgspec.structs.replace(
            installer, folder=folder, environment=environment, arguments=arguments
        )
    return msgspec.structs.replace(
        recipe,
        bin=(CALLED,) if tool.function else recipe.bin,
        variables={key: refer(text, {"home": home}) for key, text in recipe.variables.items()},
        manager=msgspec.structs.replace(tool, home=home),
        installer=installer,
    )


def check_installers(manifest: Manifest, recipes: Mapping[str, Recipe], source: Source) -> None:
    """Raises ``UsageProblem`` where a runtime's recipe brings a manager by its own installer: that is one of
    ``[managers]``.
    """
    for name in manifest.runtimes:
        if recipes[name].installer is not None:
            raise UsageProblem(
                f"the recipe of {name!r} runs an installer, which only a manager may have",
                where=source.place("runtimes", name),
                advice=f"write it as [managers.{name}], or take [installer] out of the recipe",
            )
