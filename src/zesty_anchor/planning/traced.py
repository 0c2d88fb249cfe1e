"""What is told of all that answers to a name."""

from __future__ import annotations

import msgspec

from zesty_anchor.planning.choices import Choice
from zesty_anchor.planning.elsewhere import RunElsewhere
from zesty_anchor.survey.installs_there import InstallThere
from zesty_anchor.survey.startup.provenance import Origin


class Traced(msgspec.Struct, frozen=True):
    """Everything with one name in new shells, and what decided the version if it is one of the
    manifest's. ``here`` is what the calling environment runs (empty: nothing, or no command), ``cut_off``
    are shells that never became ready, with the reason. ``asked`` are the shells and ways of starting
    them, ``installs`` all installations of the runtime, ``elsewhere`` what runs where no shell of
    a terminal is started.
    """

    name: str
    answers: tuple[Origin, ...]
    here: str
    cut_off: tuple[str, ...]
    decided: Choice | None
    asked: tuple[tuple[str, str], ...] = ()
    installs: tuple[InstallThere, ...] = ()
    elsewhere: tuple[RunElsewhere, ...] = ()
