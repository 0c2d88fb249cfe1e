"""What the core tells while it works. A screen, a log or a test listens."""

from __future__ import annotations

from typing import Protocol


class Reporter(Protocol):
    """Hears of the work as it goes on. Every method returns at once and never raises.

    ``key`` names one change; it is the same in all calls about that change.
    """

    def said(self, text: str) -> None:
        """A plain statement about the run as a whole."""

    def warned(self, text: str) -> None:
        """Something that a person should look at, though the work goes on."""

    def began(self, key: str, text: str) -> None:
        """Work on a change has begun."""

    def told(self, key: str, text: str) -> None:
        """What goes on in a change, in words."""

    def unattended(self, steps: int, size: int, unknown: int) -> None:
        """All is asked. ``steps`` lie ahead, with ``size`` bytes to fetch, and ``unknown`` downloads of
        unknown size.
        """

    def ahead(self, steps: int, size: int) -> None:
        """What is left of the run as it is known now: so many changes that were not begun, with ``size``
        bytes to fetch.
        """

    def moved(self, key: str, done: int, total: int | None) -> None:
        """``done`` bytes of ``total`` (None: unknown) have arrived for a change."""

    def ended(self, key: str, text: str, *, well: bool) -> None:
        """Work on a change has ended, well or not."""

    def over(self) -> None:
        """All work is over: nothing more is told by this process."""


class Silent:
    """A reporter that tells nobody."""

    def said(self, text: str) -> None:
        """Keep quiet."""

    def warned(self, text: str) -> None:
        """Keep quiet."""

    def began(self, key: str, text: str) -> None:
        """Keep quiet."""

    def told(self, key: str, text: str) -> None:
        """Keep quiet."""

    def unattended(self, steps: int, size: int, unknown: int) -> None:
        """Keep quiet."""

    def ahead(self, steps: int, size: int) -> None:
        """Keep quiet."""

    def moved(self, key: str, done: int, total: int | None) -> None:
        """Keep quiet."""

    def ended(self, key: str, text: str, *, well: bool) -> None:
        """Keep quiet."""

    def over(self) -> None:
        """Keep quiet."""
