"""What a verification came to: what stands otherwise than the manifest says, and what new shells
answered.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from zesty_anchor.proof.result import CheckResult, Proof, ShellResult

PROVISION = "zesty-anchor provision"
"""The command that repairs what we wrote."""


def may_be_fixed(check: CheckResult) -> bool:
    """Whether ``verify --fix`` has something to try for a check that failed. Pure."""
    return check.fix.startswith(PROVISION) or (check.cause is not None and check.cause.is_startup_line)


class Drift(msgspec.Struct, frozen=True):
    """One difference from the manifest. ``state`` is ``pending`` if it is not provisioned yet,
    ``changed`` if it was changed since installation; ``what`` describes it, ``place`` is the file, or the
    line of the manifest.
    """

    kind: str
    subject: str
    action: str
    state: Literal["pending", "changed"]
    what: str
    place: str
    fix: str = PROVISION


State = Literal["ok", "pending", "changed", "failing"]
EXITS: dict[State, int] = {"ok": 0, "pending": 3, "failing": 4, "changed": 6}
"""The exit status of each state: the manifest asks for more than was provisioned; a shell does not answer as
it should; somebody changed what we wrote.
"""


class Offer(msgspec.Struct, frozen=True):
    """A fix that ``verify --fix`` offers: the ``place`` of the cause, what it does, and the diff."""

    place: str
    text: str
    diff: str


class Verified(msgspec.Struct, frozen=True):
    """The result of a verification. ``versions`` are those that were checked, ``drift`` what differs from
    the manifest, ``shells`` the checks in new shells; ``state`` is the worst of them, ``exit`` its exit
    status, ``seconds`` the time it took. ``verified_at`` is when the checks ran (seconds since 1970), if
    they were not repeated because nothing relevant has changed (0: just now). ``fixes`` are edits of the
    person's files that helped in a copy of the home. ``notes`` are sentences: on versions whose support has
    ended, or that were withdrawn (where ``[support] ended`` is "fail" they make it failing), and on what
    leads a runtime elsewhere.
    """

    ok: bool
    state: State
    exit: int
    versions: tuple[str, ...]
    drift: tuple[Drift, ...]
    shells: tuple[ShellResult, ...]
    seconds: float = 0.0
    verified_at: float = 0.0
    fixes: tuple[Offer, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def proof(self) -> Proof:
        """What new shells answered."""
        return Proof(all(each.ok for each in self.shells), self.shells)
