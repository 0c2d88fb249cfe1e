"""Finding the folder of an installed version."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.version import Version
from zesty_anchor.operations.in_step import keep_launchers
from zesty_anchor.planning.choices import choice_of, default_version
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.stable import point
from zesty_anchor.system.problem import Problem


def stable_path(workstation: Workstation, runtime: str) -> Path:
    """A path that leads to the default version of a runtime, whichever that is: a link that follows each
    change of the default. Raises ``Problem`` where no version of ours is the default.
    """
    workstation.check_runtime(runtime)
    machine = look_at(workstation)
    version = default_version(workstation, runtime, machine)
    if version is None or (runtime, version) not in machine.shelf:
        what = "is the system's" if version == SYSTEM else "is not installed"
        raise Problem(
            f"the default version of {runtime} {what}",
            where=workstation.decided_by_default()[runtime],
            advice="run: zesty-anchor provision" if version is None else "name the system's own folder",
        )
    return point(workstation.locations.stable, workstation.locations.shelf, runtime, version)


def locate(workstation: Workstation, runtime: str, version: str) -> Path:
    """The folder of an installed version: the one in effect here, or the newest that ``version`` is a line
    of.

    Raises ``Problem`` where none is installed.
    """
    keep_launchers(workstation)
    machine = look_at(workstation)
    here = [v for r, v in machine.shelf if r == runtime]
    if not version and runtime in workstation.manifest.tools:
        chosen = choice_of(workstation, machine, runtime).version
        found = chosen if chosen not in ("", SYSTEM) else None
    else:
        fitting = [v for v in here if v == version or (version and Version(v).begins_with(Version(version)))]
        found = version if version in fitting else max(fitting, key=Version, default=None)
    if found is None:
        raise Problem(
            f"{runtime} {version}".strip() + " is not installed",
            advice=f"installed: {', '.join(here)}" if here else "run: zesty-anchor provision",
        )
    return workstation.locations.shelf / runtime / found
