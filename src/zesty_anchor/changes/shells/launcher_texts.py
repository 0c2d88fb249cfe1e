"""The launchers that there should be, with their texts."""

from __future__ import annotations

from collections.abc import Mapping

from zesty_anchor.shelf.launchers import commands
from zesty_anchor.shells.known import LAUNCH
from zesty_anchor.shells.launch import launcher
from zesty_anchor.survey.machine import generated_file
from zesty_anchor.system.locations import Locations

Runtimes = tuple[tuple[str, tuple[str, ...]], ...]
"""Names of runtimes, each with the folders of its commands below a version's folder."""


def texts(locations: Locations, runtimes: Runtimes) -> Mapping[str, str]:
    """The launchers that there should be, by name, with their text."""
    common = str(generated_file(locations, LAUNCH))
    return {n: launcher(n, runtime, common) for n, runtime in commands(locations.shelf, runtimes).items()}
