"""The planner: compares what is wanted with what is there. The only way to a plan."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.changes.change import Change, Concerned, Stage, version_key
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.outcome import ChangeReport
from zesty_anchor.engine.questions import gather
from zesty_anchor.manifest.wanted import Wanted, WantedVersion, mistyped
from zesty_anchor.planning.carry import Carry
from zesty_anchor.planning.conflicts import Conflicts
from zesty_anchor.planning.hooks import check_hooks
from zesty_anchor.planning.look import wanted_of
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.plan import Plan, in_order
from zesty_anchor.planning.promised import Promised, differences, gone, promised, read
from zesty_anchor.planning.resolve import Asked, Missing, Resolver
from zesty_anchor.planning.standing import Known, with_targets
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.stable import texts
from zesty_anchor.survey.machine import Machine, left_out
from zesty_anchor.system.host import own_authorities
from zesty_anchor.system.privilege import NO_ACCESS, Access
from zesty_anchor.system.problem import Problem

_MOST = 5
"""How many names are told."""


class Planner:
    """Makes the plans of one command. It writes nothing, and uses no privilege.

    ``more`` are wants beside those of the manifest. ``find_access`` finds the way to privilege; it is asked
    once, and only where something needs privilege. ``deep`` has each file of a version read to tell whether
    it is damaged.
    """

    def __init__(
        self,
        workstation: Workstation,
        concerned: Concerned,
        offers: Offers,
        find_access: Callable[[], Access],
        more: tuple[Asked, ...] = (),
        *,
        deep: bool = False,
        targets: Known | None = None,
    ) -> None:
        self._targets = targets or {}
        self._workstation = workstation
        self._concerned = concerned
        self._offers = offers
        self._resolver = Resolver(workstation, offers, more, deep=deep)
        self._conflicts = Conflicts(workstation.manifest)
        self._carry = Carry(workstation)
        self._find_access = find_access
        self.access: Access | None = None
        """The way to privilege, once it was asked for. Whoever gets a password from the person puts it here.
        """
        self.lines: tuple[frozenset[Path], frozenset[Path]] = (frozenset(), frozenset())
        """The startup files in which our line is to stand below all others, since new shells showed that
        one of those wins; and those where it is to stand above what ends their reading.
        """
        self.place_of = workstation.place

    def plan(
        self,
        machine: Machine,
        known: Known,
        answers: Mapping[str, str] | None = None,
        given_up: Collection[str] | None = None,
    ) -> Plan:
        """What is missing. Feeds are asked for what does not stand."""
        return self._plan(machine, known, answers, given_up, None)

    def compare(self, machine: Machine, known: Known) -> Plan:
        """The same, as far as it can be told without asking any feed; the versions that do not stand are
        told.
        """
        return self._plan(machine, known, None, None, [])

    def _plan(
        self,
        machine: Machine,
        known: Known,
        answers: Mapping[str, str] | None,
        given_up: Collection[str] | None,
        missing: list[Missing] | None,
    ) -> Plan:
        """What is missing.

        ``known`` is what wants were resolved to before, ``answers`` what a person said to the questions about
        conflicts, by their texts. ``given_up`` are the keys of changes that failed, or that wait for one that
        did, in a work that has begun: what cannot be had is then left out, and told. Raises ``Problem`` where
        no plan can be made.
        """
        if given_up is None and (
            self._workstation.manifest.shells.hooks or self._workstation.manifest.recipes
        ):
            check_hooks(self._workstation, machine)
        problems: dict[str, Problem] | None = None if given_up is None else {}
        known = with_targets(known, self._targets)
        versions = self._resolver.versions(machine, known, failing=problems, missing=missing)
        had, stuck = _without(versions, machine, given_up or ())
        wanted = msgspec.structs.replace(
            wanted_of(self._workstation, had, machine), lines_last=self.lines[0], lines_first=self.lines[1]
        )
        found = self._conflicts.found(wanted, machine)
        wanted = self._conflicts.added(wanted, found, machine, answers or {})
        carried = self._carry.found(wanted, machine) if missing is None else []
        wanted = self._carry.added(wanted, carried, answers or {})
        last = (
            Stage.OBTAIN if stuck else Stage.SHELL if _may_be_missed(wanted, versions, had) else Stage.CLEAR
        )
        kinds = self._concerned(wanted, machine)
        facts = {kind.name: kind.look(wanted, machine) for kind in kinds}
        changes = in_order(change for kind in kinds for change in kind.plan(wanted, facts[kind.name]))
        notices = [text for kind in kinds for text in kind.notices(wanted, facts[kind.name])]
        before = read(self._workstation.past.promised)
        now = promised(self._workstation.manifest, wanted, self._workstation.source.bases)
        given = self._access(changes)
        beyond = {change.key for change in changes if change.privileged and not given.way}
        return Plan(
            wanted=wanted,
            changes=tuple(changes),
            beyond=frozenset(beyond),
            questions=(
                *as_root(self._workstation, changes),
                *(self._other_manifest(before, now) if changes else ()),
                *(self._conflicts.questions(found, machine, answers or {}) if changes else ()),
                *(self._carry.questions(carried, answers or {}) if changes else ()),
                *gather(changes, given),
            ),
            notices=(
                *notices,
                *self._conflicts.staying(wanted, found, machine, answers or {}),
                *self._passed_over(machine),
                *self._in_the_home_itself(changes),
            ),
            errands=tuple(
                given.shown(word) for change in changes if change.key in beyond for word in change.commands
            ),
            commands=tuple(given.shown(word) for change in changes for word in change.commands),
            failed=tuple(self._failed(name, problem) for name, problem in (problems or {}).items()),
            missing=tuple(missing or ()),
            differences=differences(before, now) if before else (),
            last=last,
        )

    def _other_manifest(self, before: Promised, now: Promised) -> Iterator[Question]:
        """Whether this manifest is to take the place of the one that this home was provisioned from, where
        something of that would go.
        """
        workstation = self._workstation
        other, lost = workstation.past.manifest, gone(before, now)
        if other is not None and lost and other != workstation.file and other.is_file():
            shown = workstation.locations.shown
            named = ", ".join(lost[:_MOST]) + (f" and {len(lost) - _MOST} more" if len(lost) > _MOST else "")
            text = (
                f"this home was provisioned from {shown(other)}; with {shown(workstation.file)} in its place,"
                f' {named} would go (to have both: base = "{shown(other)}" in it): go on?'
            )
            yield Question("other-manifest", text, "--yes", safe=True)

    def _access(self, changes: Iterable[Change]) -> Access:
        if self.access is None and any(change.privileged for change in changes):
            self.access = self._find_access()
        return self.access or NO_ACCESS

    def _failed(self, name: str, problem: Problem) -> ChangeReport:
        tool = self._workstation.manifest.tools[name]
        subject = f"{name} {tool.want} through {tool.through}"
        return ChangeReport(
            "managed-version", subject, "install", "", "failed", problem.what, problem.where, problem.advice
        )

    def _passed_over(self, machine: Machine) -> list[str]:
        notices = []
        if self._workstation.manifest.prerequisites.packages and machine.manager is None:
            title = machine.host.title
            notices.append(f"[prerequisites] is passed over: no known package manager is on {title}")
        manifest = self._workstation.manifest
        notices += self._untrusted()
        if manifest.shells.use == "all":
            notices += [f"{name} is left out: {reason}" for name, reason in left_out(machine).items()]
        notices += mistyped(manifest.variables, manifest.tools)
        settings = {f"[[settings]] of {each.file}": " ".join(texts(each.value)) for each in manifest.settings}
        notices += mistyped(settings, [*manifest.tools, *(f"{name}.stable" for name in manifest.tools)])
        return [*notices, *self._offers.notices()]

    def _in_the_home_itself(self, changes: Iterable[Change]) -> list[str]:
        """Foreign programs that cannot work in a layer over the home, since the system allows none."""
        names = [change.subject for change in changes if change.layered]
        if not names:
            return []
        from zesty_anchor.changes.runtimes.foreign import layers_allowed
        from zesty_anchor.system.namespaces import way_to_allow

        if layers_allowed(self._workstation.locations.home):
            return []
        return [
            f"user namespaces are closed here, so there is no layer over your home, and {', '.join(names)}"
            f" works in the home itself: let nothing else write there meanwhile, or {way_to_allow()}"
        ]

    def _untrusted(self) -> list[str]:
        """Whether the system has certificate authorities that the runtimes' own tools do not know."""
        trust, recipes = self._workstation.manifest.trust, self._workstation.recipes
        names = [name for name, recipe in recipes.items() if recipe.trust]
        if trust.system is not None or trust.file is not None or not names:
            return []
        added = own_authorities()
        if not added:
            return []
        return [
            f"{added[0]} is trusted by this system, and not by the tools of {', '.join(names)}; to have them"
            " trust it: [trust] system = true in the manifest (false: no note)"
        ]


