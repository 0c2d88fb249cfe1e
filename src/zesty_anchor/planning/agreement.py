"""What of a manifest would run something here, and whether the person has agreed to that text."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.changes.question import Question
from zesty_anchor.files import own_folders
from zesty_anchor.files.home_move import HomeMove
from zesty_anchor.files.replace import replace
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.mounts import advice_where_open
from zesty_anchor.system.ownership import in_other_hands
from zesty_anchor.system.problem import UsageProblem

_NAME = "agreed.json"


def what_runs(workstation: Workstation) -> dict[str, object]:
    """All of a manifest by which a text of its author's is run, or a program of theirs, by a word for it. Pure."""
    manifest = workstation.manifest
    found: dict[str, object] = {
        "lines for every shell ([shells] hooks, completions)": (manifest.shells.hooks, manifest.shells.completions),
        "checks": manifest.checks,
        "recipes": manifest.recipes,
        "managers": manifest.managers,
        "programs from its own feeds": {n: (f.kind, f.url, f.key) for n, f in manifest.feeds.items() if f.url},
        "installs that are here already": {n: (r.system, r.alternatives) for n, r in manifest.runtimes.items() if r.system},
        "build options": {n: (r.build, r.extras) for n, r in manifest.runtimes.items() if r.build != type(r.build)() or r.extras},
        "settings of other programs": manifest.settings,
        "package sources and packages": manifest.prerequisites,
        "variables": manifest.variables,
        "folders on PATH": manifest.path,
        "removals": manifest.conflicts.remove,
        "leave to run programs as root": manifest.as_root,
        "an identity": manifest.identity,
    }  # fmt: skip
    empty: tuple[object, ...] = (None, (), {}, [], ({}, {}), type(manifest.prerequisites)(), type(manifest.path)())
    return {word: part for word, part in found.items() if part not in empty}


def check_hands(workstation: Workstation) -> None:
    """Raises ``UsageProblem`` where the manifest is in other hands."""
    file = workstation.file
    hands = "" if workstation.hands_known else in_other_hands(file)
    if hands:
        raise UsageProblem(
            f"{file} is not taken at its word: {hands}",
            where=str(file),
            advice=advice_where_open(file)
            or f"if it is what you want, copy it: cp {file} ~/workstation.toml; then look with: zesty-anchor preview",
        )


def question(workstation: Workstation, trusted: Path | None = None) -> Question | None:
    """What must be asked before anything of the manifest runs; None where there is nothing, or it is agreed to.

    A manifest that stands in the home itself, or in the configuration folder, is the person's own, and so is one that runs
    nothing. ``trusted`` is one that the person has named for this. In whose hands it is tells ``check_hands``.
    """
    file = workstation.file
    parts = what_runs(workstation)
    real = Path(os.path.realpath(file))
    own = {Path(os.path.realpath(folder)) for folder in (workstation.locations.home, workstation.locations.config)}
    if not parts or (real.parent in own and not file.is_symlink()):
        return None
    known = _agreed(workstation).get(str(real))
    if known == _as_kept(parts):
        return None
    if trusted is not None and Path(os.path.realpath(trusted)) == real:
        agree(workstation)
        return None
    since = "was never used on this machine" if known is None else "has changed since you agreed to it"
    return Question(
        "manifest",
        f"{workstation.locations.shown(file)} {since}. It brings {', '.join(parts)}{_news(known, parts)}: shall it be used?",
        f"--trust {file}",
    )


def _news(known: object, parts: dict[str, object]) -> str:
    """What of it is not as it was when the person agreed."""
    if not isinstance(known, dict):
        return ""
    new = [word for word, part in _as_kept(parts).items() if known.get(word) != part]
    return f" (new or changed since then: {', '.join(new)})" if new else " (nothing new since then, and less than then)"


def is_agreed(workstation: Workstation) -> bool:
    """Whether what the manifest names may be run."""
    try:
        check_hands(workstation)
        return question(workstation) is None
    except UsageProblem:
        return False


def agree(workstation: Workstation) -> None:
    """Write down that the person agrees to what it runs now."""
    known = _agreed(workstation)
    known[os.path.realpath(workstation.file)] = _as_kept(what_runs(workstation))
    own_folders.make(workstation.locations.state)
    with suppress(OSError):
        replace(workstation.locations.state / _NAME, msgspec.json.encode(known, order="sorted"), 0o600)


def follow_agreed(state: Path, move: HomeMove) -> None:
    """Have what was agreed to name a home where it is now."""
    with suppress(OSError, msgspec.MsgspecError):
        known = msgspec.json.decode((state / _NAME).read_bytes(), type=dict[str, object])
        replace(state / _NAME, msgspec.json.encode({move.path(f): v for f, v in known.items()}, order="sorted"), 0o600)


def _agreed(workstation: Workstation) -> dict[str, object]:
    """What was agreed to, by the manifest's file."""
    try:
        return msgspec.json.decode((workstation.locations.state / _NAME).read_bytes(), type=dict[str, object])
    except (OSError, msgspec.MsgspecError):
        return {}


def _as_kept(parts: dict[str, object]) -> dict[str, object]:
    """As it is when it was written down and read again. It is kept whole: a digest could not tell what is new, and to fetch
    what makes digests takes longer than this.
    """
    kept: dict[str, object] = msgspec.json.decode(msgspec.json.encode(parts))
    return kept
