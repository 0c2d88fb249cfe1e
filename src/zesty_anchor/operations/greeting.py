"""The line that the first new shell after a run prints."""

from __future__ import annotations

from contextlib import suppress

from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.files.replace import replace
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.locations import Locations


def greet(workstation: Workstation, outcome: Outcome) -> None:
    """Have the next interactive shell say which versions a run installed, where the manifest allows it."""
    new = [each.subject for each in outcome.changes if each.kind == "version" and each.outcome == "done"]
    if new and workstation.manifest.shells.greeting:
        replace(workstation.locations.greeting, f"{sentence(new)}\n".encode(), lasting=False)


def sentence(new: list[str]) -> str:
    """What is said of new versions, each as ``NAME VERSION``. Pure."""
    more = "" if len(new) == 1 else f" and {new[1]}" if len(new) == 2 else f" and {len(new) - 1} more"
    return f"{new[0]}{more} {'is' if len(new) == 1 else 'are'} new here; `za list` shows all"


def forget(locations: Locations) -> None:
    """Nothing is new any more: the run was undone."""
    with suppress(OSError):
        locations.greeting.unlink()
