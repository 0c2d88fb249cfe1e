"""Installed versions whose support has ended, or that were withdrawn by those who published them."""

from __future__ import annotations

import msgspec

from zesty_anchor.feeds.release import support_ends
from zesty_anchor.planning.newer import last_answer
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine

_SINCE = "not supported since"


def support_text(ends: str, today: str) -> str:
    """Whether a version is supported on a day, by the last day of its support (both YYYY-MM-DD). Pure."""
    return f"{_SINCE} {ends}" if ends < today else f"supported until {ends}"


class Unsupported(msgspec.Struct, frozen=True):
    """An installed version without support: ``ended`` is the last day of its support (YYYY-MM-DD,
    empty: it has not ended), ``withdrawn`` why it was withdrawn (empty: it was not).
    """

    runtime: str
    version: str
    ended: str = ""
    withdrawn: str = ""

    @property
    def text(self) -> str:
        """One sentence."""
        parts = [f"{_SINCE} {self.ended}"] if self.ended else []
        parts += [f"withdrawn ({self.withdrawn})"] if self.withdrawn else []
        return f"{self.runtime} {self.version}: {', '.join(parts)}"


def support_of(workstation: Workstation, machine: Machine) -> dict[tuple[str, str], str]:
    """The last day of support of each installed version of a runtime with a recipe, where it is known: what a
    feed answered last, what it stated at installation, or what the recipe says.
    """
    answer = last_answer(workstation.locations.state)
    stated = {(row.runtime, row.version): row.ends for row in answer.newer} if answer is not None else {}
    found = {
        key: support_ends(
            receipt.version,
            workstation.recipes[key[0]],
            stated.get((key[0], receipt.version)) or receipt.ends,
        )
        for key, receipt in machine.shelf.items()
        if key[0] in workstation.recipes
    }
    return {key: ends for key, ends in found.items() if ends}


def unsupported(workstation: Workstation, machine: Machine, today: str) -> tuple[Unsupported, ...]:
    """Of the versions that the manifest wants, those without support on a day (YYYY-MM-DD)."""
    ends, answer = support_of(workstation, machine), last_answer(workstation.locations.state)
    rows = answer.newer if answer is not None else ()
    withdrawn = {(row.runtime, row.version): row.withdrawn for row in rows}
    found = {}
    for name, tool in workstation.manifest.tools.items():
        for want in (tool.want, *tool.also):
            folder = standing(workstation, name, want, machine, workstation.past.resolutions)
            if folder is None or (name, folder) not in machine.shelf:
                continue
            version = machine.shelf[name, folder].version
            last = ends.get((name, folder), "")
            ended, reason = last if last and last < today else "", withdrawn.get((name, version), "")
            if ended or reason:
                found[name, version] = Unsupported(name, version, ended, reason)
    return tuple(found.values())
