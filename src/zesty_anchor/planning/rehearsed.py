"""What came of a rehearsal."""

from __future__ import annotations

import msgspec

from zesty_anchor.engine.outcome import Outcome


class Rehearsed(msgspec.Struct, frozen=True):
    """What provisioning came to in a copy of the home; ``back`` are the paths that differed there once it was
    taken back (none: the way back is whole), ``touched`` those of the real home that are not as they were
    (none: not a byte is), of ``compared`` that were looked at. ``page`` is the report, where one was asked
    for. ``root`` is the system's root that it was done in, empty where it was this system's. ``manifest`` is
    the manifest's file, as a person names it.
    """

    outcome: Outcome
    back: tuple[str, ...]
    touched: tuple[str, ...]
    compared: int
    seconds: float
    manifest: str
    page: str = ""
    root: str = ""

    @property
    def well(self) -> bool:
        """Whether provisioning would go well here, and could be taken back."""
        return self.outcome.well and not self.back and not self.touched
