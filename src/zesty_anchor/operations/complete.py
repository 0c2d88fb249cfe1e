"""What can be completed at a prompt: runtimes and versions, from the manifest and the shelf; no feed is asked."""

from __future__ import annotations

from zesty_anchor.manifest.version import Version
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.workstation import Workstation

_WORDS = ("lts", "latest", "system")


def versions(workstation: Workstation, runtime: str) -> list[str]:
    """The versions on the shelf, newest first, and the words that stand for one."""
    here = (version for name, version in look_at(workstation).shelf if name == runtime)
    return [*sorted(here, key=Version, reverse=True), *_WORDS]
