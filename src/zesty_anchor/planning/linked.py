"""An install that the system, or a person, has already, as a version on the shelf: made of links into it.

Nothing of it is run to tell its version: a manifest that nobody has agreed to may name it.
"""

from __future__ import annotations

from pathlib import Path

import msgspec

from zesty_anchor.manifest.model import SYSTEM, Manifest
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.wanted import expand
from zesty_anchor.survey.installs_there import told_version
from zesty_anchor.system.problem import UsageProblem


def with_linked(manifest: Manifest, recipes: dict[str, Recipe], home: Path) -> Manifest:
    """The manifest in which a runtime that names an install of the ``system`` wants just its version, and
    names its real folder.

    Raises ``UsageProblem`` where the folder holds no such runtime, or nothing there tells the version.
    """
    found = {}
    for name, runtime in manifest.runtimes.items():
        if runtime.system is None:
            continue
        folder = Path(expand(runtime.system, home))
        at = f"[runtimes.{name}] system"
        absent = [
            c
            for c in recipes[name].commands
            if not any((folder / b / c).is_file() for b in recipes[name].bin)
        ]
        if absent:
            raise UsageProblem(
                f"{folder} holds no command {absent[0]!r}"
                if folder.is_dir()
                else f"there is no folder {folder}",
                where=at,
                advice=f"zesty-anchor trace {recipes[name].commands[0]} shows which installs are there",
            )
        version = runtime.want if runtime.want != SYSTEM else told_version(folder)
        if not version:
            raise UsageProblem(
                f"neither {folder} nor a file in it tells the version",
                where=at,
                advice='write it in place of "system": want = "VERSION"',
            )
        found[name] = msgspec.structs.replace(runtime, want=version, system=str(folder))
    return msgspec.structs.replace(manifest, runtimes={**manifest.runtimes, **found}) if found else manifest
