"""What is done about whatever else answers to the manifest's commands, by its policy and what a person
answers.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.changes.question import Question
from zesty_anchor.manifest.model import SYSTEM, Manifest
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.locations import Locations

if TYPE_CHECKING:
    from zesty_anchor.survey.rivals import Conflict

_CAN_GO = ("folder", "file", "package")

Answers = Mapping[str, str]
"""What a person said to the questions, yes or no, by their texts."""


class Conflicts:
    """The conflicts of one command's plans. New shells are asked once, and not where all is outranked."""

    def __init__(self, manifest: Manifest) -> None:
        self._manifest = manifest
        self._policy = manifest.conflicts.policy
        self._found: list[Conflict] | None = None

    def found(self, wanted: Wanted, machine: Machine) -> list[Conflict]:
        """What else answers to the manifest's commands."""
        if self._policy == "outrank":
            return []
        if self._found is None:
            from zesty_anchor.survey.rivals import conflicts

            ours = {
                name: recipe
                for name, recipe in wanted.recipes.items()
                if self._manifest.tools[name].want != SYSTEM
            }
            self._found = conflicts(ours, wanted.shells, machine)
        return self._found

    def added(self, wanted: Wanted, found: list[Conflict], machine: Machine, answers: Answers) -> Wanted:
        """What is wanted, with the conflicts that are to go."""
        going = [each for each in found if self._goes(each, machine, answers)]
        paths = [Path(each.target) for each in going if each.kind != "package"]
        packages = [each.target for each in going if each.kind == "package"]
        return msgspec.structs.replace(
            wanted,
            removals=tuple(dict.fromkeys((*wanted.removals, *paths))),
            purges=tuple(dict.fromkeys((*wanted.purges, *packages))),
        )

    def questions(self, found: list[Conflict], machine: Machine, answers: Answers) -> list[Question]:
        """What is to be asked, and was not answered."""
        if self._policy != "ask":
            return []
        asked = [
            Question(
                "conflict",
                _about(each, machine.locations),
                '[conflicts] policy = "remove", or "outrank"',
                optional=True,
            )
            for each in found
            if each.kind in _CAN_GO and not _essential(each, machine)
        ]
        return [question for question in asked if question.text not in answers]

    def staying(self, wanted: Wanted, found: list[Conflict], machine: Machine, answers: Answers) -> list[str]:
        """A line for each that stays. An alias to what goes, or a function that came with it, goes along."""
        staying = [each for each in found if not self._goes(each, machine, answers)]
        around = [
            f"{each.command}: only {machine.locations.shown(each.target)} is removed. {each.around}; to"
            " remove all of it:"
            f' [[conflicts.remove]] path = "{_around(each)}"'
            for each in found
            if each.around and each not in staying
        ]
        return [
            *around,
            *(_told(each, machine.locations) for each in staying if not _along(each, wanted.removals)),
        ]

    def _goes(self, conflict: Conflict, machine: Machine, answers: Answers) -> bool:
        """Whether a conflict is to be removed: it can be, and the policy, or the person, says so."""
        if conflict.kind not in _CAN_GO:
            return False
        if self._policy != "remove" and answers.get(_about(conflict, machine.locations)) != "yes":
            return False
        return not _essential(conflict, machine)


def _around(conflict: Conflict) -> str:
    return conflict.around.partition(" stays, since ")[0]


def _essential(conflict: Conflict, machine: Machine) -> bool:
    """Whether it is a package that the system needs: such a one is outranked."""
    if conflict.kind != "package":
        return False
    return machine.manager is None or machine.manager.goes_with((conflict.target,)) is None


def _about(conflict: Conflict, locations: Locations) -> str:
    """The question about a conflict; its answer is kept under it."""
    package = conflict.kind == "package"
    what = f"the package {conflict.target}" if package else locations.shown(conflict.target)
    more = conflict.around or conflict.holds
    return (
        f"{conflict.command} also resolves to {locations.shown(conflict.origin.path)}: remove"
        f" {what}{f' ({more})' if more else ''} once the new version is verified?"
    )


def _told(conflict: Conflict, locations: Locations) -> str:
    """That a conflict stays."""
    origin = conflict.origin
    what = (
        f"the {origin.kind} {conflict.command}" if conflict.kind == "line" else locations.shown(origin.path)
    )
    whose = f" ({origin.owner})" if origin.owner not in ("", "unknown") else ""
    by = f", by {locations.shown(origin.startup_file)}:{origin.line}" if origin.startup_file else ""
    if conflict.kind == "line":
        return (
            f"{conflict.command}: {what}{whose}{by} shadows it and stays; delete that line if it should not"
        )
    way = {"package": f'package = "{conflict.target}"'}.get(
        conflict.kind, f'path = "{locations.shown(conflict.target)}"'
    )
    told = f"{conflict.command}: {what}{whose}{by} is shadowed and stays"
    return told if conflict.kind == "unknown" else f"{told}; to remove it: [[conflicts.remove]] {way}"


def _along(conflict: Conflict, removals: Iterable[Path]) -> bool:
    """Whether an alias leads into what is removed, or a function was read from there."""
    if conflict.kind != "line":
        return False
    places = (conflict.origin.path.split(" ")[0], conflict.origin.startup_file or "/")
    return any(Path(place).is_relative_to(folder) for place in places for folder in removals)
