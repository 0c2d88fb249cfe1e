"""What was proved before, so that a provision asks again only what has changed since.

Kept beside the journal, and worth no more than the time that it saves: what cannot be read was not proved.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.files.replace import replace
from zesty_anchor.proof.result import ShellResult
from zesty_anchor.shelf.receipt import EXTRAS_NAME, FILE_NAME

if TYPE_CHECKING:
    from zesty_anchor.manifest.wanted import WantedVersion
    from zesty_anchor.proof.conditions import Conditions
    from zesty_anchor.proof.question import Question

_NAME, _PROOF = "proved.json", "proof.json"
_FORMAT = 1


class _Kept(msgspec.Struct):
    """What stands in the file."""

    known: dict[str, frozenset[str]] = {}
    conditions: dict[str, str] = {}
    format: int = _FORMAT
    baseline: dict[str, str] | None = None


class Proved(msgspec.Struct):
    """The identities of the questions that were answered well, by the folder of the version that they hang
    on, the conditions under which all was well (none: it was not), and what failed before anything was
    changed (``proof.baseline``; None: nothing was provisioned yet).
    """

    file: Path
    known: Mapping[str, frozenset[str]] = {}
    conditions: Conditions = {}
    baseline: Mapping[str, str] | None = None
    written: _Kept | None = None
    """What this process has written since."""

    def holds(self, version: WantedVersion, identity: str) -> bool:
        """Whether a question was answered well, with this identity, by this version."""
        return identity in self.known.get(str(version.folder), frozenset())

    def write(
        self,
        known: Mapping[str, frozenset[str]] | None = None,
        conditions: Conditions | None = None,
        baseline: Mapping[str, str] | None = None,
    ) -> None:
        """Put what is proved now in place of what was. A folder that cannot be written has it all proved
        again.
        """
        before = self.written or _Kept(
            dict(self.known), dict(self.conditions), baseline=_copied(self.baseline)
        )
        now = _Kept(
            before.known if known is None else dict(known),
            before.conditions if conditions is None else dict(conditions),
            baseline=before.baseline if baseline is None else dict(baseline),
        )
        if now == before:
            return
        self.written = now
        with suppress(OSError, UnicodeEncodeError):  # JSON knows no path that is not UTF-8
            replace(self.file, msgspec.json.encode(now, order="sorted"), 0o600, lasting=False)

    def record(self, conditions: Conditions, shells: tuple[ShellResult, ...]) -> None:
        """Put what new shells answered now in place of what they answered last, with the conditions under
        which all was well (empty: it was not).
        """
        self.write(conditions=conditions)
        with suppress(OSError, UnicodeEncodeError):
            proof = msgspec.json.encode(LastProof(time.time(), shells))
            replace(self.file.with_name(_PROOF), proof, 0o600, lasting=False)


def _copied(baseline: Mapping[str, str] | None) -> dict[str, str] | None:
    return None if baseline is None else dict(baseline)


def read(state: Path) -> Proved:
    """What was proved in this home; ``state`` is the folder of the journal."""
    file = state / _NAME
    try:
        kept = msgspec.json.decode(file.read_bytes(), type=_Kept)
    except (OSError, msgspec.MsgspecError):
        return Proved(file)
    return (
        Proved(file, kept.known, kept.conditions, kept.baseline) if kept.format <= _FORMAT else Proved(file)
    )


def forget(state: Path) -> None:
    """Forget the results of all earlier checks."""
    for name in (_NAME, _PROOF):
        (state / name).unlink(missing_ok=True)


class LastProof(msgspec.Struct, frozen=True):
    """What new shells answered last, and when (seconds since 1970)."""

    at: float
    shells: tuple[ShellResult, ...]
    format: int = _FORMAT


def last_proof(state: Path) -> LastProof | None:
    """The one that is kept; None where none is, or it cannot be read."""
    try:
        proof = msgspec.json.decode((state / _PROOF).read_bytes(), type=LastProof)
    except (OSError, msgspec.MsgspecError):
        return None
    return proof if proof.format <= _FORMAT else None


def identity(question: Question, version: WantedVersion, shells: Iterable[str]) -> str:
    """What tells one answer from another: what is run and must be printed, in which shells, and what stands
    in the folder: its receipt and its extras, byte for byte, with the file's number and time, since the same
    version may be put there anew.
    """
    import hashlib

    digest = hashlib.sha256(f"{question.run}\0{question.expected}\0{' '.join(shells)}\0".encode())
    for name in (FILE_NAME, EXTRAS_NAME):
        with suppress(OSError):
            file = version.folder / name
            status = file.stat()
            digest.update(f"{name} {status.st_ino} {status.st_mtime_ns}\0".encode() + file.read_bytes())
    return digest.hexdigest()
