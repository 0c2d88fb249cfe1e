"""From what is wanted to what the generated files say."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from zesty_anchor.manifest.pin import pin_files
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.manifest.wanted import Reference, Value, Wanted, refer
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.shell import Environment, Of, Switchable, Template
from zesty_anchor.survey.machine import Machine

_LIKE_SH = ("bash", "zsh", "ksh", "mksh")
"""The shells that read lines in the language of sh, where there are none in their own."""


def environment_of(wanted: Wanted, machine: Machine) -> Environment:
    """Everything that the generated files of all shells put in place. Pure."""
    locations = machine.locations
    return Environment(
        variables=tuple((name, _template(value)) for name, value in wanted.variables),
        first=wanted.path_first,
        last=wanted.path_last,
        shelf=str(locations.shelf),
        launchers=str(locations.launchers),
        pins=str(locations.pins),
        shell=str(locations.shell),
        manifest=str(wanted.folder / FILE_NAME),
        program=machine.program,
        runtimes=switchables(wanted),
        hooks=tuple(_hooks(wanted)),
        completions=tuple(_completions(wanted)),
    )


def switchables(wanted: Wanted) -> tuple[Switchable, ...]:
    """The runtimes of the manifest, in its order."""
    defaults = {v.runtime: v.folder.name for v in wanted.defaults}
    return tuple(
        Switchable(
            name=name,
            default=defaults.get(name, ""),
            bins=recipe.bin,
            pin_files=pin_files(name, recipe),
            requirement_files=tuple(requirement.file for requirement in recipe.requirements),
        )
        for name, recipe in wanted.recipes.items()
    )


def _template(value: Value) -> Template:
    return tuple(Of(part.runtime) if isinstance(part, Reference) else part for part in value)


def _hooks(wanted: Wanted) -> Iterator[tuple[str, str]]:
    """The lines for each shell, those of the runtimes before the person's own. A folder in them is one quoted word."""
    for name, shell in SHELLS.items():
        lines = []
        for version in wanted.defaults:
            text = _for_shell(version.recipe.hooks, name)
            if text:
                lines.append(refer(text, {"folder": shell.quote(str(version.folder))}))
        own = _for_shell(wanted.shell_choices.hooks, name)
        if own:
            lines.append(refer(own, {v.runtime: shell.quote(str(v.folder)) for v in wanted.defaults}))
        if lines:
            yield name, "\n".join(line.rstrip("\n") for line in lines)


def _completions(wanted: Wanted) -> Iterator[tuple[str, str]]:
    for name in SHELLS:
        for version in wanted.defaults:
            if name in version.recipe.completions:
                yield name, str(version.folder / version.recipe.completions[name])
        if name in wanted.shell_choices.completions:
            yield name, wanted.shell_choices.completions[name]


def _for_shell(entries: Mapping[Any, str], name: str) -> str:
    return entries.get(name) or (entries.get("sh", "") if name in _LIKE_SH else "")
