"""Finds contradictions between a manifest and its recipes while it is read, before any feed is asked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.position import Lines, Step
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.system.problem import Problems, UsageProblem


def check(manifest: Manifest, recipes: Mapping[str, Recipe], file: Path, text: str) -> None:
    """Raises ``UsageProblem`` with file and line: for a key file that is missing, a runtime that runs on what
    is not there or on itself, and two runtimes that give the same command.
    """
    lines = Lines(text)
    found = [
        UsageProblem(what, where=f"{file}:{lines.of(path)}", advice=advice)
        for path, what, advice in (
            *_keys(manifest, file),
            *_coupled(manifest, recipes),
            *_clashes(manifest, recipes, file, lines),
        )
    ]
    if found:
        raise found[0] if len(found) == 1 else Problems(found)


_Wrong = tuple[tuple[Step, ...], str, str]


def _keys(manifest: Manifest, file: Path) -> Iterator[_Wrong]:
    named: list[tuple[tuple[Step, ...], str]] = [
        (("feeds", name, "key"), feed.key) for name, feed in manifest.feeds.items() if feed.key
    ]
    sources = manifest.prerequisites.sources
    named += [(("prerequisites", "sources", name, "key"), source.key) for name, source in sources.items()]
    for path, key in named:
        if not (file.parent / key).is_file():
            yield (
                path,
                f"the key file {key} does not exist",
                f"save the key as {file.parent / key}, from a place that you trust",
            )


def _coupled(manifest: Manifest, recipes: Mapping[str, Recipe]) -> Iterator[_Wrong]:
    for name, recipe in recipes.items():
        below, seen = recipe.on, [name]
        while below is not None:
            path = ("recipes", name, "on") if name in manifest.recipes else manifest.step(name)
            if below.runtime in seen:
                circle = " on ".join([*seen, below.runtime])
                yield path, f"circular dependency: {circle}", "take [on] out of one of their recipes"
                break
            if below.runtime not in recipes:
                yield (
                    path,
                    f"{seen[-1]} runs on {below.runtime}, which is not in the manifest",
                    f"add [runtimes.{below.runtime}], or take {name} out",
                )
                break
            seen.append(below.runtime)
            below = recipes[below.runtime].on


def _clashes(manifest: Manifest, recipes: Mapping[str, Recipe], file: Path, lines: Lines) -> Iterator[_Wrong]:
    """Which program a command runs must not be left to chance."""
    owners: dict[str, str] = {}
    for name in manifest.tools:
        for command in recipes[name].commands:
            other = owners.setdefault(command, name)
            if other != name:
                one, two = (
                    f"{each} ({file}:{lines.of(manifest.step(each))} [{'.'.join(manifest.step(each))}])"
                    for each in (other, name)
                )
                yield (
                    manifest.step(name),
                    f"{one} and {two} both give the command {command!r}",
                    "take one of them out, or take the command out of commands in one recipe",
                )