def _without(
    versions: tuple[WantedVersion, ...], machine: Machine, given_up: Collection[str]
) -> tuple[tuple[WantedVersion, ...], bool]:
    """The versions without those that could not be had; and whether that would take one from shells that use
    it in favour of none, or leave nothing: then all of them, and the shells stay as they are.
    """
    absent = [
        v for v in versions
        if version_key(v.runtime, v.version) in given_up and (v.runtime, v.version) not in machine.shelf
    ]  # fmt: skip
    if not absent:
        return versions, False
    rest = tuple(version for version in versions if version not in absent)
    # Files of ours name a runtime's folder also where none of it has ever stood there: they look for what a
    # project pins.
    stands = {runtime for runtime, _ in machine.shelf}
    lost = {version.runtime for version in absent if version.default}
    used = b"".join(file.content or b"" for file in machine.generated.values())
    if not rest or any(os.fsencode(machine.locations.shelf / name) + b"/" in used for name in lost & stands):
        return versions, True
    return tuple(version for version in rest if version.default or version.runtime not in lost), False


def _may_be_missed(
    wanted: Wanted, versions: tuple[WantedVersion, ...], had: tuple[WantedVersion, ...]
) -> bool:
    """Whether what is to go may be all that answers to a command of a runtime that could not be had."""
    if had == versions:
        return False
    if wanted.purges or wanted.alternatives:
        return True
    here = {version.runtime for version in had}
    commands = [command for v in versions if v.runtime not in here for command in v.recipe.commands]
    folders = [folder / part for folder in wanted.removals for part in ("", "bin", "sbin")]
    return any((folder / command).exists() for folder in folders for command in commands)


def as_root(workstation: Workstation, work: Collection[object]) -> tuple[Question, ...]:
    """As root nothing that came from a feed may run, unless the manifest, or the person, allows it."""
    manifest = workstation.manifest
    if os.geteuid() != 0 or manifest.as_root == "allowed" or not manifest.tools or not work:
        return ()
    return (
        Question(
            "as-root",
            "this runs as root, and so would the programs from the feeds when they are verified: allow it?",
            'as-root = "allowed" (at the top of the manifest), or run it as another user',
        ),
    )
