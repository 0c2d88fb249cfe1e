"""Asking fresh shells whether the machine is as the manifest says."""

from __future__ import annotations

from zesty_anchor.engine.questions import settle
from zesty_anchor.operations.agreed import agreed
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.look import look_at, wanted_of
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.planner import as_root
from zesty_anchor.planning.resolve import Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.proof.prove import prove
from zesty_anchor.proof.result import Proof


def verify(workstation: Workstation, person: Person) -> Proof:
    """Ask them. Raises ``NotProvisioned`` where a version is missing from the shelf."""
    agreed(workstation, person)
    machine = look_at(workstation)
    resolver = Resolver(workstation, Offers(workstation))
    versions = resolver.versions(machine, workstation.past.resolutions, obtainable=False)
    settle(as_root(workstation, versions), person.asker, yes=person.yes)
    return prove(wanted_of(workstation, versions, machine), machine, person.jobs)
