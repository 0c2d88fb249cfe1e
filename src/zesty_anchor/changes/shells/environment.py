"""From what is wanted to what the generated files say."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from zesty_anchor.manifest.pin import pin_files
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.manifest.recipe import ManagerTool
from zesty_anchor.manifest.wanted import Reference, Value, Wanted, WantedVersion, refer
from zesty_anchor.shells.environment import Environment, Of, Switchable, Template
from zesty_anchor.shells.known import SH, SHELLS, like_sh
from zesty_anchor.survey.machine import Machine


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
        hooks=tuple(_hooks(wanted, machine)),
        greetings=tuple(_greetings(wanted, machine)),
        completions=tuple(_completions(wanted)),
        home=str(locations.home),
        missing_is_default=wanted.shell_choices.missing == "default",
    )


def switchables(wanted: Wanted) -> tuple[Switchable, ...]:
    """The runtimes of the manifest, in its order."""
    defaults = {v.runtime: v.folder.name for v in wanted.defaults}
    return tuple(
        Switchable(
            name=name,
            default=defaults.get(name, ""),
            bins=recipe.bin,
            pin_files=() if recipe.manager else pin_files(name, recipe),
            requirement_files=tuple(requirement.file for requirement in recipe.requirements),
        )
        for name, recipe in wanted.recipes.items()
    )


def _template(value: Value) -> Template:
    return tuple(Of(part.runtime) if isinstance(part, Reference) else part for part in value)


def _greetings(wanted: Wanted, machine: Machine) -> Iterator[tuple[str, str]]:
    """The line of each shell that prints what is new, once."""
    for name in wanted.shells if wanted.shell_choices.greeting else ():
        if lines := SHELLS[name].greets(machine.locations.greeting, machine.locations.home):
            yield name, lines


def _hooks(wanted: Wanted, machine: Machine) -> Iterator[tuple[str, str]]:
    """The lines for each shell, those of the runtimes before the person's own. A folder in them is one quoted
    word.
    """
    for name, shell in SHELLS.items():
        lines = []
        for version in wanted.defaults:
            text = _for_shell(version.recipe.hooks, name)
            if text:
                home = {"home": shell.quote(str(version.home))} if version.home is not None else {}
                text = refer(text, {"folder": shell.quote(str(version.folder)), **home})
            elif version.recipe.manager is not None:
                text = _of_manager(version, version.recipe.manager, name, machine)
            if text:
                lines.append(shell.behind(text) if version.recipe.manager is not None else text)
        own = _for_shell(wanted.shell_choices.hooks, name)
        if own:
            lines.append(refer(own, {v.runtime: shell.quote(str(v.folder)) for v in wanted.defaults}))
        if lines:
            yield name, "\n".join(line.rstrip("\n") for line in lines)


def _of_manager(version: WantedVersion, tool: ManagerTool, name: str, machine: Machine) -> str:
    """What its installer wrote for a shell, else the reading of the file that makes it a function there."""
    receipt = machine.shelf.get((version.runtime, version.folder.name))
    if receipt is not None and receipt.adopted:
        return receipt.adopted.get(name, "")
    if tool.function is not None and (name == tool.shell or (tool.shell == SH and name in like_sh())):
        return f". {SHELLS[name].quote(str(version.folder / tool.function))}"
    return ""


def _completions(wanted: Wanted) -> Iterator[tuple[str, str]]:
    for name in SHELLS:
        for version in wanted.defaults:
            if name in version.recipe.completions:
                yield name, str(version.folder / version.recipe.completions[name])
        if name in wanted.shell_choices.completions:
            yield name, wanted.shell_choices.completions[name]


def _for_shell(entries: Mapping[Any, str], name: str) -> str:
    return entries.get(name) or (entries.get(SH, "") if name in like_sh() else "")
