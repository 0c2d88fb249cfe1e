"""The recipes: shipped ones as TOML files in this folder, the person's own, and those in the manifest."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.manifest.model import Manifest, Recipe
from zesty_anchor.manifest.position import line_of
from zesty_anchor.manifest.read import read_recipe
from zesty_anchor.problem import UsageProblem

SHIPPED = Path(__file__).parent


def recipe_for(name: str, manifest: Manifest, personal: Path, manifest_file: Path) -> Recipe:
    """The recipe of a runtime: the manifest's, else the person's in ``personal``, else the shipped one.

    Raises ``UsageProblem`` where there is none, with the nearest name.
    """
    if name in manifest.recipes:
        return manifest.recipes[name]
    for folder in (personal, SHIPPED):
        if (folder / f"{name}.toml").is_file():
            return read_recipe(folder / f"{name}.toml")
    known = sorted({*manifest.recipes, *(f.stem for d in (personal, SHIPPED) for f in d.glob("*.toml"))})
    import difflib

    close = difflib.get_close_matches(name, known, 1)
    raise UsageProblem(
        f"there is no recipe for the runtime {name!r}",
        where=f"{manifest_file}:{line_of(manifest_file.read_text('utf-8'), ('runtimes', name))}",
        advice=f"did you mean {close[0]!r}?"
        if close
        else f"write one in [recipes.{name}] (docs/recipes.md shows how); there are recipes for: {', '.join(known)}",
    )
