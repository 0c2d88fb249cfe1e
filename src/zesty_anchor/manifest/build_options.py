"""Options of a build that a recipe gives names to: what they hand to its steps, and the packages that they
take.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

import msgspec

from zesty_anchor.manifest.model import BuildChoices, Manifest
from zesty_anchor.manifest.recipe import BuildOption, Recipe
from zesty_anchor.manifest.source import Source
from zesty_anchor.manifest.wrong import nearest_key
from zesty_anchor.system.problem import UsageProblem

_NAME = r"[a-z][a-z0-9-]*"
"""What is no name is handed on as it is: --with-tides, CC=clang."""


def with_named_options(
    manifest: Manifest, recipes: Mapping[str, Recipe], source: Source
) -> tuple[Manifest, dict[str, Recipe]]:
    """The manifest with the arguments that its options stand for, and the recipes with the packages that they
    need. Pure.

    Raises ``UsageProblem`` for a name that a recipe does not have.
    """
    runtimes, found = dict(manifest.runtimes), dict(recipes)
    for name, runtime in manifest.runtimes.items():
        build = recipes[name].build
        if build is None or not build.options or not runtime.build.options:
            continue
        arguments: list[str] = []
        chosen: list[BuildOption] = []
        for number, word in enumerate(runtime.build.options):
            if word in build.options:
                chosen.append(build.options[word])
                arguments += build.options[word].arguments
            elif re.fullmatch(_NAME, word):
                raise UsageProblem(
                    f"the recipe of {name} has no build option {word!r}",
                    where=source.place("runtimes", name, "build", "options", number),
                    advice=(
                        f"{nearest_key(word, list(build.options))}; there are: {', '.join(build.options)};"
                        " else write it as its steps take it"
                    ),
                )
            else:
                arguments.append(word)
        choices = msgspec.structs.replace(runtime.build, options=tuple(arguments))
        runtimes[name] = msgspec.structs.replace(runtime, build=choices)
        found[name] = _needing(recipes[name], chosen)
    return msgspec.structs.replace(manifest, runtimes=runtimes), found


def built_as(choices: BuildChoices) -> tuple[str, ...]:
    """What of a build's choices makes one build another: its options, its environment, and the other runtimes
    that it uses. Pure.
    """
    given = sorted(f"{name}={value}" for name, value in choices.environment.items())
    return (*choices.options, *given, *(f"with {name}" for name in choices.with_))


def _needing(recipe: Recipe, chosen: list[BuildOption]) -> Recipe:
    """A recipe that needs the packages of options too, on each family of systems that one names any for."""
    packages = recipe.needs.packages
    families = dict.fromkeys(family for option in chosen for family in option.packages)
    if not families:
        return recipe
    held: dict[str, tuple[str, ...]] = (
        dict(packages) if isinstance(packages, dict) else dict.fromkeys(families, packages)
    )
    for option in chosen:
        for family, names in option.packages.items():
            held[family] = tuple(dict.fromkeys((*held.get(family, ()), *names)))
    return msgspec.structs.replace(recipe, needs=msgspec.structs.replace(recipe.needs, packages=held))
