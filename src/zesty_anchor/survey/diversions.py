"""What leads a runtime's own package tool, or the runtime itself, elsewhere than into its version."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from zesty_anchor.files.text_file import content_of
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.wanted import expand
from zesty_anchor.survey.findings import Trouble
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.system.locations import Locations

_WEIGHT = 55
_MOST_BYTES = 1 << 20


def diversions(
    started: Iterable[StartupTrace], machine: Machine, recipes: Mapping[str, Recipe]
) -> Iterator[Trouble]:
    """Variables that new shells have, and lines of configuration files, that divert a runtime of the
    manifest. What our own files set is no diversion: the manifest asks for it.
    """
    for runtime, recipe in recipes.items():
        yield from in_files(runtime, recipe, machine.locations)
        for name, what in recipe.diverted.items():
            yield from _variable(name, f"{name} is set: {what}", started, machine)


def in_files(runtime: str, recipe: Recipe, locations: Locations) -> Iterator[Trouble]:
    """The lines of configuration files that divert a runtime."""
    for each in recipe.diverting_files:
        file = Path(expand(each.file, locations.home))
        content = content_of(file) if file.is_file() else None
        for number, row in enumerate(
            (content or b"")[:_MOST_BYTES].decode("utf-8", "replace").splitlines(), 1
        ):
            if re.search(each.pattern, row):
                shown = locations.shown(file)
                yield Trouble(shown, number, each.what, fix=f"delete {shown}:{number}", weight=_WEIGHT)


def _variable(name: str, what: str, started: Iterable[StartupTrace], machine: Machine) -> Iterator[Trouble]:
    by_place: dict[tuple[str, int], dict[str, None]] = {}
    for trace in started:
        if not trace.variables.get(name):
            continue
        place = trace.of_variable(name)
        if place is not None and Path(place.file).is_relative_to(machine.locations.data):
            continue
        key = (machine.locations.shown(place.file), place.line) if place is not None else ("", 0)
        by_place.setdefault(key, {})[trace.shell] = None
    for (file, line), shells in by_place.items():
        fix = f"delete {file}:{line}" if file else f"zesty-anchor trace '${name}'"
        yield Trouble(file or "the environment at login", line, what, tuple(shells), fix, _WEIGHT)
