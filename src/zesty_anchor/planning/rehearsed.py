"""What came of a rehearsal."""

from __future__ import annotations

import msgspec

from zesty_anchor.engine.outcome import Outcome


class Rehearsed(msgspec.Struct, frozen=True):
    """What provisioning came to in a copy of the home; ``back`` are the paths that differed there once it was taken back (none: the way
    back is whole), ``touched`` those of the real home that are not as they were (none: not a byte is), of ``compared`` that were looked
    at. ``page`` is the report, where one was asked for.
    """

    outcome: Outcome
    back: tuple[str, ...]
    touched: tuple[str, ...]
    compared: int
    seconds: float
    page: str = ""

    @property
    def well(self) -> bool:
        """Whether provisioning would go well here, and could be taken back."""
        return self.outcome.well and not self.back and not self.touched
