"""Installing versions beside those of the manifest, because a choice of version needs them."""

from __future__ import annotations

from collections.abc import Sequence

from zesty_anchor.changes.question import Question
from zesty_anchor.feeds.release import choose
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.pin import Pin
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want, nearest
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.provision import provision
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.resolve import Asked
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem, UsageProblem

_INSTALLING = ("version", "managed-version")


def may(person: Person, question: str) -> bool:
    """Ask for a yes, where there is somebody to ask."""
    return person.asker is not None and person.asker.yes(
        Question("install", question, "--install", safe=True)
    )


def bring(workstation: Workstation, person: Person, asked: Sequence[Asked]) -> None:
    """Install versions. Raises ``Problem`` where that fails. Checks that fail in new shells are not about
    that: they are reported.
    """
    outcome = provision(workstation, person, more=asked)
    failed = next((c for c in outcome.changes if c.outcome == "failed"), None)
    if failed is not None:
        raise Problem(
            failed.problem, where=failed.where, advice=failed.advice or "zesty-anchor provision tells more"
        )
    waiting = next((c for c in outcome.changes if c.outcome == "skipped" and c.kind in _INSTALLING), None)
    if waiting is not None:
        raise Problem(
            f"{waiting.subject} was not installed: {waiting.problem}", advice="run: zesty-anchor provision"
        )
    if outcome.proof is not None and outcome.proof.failures:
        checks = {check.name for _, check in outcome.proof.failures}
        person.reporter.warned(
            f"{len(checks)} {'check' if len(checks) == 1 else 'checks'} failed in new shells; for the causes,"
            " run: zesty-anchor verify"
        )


def installed(
    workstation: Workstation,
    person: Person,
    machine: Machine,
    asked: Asked,
    *,
    install: bool = False,
) -> str:
    """The installed version that a want means, by the name of its folder on the shelf.

    Where none does, it is installed if ``install`` says so, or the person. Raises ``Problem`` where none is
    there then.
    """
    runtime, want = asked.runtime, asked.want
    workstation.check_runtime(runtime)
    refuse_manager(workstation, runtime)
    check_want(want)
    for again in (False, True):
        here = [receipt for (name, _), receipt in machine.shelf.items() if name == runtime]
        version = Pin(runtime, want, 1).choose(here, "")
        if version is not None:
            return next(
                (f for (n, f), r in machine.shelf.items() if (n, r.version) == (runtime, version)), version
            )
        if again or not (install or may(person, f"{runtime} {want} is not installed; install it now?")):
            break
        bring(workstation, person, [asked])
        machine = look_at(workstation)
    versions = ", ".join(sorted((receipt.version for receipt in here), key=Version)) or "none"
    if close := _nearest(workstation, machine, runtime, want):
        raise UsageProblem(
            f"no version of {runtime} matches {want!r}",
            where=asked.place or f"installed: {versions}",
            advice=f"the nearest: {', '.join(close)}; zesty-anchor list {runtime} shows all",
        )
    raise Problem(
        f"{runtime} {want} is not installed",
        where=f"installed: {versions}",
        advice="the same command with --install installs it first",
    )


def newest_of(workstation: Workstation, machine: Machine, asked: Asked) -> Asked:
    """The newest version that the feeds have for a want, asked for exactly; the want itself where no feed
    answers, or has none.
    """
    workstation.check_runtime(asked.runtime)
    check_want(asked.want)
    if asked.want == SYSTEM:
        return asked
    try:
        offered = Offers(workstation).releases(asked.runtime, machine)
    except Problem:
        return asked
    chosen = choose(Want(asked.want), [release for release in offered if not release.lacking])
    return asked._replace(want=chosen.version) if chosen is not None else asked


def _nearest(workstation: Workstation, machine: Machine, runtime: str, want: str) -> list[str]:
    """The versions nearest to a want that no feed has a version for; empty where one has, or none could be
    asked.
    """
    try:
        offered = [
            release for release in Offers(workstation).releases(runtime, machine) if not release.lacking
        ]
    except Problem:
        return []
    return [] if choose(Want(want), offered) else nearest(want, (release.version for release in offered))


def check_want(want: str) -> None:
    """Raises ``UsageProblem`` where a text is no want."""
    try:
        Want(want)
    except ValueError as error:
        raise UsageProblem(str(error)) from None


def refuse_manager(workstation: Workstation, name: str) -> None:
    """Raises ``UsageProblem`` for a manager: there is one version of it, for all."""
    if name in workstation.manifest.managers:
        raise UsageProblem(
            f"{name} is a manager, and is not switched",
            where=str(workstation.file),
            advice=f"write another want in [managers.{name}], then run: zesty-anchor provision",
        )
