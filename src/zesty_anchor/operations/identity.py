"""Reading the public half of a person's key."""

from __future__ import annotations

from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.ssh import key_file


def public_key(workstation: Workstation) -> str:
    """The public half of the key that the manifest's identity means. Raises ``Problem`` where there is
    none.
    """
    identity, locations = workstation.manifest.identity, workstation.locations
    file = key_file(locations.home, (identity.key if identity else None) or "ed25519")
    public = file.with_name(file.name + ".pub")
    if not public.is_file():
        raise Problem(
            f"there is no key at {locations.shown(public)}",
            advice='write key = "ed25519" in [identity], then run: zesty-anchor provision',
        )
    return public.read_text("utf-8").strip()
