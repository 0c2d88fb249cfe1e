"""What is told of all that answers to a name."""

from __future__ import annotations

import msgspec

from zesty_anchor.planning.choices import Choice
from zesty_anchor.survey.installs_there import InstallThere
from zesty_anchor.survey.startup.provenance import Origin


class Traced(msgspec.Struct, frozen=True):
    """All that answers to one name in new shells, and what decided the version where it is one of the
    manifest's.

    ``here`` is what answers in the environment that we were called from (empty: nothing, or it is not a
    command), ``cut_off`` are shells that never became ready, with the reason. ``asked`` are the shells with
    their ways of starting, ``installs`` those of the runtime that the name is of, first ours.
    """

    name: str
    answers: tuple[Origin, ...]
    here: str
    cut_off: tuple[str, ...]
    decided: Choice | None
    asked: tuple[tuple[str, str], ...] = ()
    installs: tuple[InstallThere, ...] = ()
