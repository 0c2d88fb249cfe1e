"""Which startup files get the block on this machine."""

from __future__ import annotations

from collections.abc import Iterable

from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.reading import Site
from zesty_anchor.survey.machine import Machine


def sites(shells: Iterable[str], machine: Machine) -> tuple[Site, ...]:
    """The startup files of the given shells that get the block, each once."""
    around = machine.around
    found = {site.file: site for name in shells for site in SHELLS[name].sites(around)}
    return tuple(found.values())
