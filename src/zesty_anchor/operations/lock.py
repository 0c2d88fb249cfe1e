"""Writing exact versions, addresses and digests beside the manifest."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec

from zesty_anchor.files.digest import digest_of
from zesty_anchor.manifest.lock import Locked, file_beside, read, text_of, write
from zesty_anchor.planning.agreement import agree, is_agreed
from zesty_anchor.planning.choices import chooser
from zesty_anchor.planning.locking import Locker, not_locked
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.resolve import Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.host import host
from zesty_anchor.system.problem import UsageProblem

_KEY = 1
"""Changes when what is kept in the cache changes its form."""


def check_locked(workstation: Workstation) -> None:
    """Raises ``UsageProblem`` where the manifest, or a pin of this folder, asks for what the lock does not
    hold.
    """
    machine = look_at(workstation)
    lacking = not_locked(workstation, machine.host.platform)
    lacking += [
        (f"{each.pin.runtime} {each.pin.want!r}", f"{each.file}:{each.pin.line}")
        for each in chooser(workstation, machine).unmet(workstation.folder)
    ]
    if lacking:
        what, where = lacking[0]
        more = f", nor {len(lacking) - 1} more" if len(lacking) > 1 else ""
        raise UsageProblem(
            f"the lock does not hold {what}{more}",
            where=where,
            advice="zesty-anchor lock writes it; commit workstation.lock with the manifest",
        )


def cache_key(workstation: Workstation) -> str:
    """A text that changes when what a build machine keeps in our cache may no longer serve: with the lock,
    the system and its machine. Raises ``UsageProblem`` where there is no lock.
    """
    if not workstation.lock:
        raise UsageProblem(
            "there is no lock to take the digest of",
            where=str(file_beside(workstation.file)),
            advice="zesty-anchor lock writes it",
        )
    there = host()
    parts = (_KEY, text_of(workstation.lock.values(), workstation.source.pins), there.platform, there.title)
    return digest_of(msgspec.json.encode(parts))


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
    write(file, entries, workstation.source.pins)
    if agreed:  # the person wrote it here, with what they trust already
        agree(msgspec.structs.replace(workstation, lock=read(file)))
    return file, entries
