"""What is installed, what has changed since, and what is pending: what ``status`` reports."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from zesty_anchor.planning.newer import Newer
from zesty_anchor.proof.verified import State


class ChangedSince(msgspec.Struct, frozen=True):
    """A file or a folder that is not as the last run left it, and how it differs."""

    place: str
    what: str


class Status(msgspec.Struct, frozen=True):
    """The state of this home, by what is on disk alone: no shell is started and no feed is asked.

    ``state`` and ``exit`` are those of ``verify``. ``run`` is the latest run that was not undone (0: none),
    ``at`` when it began (seconds since 1970), ``manifest`` its file, ``versions`` the default version of each
    runtime. ``verified_at`` is when new shells were asked last (0: never), ``shells`` those that were,
    ``failing`` the checks that failed, each as SHELL: CHECK. ``changed`` is what is not as it was left,
    ``pending`` what the next provision would finish. ``newer`` is what feeds answered at ``asked_at`` (0:
    they were not asked). ``free`` is the space in the home's file system, in bytes.
    """

    state: State
    exit: int
    manifest: str
    run: int
    at: float
    versions: Mapping[str, str]
    verified_at: float
    shells: tuple[str, ...]
    failing: tuple[str, ...]
    changed: tuple[ChangedSince, ...]
    pending: tuple[str, ...]
    newer: tuple[Newer, ...]
    asked_at: float
    free: int
