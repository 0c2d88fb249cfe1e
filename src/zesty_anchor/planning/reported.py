"""All that is told of a workstation at once: what was asked for, what stands, what was proved, and what was
done.
"""

from __future__ import annotations

import msgspec

from zesty_anchor.changes.kept import Kept
from zesty_anchor.engine.past_runs import PastRun
from zesty_anchor.proof.verified import Verified
from zesty_anchor.survey.findings import Trouble
from zesty_anchor.survey.startup.past_costs import PastCost
from zesty_anchor.survey.startup.provenance import Origin


class Asked(msgspec.Struct, frozen=True):
    """What the manifest asks for, by its key: ``runtimes.kelp``, and in words."""

    key: str
    text: str


class Stands(msgspec.Struct, frozen=True):
    """An installed version: the wants that it was installed for (none: not in the manifest), what decides
    that it is active, and where it comes from. ``digest`` and ``signed_by`` are empty if the feed has
    none.
    """

    runtime: str
    version: str
    wants: tuple[str, ...]
    decided_by: str
    folder: str
    feed: str
    url: str
    digest: str
    signed_by: str
    on: str = ""
    extras: tuple[str, ...] = ()


class ToDo(msgspec.Struct, frozen=True):
    """What to do: a command or an edit, and why."""

    fix: str
    why: tuple[str, ...]


class Report(msgspec.Struct, frozen=True):
    """Everything at once. ``at`` is when it was made (seconds since 1970), ``digest`` the SHA-256 of the
    manifest, ``path`` the entries of PATH in new shells, ``costs`` the last measurement of shell starts,
    and ``next`` what to do, most urgent first.
    """

    at: float
    program: str
    system: str
    platform: str
    title: str
    manifest: str
    digest: str
    asked: tuple[Asked, ...]
    stands: tuple[Stands, ...]
    verified: Verified
    path: tuple[Origin, ...]
    troubles: tuple[Trouble, ...]
    runs: tuple[PastRun, ...]
    kept: tuple[Kept, ...]
    costs: PastCost | None
    next: tuple[ToDo, ...]
