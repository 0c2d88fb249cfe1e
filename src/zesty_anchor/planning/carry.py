"""Packages that a person installed by hand, taken along when the default version of a runtime moves."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import msgspec

from zesty_anchor.changes.question import Question
from zesty_anchor.manifest.wanted import Wanted, WantedExtra, WantedVersion
from zesty_anchor.planning.promised import read
from zesty_anchor.planning.uses import by_hand
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.packages import Package

Answers = Mapping[str, str]
"""What a person said to the questions, yes or no, by their texts."""


class Carried(msgspec.Struct, frozen=True):
    """The packages of one version that may go along to a newer default."""

    runtime: str
    before: str
    after: str
    packages: tuple[Package, ...]

    @property
    def question(self) -> str:
        """What is asked."""
        names = ", ".join(package.text for package in self.packages)
        return f"install in {self.runtime} {self.after} what you installed in {self.before} ({names})?"


class Carry:
    """What is taken along by one command's plans. Once a version has come, what was found for it stays."""

    def __init__(self, workstation: Workstation) -> None:
        self._workstation = workstation
        self._before = read(workstation.past.promised).get("version", {})
        self._found: dict[tuple[str, str], Carried] = {}

    def found(self, wanted: Wanted, machine: Machine) -> list[Carried]:
        """For each default version that takes the place of another one, what that one has and it has not."""
        for version in wanted.versions:
            key = version.runtime, version.version
            if key not in self._found and self._moves(version, machine):
                before = self._before[version.runtime]
                there = {package.name for package in by_hand(self._workstation, *key)}
                packages = by_hand(self._workstation, version.runtime, before)
                self._found[key] = Carried(
                    *(version.runtime, before, version.version),
                    tuple(package for package in packages if package.name not in there),
                )
        return [each for each in self._found.values() if each.packages]

    def added(self, wanted: Wanted, found: list[Carried], answers: Answers) -> Wanted:
        """What is wanted, with the packages that go along. One that is asked about goes unless the answer is
        no: the question comes first.
        """
        going = {
            (each.runtime, each.after): tuple(self._extras(each))
            for each in found
            if answers.get(each.question) != "no"
        }
        return msgspec.structs.replace(
            wanted,
            versions=tuple(
                msgspec.structs.replace(version, extras=(*version.extras, *going[key]))
                if (key := (version.runtime, version.version)) in going
                else version
                for version in wanted.versions
            ),
        )

    def questions(self, found: list[Carried], answers: Answers) -> Iterator[Question]:
        """What is to be asked, and was not answered."""
        for each in found:
            asks = self._workstation.manifest.tools[each.runtime].carry == "ask"
            if asks and each.question not in answers:
                key = f'[runtimes.{each.runtime}] carry = "yes" or "no"; --yes says yes'
                yield Question("carry", each.question, key, safe=True, optional=True)

    def _moves(self, version: WantedVersion, machine: Machine) -> bool:
        """Whether a version takes the place of another default that is still installed."""
        before = self._before.get(version.runtime, "")
        tool = self._workstation.manifest.tools[version.runtime]
        return (
            version.default
            and tool.carry != "no"
            and not version.through
            and before != version.version
            and (version.runtime, before) in machine.shelf
        )

    def _extras(self, each: Carried) -> Iterator[WantedExtra]:
        there = {package.name for package in by_hand(self._workstation, each.runtime, each.after)}
        for package in each.packages:
            if package.name not in there:
                yield WantedExtra(package.text, package.name, package.version, carried=True)
