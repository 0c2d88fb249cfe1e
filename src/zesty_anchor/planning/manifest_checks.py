"""Finds contradictions between a manifest and its recipes while it is read, before any feed is asked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.position import Step
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.source import Source
from zesty_anchor.system.problem import Problems, UsageProblem


def check(manifest: Manifest, recipes: Mapping[str, Recipe], source: Source) -> None:
    """Raises ``UsageProblem`` with file and line: for a key file that is missing, a runtime that runs on what
    is not there or on itself, and two runtimes that give the same command.
    """
    found = [
        UsageProblem(what, where=source.place(*path), advice=advice)
        for path, what, advice in (
            *_keys(manifest, source.file),
            *_coupled(manifest, recipes),
            *_built_with(manifest, recipes),
            *_clashes(manifest, recipes, source),
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


def _built_with(manifest: Manifest, recipes: Mapping[str, Recipe]) -> Iterator[_Wrong]:
    """What a build uses must be a version of ours that comes before it."""
    for name, runtime in manifest.runtimes.items():
        path: tuple[Step, ...] = ("runtimes", name, "build", "with")
        for number, other in enumerate(runtime.build.with_):
            at, there = (*path, number), manifest.runtimes.get(other)
            if there is None:
                add = f"add [runtimes.{other}], or take it out"
                yield at, f"the build of {name} uses {other}, which is not in the manifest", add
            elif there.want == "system" or there.through is not None:
                how = "is the system's" if there.want == "system" else f"comes through {there.through}"
                yield at, f"the build of {name} uses {other}, which {how}", "take it out: PATH has it"
            elif circle := _circle(name, manifest, recipes):
                yield at, f"circular dependency: {' needs '.join(circle)}", "take one of them out of with"


def _circle(name: str, manifest: Manifest, recipes: Mapping[str, Recipe]) -> list[str]:
    """The way from a runtime back to itself by what its build uses and what it runs on; empty for none."""
    ways = [[name]]
    while ways:
        way = ways.pop()
        runtime, on = manifest.runtimes.get(way[-1]), recipes[way[-1]].on if way[-1] in recipes else None
        for other in (*(runtime.build.with_ if runtime else ()), *((on.runtime,) if on else ())):
            if other == name:
                return [*way, name]
            if other not in way:
                ways.append([*way, other])
    return []


def _clashes(manifest: Manifest, recipes: Mapping[str, Recipe], source: Source) -> Iterator[_Wrong]:
    """Which program a command runs must not be left to chance."""
    owners: dict[str, str] = {}
    for name in manifest.tools:
        for command in recipes[name].commands:
            other = owners.setdefault(command, name)
            if other != name:
                one, two = (
                    f"{each} ({source.place(*manifest.step(each))} [{'.'.join(manifest.step(each))}])"
                    for each in (other, name)
                )
                yield (
                    manifest.step(name),
                    f"{one} and {two} both give the command {command!r}",
                    "take one of them out, or take the command out of commands in one recipe",
                )
