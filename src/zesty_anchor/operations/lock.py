"""Writing exact versions, addresses and digests beside the manifest."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec

from zesty_anchor.manifest.lock import Locked, file_beside, read, write
from zesty_anchor.planning.agreement import agree, is_agreed
from zesty_anchor.planning.locking import Locker
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.resolve import Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.problem import UsageProblem


def lock(
    workstation: Workstation, platforms: Sequence[str], upgrade: Sequence[str]
) -> tuple[Path, list[Locked]]:
    """Lock the wants, for these platforms too, and resolve the runtimes in ``upgrade`` anew.

    Returns the file, and what it holds. Raises ``UsageProblem`` for a runtime that the manifest does not
    have.
    """
    unknown = [name for name in upgrade if name not in workstation.manifest.tools]
    if unknown:
        raise UsageProblem(f"the manifest has no runtime {unknown[0]!r}", where=str(workstation.file))
    resolver = Resolver(workstation, Offers(workstation))
    entries = Locker(workstation, resolver).anew(look_at(workstation), platforms, upgrade)
    file = file_beside(workstation.file)
    agreed = is_agreed(workstation)
    write(file, entries)
    if agreed:  # the person wrote it here, with what they trust already
        agree(msgspec.structs.replace(workstation, lock=read(file)))
    return file, entries
