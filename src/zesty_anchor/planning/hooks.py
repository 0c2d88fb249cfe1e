"""Whether the lines that a manifest adds for a shell can be read by that shell: asked before anything is
fetched.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from zesty_anchor.manifest.position import Step
from zesty_anchor.manifest.wanted import refer
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shells.known import SH, SHELLS, like_sh
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import UsageProblem


def check_hooks(workstation: Workstation, machine: Machine) -> None:
    """Raises ``UsageProblem`` with file and line for a hook that its shell cannot read. Nothing of it is
    run.
    """
    for path, shell, text in _hooks(workstation):
        name = next(
            (each for each in ((*like_sh(), SH) if shell == SH else (shell,)) if machine.shell(each)), None
        )
        installed = machine.shell(name) if name else None
        if name is None or installed is None:
            continue
        from zesty_anchor.shells.syntax import passes

        well, said = passes((installed.program, SHELLS[name].check), text.encode("utf-8", "surrogateescape"))
        if not well:
            raise UsageProblem(
                f"{name} cannot parse this hook: {said}",
                where=workstation.place(*path),
                advice=f"fix it in [{'.'.join(map(str, path[:-1]))}] {path[-1]}; nothing was changed",
            )


def _hooks(workstation: Workstation) -> Iterator[tuple[tuple[Step, ...], str, str]]:
    """The hooks of the manifest, and of the recipes in it, with a word in place of each folder that they
    refer to.
    """
    manifest = workstation.manifest
    yield from _each(("shells", "hooks"), manifest.shells.hooks, dict.fromkeys(manifest.tools, "'/folder'"))
    for name, recipe in manifest.recipes.items():
        yield from _each(
            ("recipes", name, "hooks"), recipe.hooks, dict.fromkeys(("folder", "home"), "'/folder'")
        )


def _each(
    path: tuple[Step, ...], hooks: Mapping[Any, str], words: Mapping[str, str]
) -> Iterator[tuple[tuple[Step, ...], str, str]]:
    for shell, text in hooks.items():
        yield (*path, shell), shell, refer(text, words)
