"""The change that installs packages of the operating system."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, PlainKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import ALL_PACKAGES, Stage, source_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.manifest.wanted import Wanted, WantedPackage
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import root_store
from zesty_anchor.system.command import Command
from zesty_anchor.system.debconf import PackageLicence
from zesty_anchor.system.package_manager import PackageManager
from zesty_anchor.system.package_managers import package_manager
from zesty_anchor.system.package_source import PackageSource
from zesty_anchor.system.privilege import Access
from zesty_anchor.system.problem import Problem


class PackagesRecord(Record, kw_only=True, tag="package"):
    """The families of this system, the packages that were ``asked`` for, those installed ``before`` (until it
    is done), and those that it ``brought`` (None: it was cut off). ``answered`` are those whose questions
    were answered beforehand.
    """

    families: list[str]
    asked: list[str]
    before: list[str] = msgspec.field(default_factory=list)
    brought: list[str] | None = None
    answered: list[str] = msgspec.field(default_factory=list)


class Errand:
    """What the package manager says of an installation: asked when it is first wanted to be known."""

    def __init__(self, manager: PackageManager, names: tuple[str, ...]) -> None:
        self.manager = manager
        self._names = names

    @cached_property
    def size(self) -> int | None:
        """Bytes to fetch; None where it cannot tell."""
        return self.manager.download_size(self._names)

    @cached_property
    def licences(self) -> tuple[PackageLicence, ...]:
        """Those that the packages ask about."""
        return self.manager.licences(self._names)

    @cached_property
    def commands(self) -> tuple[Command, ...]:
        """The commands, as an administrator could type them."""
        return tuple(self.manager.commands(self._names))


class InstallPackages(BaseChange, frozen=True):
    """Install all that are missing, in one go."""

    missing: tuple[WantedPackage, ...]
    families: tuple[str, ...]
    trouble: str
    way_out: str
    errand: Errand
    sources: frozenset[str] = frozenset()
    answers: Mapping[str, bool | str] = {}
    kind: ClassVar[str] = "package"
    action: ClassVar[str] = "install"
    stage: ClassVar[Stage] = Stage.PREPARE
    touches: ClassVar[frozenset[str]] = frozenset({"packages"})
    privileged: ClassVar[bool] = True
    fetches: ClassVar[bool] = True
    key: ClassVar[str] = ALL_PACKAGES

    @property
    def names(self) -> tuple[str, ...]:
        """The packages."""
        return tuple(package.name for package in self.missing)

    @property
    def subject(self) -> str:
        """The packages, for a person."""
        return ", ".join(self.names)

    @property
    def detail(self) -> str:
        """Who needs each of them."""
        return "; ".join(f"{package.name} for {', '.join(package.needed_by)}" for package in self.missing)

    @property
    def needs(self) -> frozenset[str]:
        """The sources that they may come from."""
        return self.sources

    @property
    def size(self) -> int | None:
        """Bytes to fetch."""
        return self.errand.size

    @property
    def commands(self) -> tuple[Command, ...]:
        """The package manager's own, after what repairs it, and what answers the packages' questions."""
        first: list[Command] = [("sh", "-c", self.way_out)] if self.trouble else []
        answers = self.errand.manager.answering(self.answers, self.errand.licences)
        return (*first, *([answers] if answers else ()), *self.errand.commands)

    @property
    def questions(self) -> tuple[Question, ...]:
        """Whether what somebody left unfinished is to be finished first, and the licences of packages."""
        asked = [
            Question(
                "licence",
                f"the package {each.package} asks: {each.text} Do you accept that?",
                f'[prerequisites.answers] "{each.name}" = true',
                to_read=each.to_read,
            )
            for each in self.errand.licences
            if each.name not in self.answers
        ]
        if self.trouble:
            text = f"{self.trouble}; finish that first ({self.way_out})?"
            asked.insert(0, Question("packages", text, "--yes", safe=True))
        return tuple(asked)

    def prepare(self, bench: Bench) -> PackagesRecord:
        """Write down what is installed."""
        return PackagesRecord(
            privileged=True,
            families=list(self.families),
            asked=list(self.names),
            before=sorted(self.errand.manager.all_installed()),
            answered=sorted({each.package for each in self.errand.licences} | self._owners),
        )

    @property
    def _owners(self) -> set[str]:
        return {name.partition("/")[0] for name in self.answers}

    def carry_out(self, bench: Bench, record: PackagesRecord) -> None:
        """Install them."""

        def told(what: str, done: int, total: int) -> None:
            bench.told(self.key, f"{what}, {done} %" if done else what)

        manager = self.errand.manager
        failed = bench.as_root(root_store.note(bench.run, "packages-before", "\n".join(record.before)))
        if failed:
            bench.remark(
                f"undo will leave the packages: what is installed could not be noted, since {failed}"
            )
        licences = self._accepted()
        record.answered = sorted({*record.answered, *(each.package for each in licences)})
        answers = manager.answering(self.answers, licences)
        if answers is not None and (why := bench.as_root([answers])):
            raise Problem(f"the questions of packages could not be answered: {why}", where="debconf")
        try:
            manager.install(self.names, bench.run_privileged, told, bench.log / "packages.log")
        finally:
            record.brought = sorted(manager.all_installed() - set(record.before))
            if not failed:
                bench.as_root(root_store.note(bench.run, "packages-brought", "\n".join(record.brought)))

    def _accepted(self) -> tuple[PackageLicence, ...]:
        """The licences that the packages ask about. Raises ``Problem`` where one was refused, or nobody was
        asked about it.
        """
        # Of a source that this run has added, the packages are known from now on only.
        licences = self.errand.manager.licences(self.names) if self.sources else self.errand.licences
        for each in licences:
            if self.answers.get(each.name) is False:
                raise Problem(
                    f"the package {each.package} is not installed: the manifest refuses its licence",
                    where=each.name,
                    advice="take the package out of [prerequisites], or accept its licence",
                )
            if each.name not in self.answers and each not in self.errand.licences:
                raise Problem(
                    f"the package {each.package} asks whether you accept its licence: {each.text}",
                    where="no package was installed",
                    advice=f'if you do, write [prerequisites.answers] "{each.name}" = true',
                )
        return licences


class Packages(PlainKind):
    """The kind."""

    name = "package"
    heading = Heading.SYSTEM
    record = PackagesRecord

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[InstallPackages]:
        """One change for all that are missing. Raises ``Problem`` for a package that someone has put on
        hold.
        """
        facts, manager = machine.packages, machine.manager
        if facts is None or manager is None:
            return
        held = [package.name for package in wanted.packages if package.name in facts.held]
        if held:
            raise Problem(
                f"the package {held[0]} is on hold, so it is not installed",
                where=facts.held_where,
                advice=f"{facts.release[held[0]]}   (or take it out of the manifest)",
            )
        missing = tuple(package for package in wanted.packages if package.name not in facts.installed)
        if missing:
            sources = frozenset(source_key(source.name) for source in wanted.sources)
            for each in wanted.sources:
                if each.alone:
                    place = PackageSource(each.name, each.url, "", each.suite, each.components)
                    manager = manager.taking_from(place)
            errand = Errand(manager, tuple(package.name for package in missing))
            yield InstallPackages(
                missing, machine.host.families, facts.trouble, facts.way_out, errand, sources, wanted.answers
            )

    def take_back(self, record: PackagesRecord, bench: Bench) -> Reverted:
        """Only what this change put in goes, and of that only what nothing else needs."""
        manager = package_manager(record.families, bench.environ)
        if manager is None:
            return WHOLE
        came = _came(manager, bench.run)
        if came is None:
            here = [name for name in record.asked if name in manager.all_installed()]
            stay = (
                f"the packages {', '.join(here)} stay: {root_store.folder(bench.run)} does not say that they"
                " came with this run"
            )
            return Reverted((stay,) if here else ())
        going, holding = manager.removable(came)
        told = [
            f"the package {name} stays: {', '.join(holding[name][:5])} would go with it"
            for name in record.asked
            if name in holding
        ]
        others = [name for name in holding if name not in record.asked]
        if others:
            told.append(f"and so do packages that came with it: {', '.join(others)}")
        if not going:
            bench.as_root([root_store.clear(bench.run, "packages-*")])
            return Reverted(tuple(told))
        bench.run_privileged(manager.removal(going), lambda line: None)
        left = [name for name in going if name in manager.all_installed()]
        if left:
            typed = Access("").shown(manager.typed_removal(left))
            told.append(f"the packages could not be removed; an administrator can: {typed}")
        else:
            there = manager.all_installed()
            forget = manager.forgetting([name for name in record.answered if name not in there])
            bench.as_root([*([forget] if forget else ()), root_store.clear(bench.run, "packages-*")])
        return Reverted(tuple(told), whole=not left)


def _came(manager: PackageManager, run: str) -> list[str] | None:
    """What came with a run, as root has noted it: of one that was cut off, what was not there before. None
    where nothing that can be believed tells it.
    """
    brought, before = root_store.noted(run, "packages-brought"), root_store.noted(run, "packages-before")
    if brought is not None:
        return brought.split()
    return None if before is None else sorted(manager.all_installed() - set(before.split()))
