"""Which runtimes can be had, without a manifest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zesty_anchor.feeds.known import feed_class
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.planning.listing import RuntimeKnown
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.workstation import Workstation, with_manifest
from zesty_anchor.recipes import all_recipes, recipe_names
from zesty_anchor.survey.installs_there import installs_there
from zesty_anchor.survey.owner import Owners
from zesty_anchor.system.problem import UsageProblem


def available(bare: Workstation) -> list[RuntimeKnown]:
    """Every runtime that a manifest can name here. No feed is asked."""
    machine = look_at(bare)
    known = {
        name: recipe for name, recipe in all_recipes(bare.locations.recipes).items() if recipe.manager is None
    }
    there = installs_there(known, machine, Owners(machine), bare.environ.get("PATH", ""))
    return [
        RuntimeKnown(
            runtime=name,
            title=recipe.title or name,
            feeds=(kinds := tuple(dict.fromkeys(source.kind for source in recipe.sources))),
            sources=tuple(feed_class(kind).title for kind in kinds),
            here=there[name],
        )
        for name, recipe in known.items()
    ]


def has_recipe(bare: Workstation, name: str) -> bool:
    """Whether a manifest may name a runtime without bringing its recipe."""
    return name in recipe_names(bare.locations.recipes)


def other_recipes(workstation: Workstation) -> list[str]:
    """The runtimes that a manifest may name and this one does not."""
    return [
        name for name in recipe_names(workstation.locations.recipes) if name not in workstation.manifest.tools
    ]


def with_runtimes(bare: Workstation, names: Sequence[str]) -> Workstation:
    """The workstation as if a manifest asked for these runtimes. Raises ``UsageProblem`` where one has no
    recipe.
    """
    return with_manifest(bare, bare.folder / "workstation.toml", manifest_of(bare, names))


def manifest_of(bare: Workstation, names: Sequence[str]) -> str:
    """The text of a manifest that asks for runtimes, and for those that they run on: their long-term line,
    where they have one, else the newest version.

    Raises ``UsageProblem`` where one has no recipe.
    """
    known = all_recipes(bare.locations.recipes)
    text = "# Written by zesty-anchor draft. Read it, change it, then look with: zesty-anchor preview\n"
    for name in dict.fromkeys(names):
        if name not in known:
            import difflib

            close = difflib.get_close_matches(name, known, 1)
            raise UsageProblem(
                f"there is no recipe for {name!r}",
                where=f"there are recipes for: {', '.join(known)}",
                advice=f"did you mean {close[0]!r}?"
                if close
                else "zesty-anchor docs recipes shows how to write one",
            )
    for name in _with_those_below(names, known):
        want = "lts" if "lts" in known[name].channels else "latest"
        text += f"\n# {known[name].title or name}; zesty-anchor list {name} shows its versions\n"
        text += f'[runtimes.{name}]\nwant = "{want}"\n'
    return text


def _with_those_below(names: Sequence[str], known: Mapping[str, Recipe]) -> dict[str, None]:
    """Runtimes, each after the one that it runs on. Pure."""
    found: dict[str, None] = {}
    for name in names:
        below = known[name].on
        if below is not None and below.runtime in known and below.runtime not in found:
            found |= _with_those_below([below.runtime], known)
        found[name] = None
    return found
