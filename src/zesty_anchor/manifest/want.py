"""How a version is asked for: exact, a prefix, ``latest``, ``lts``, a range, or ``system``: the one that is
there.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterable, Sequence
from typing import Any, Protocol, TypeVar

from zesty_anchor.manifest.version import Version

_RANGE_PART = r"(>=|<=|==|!=|=|>|<)\s*([^\s,<>=!]+)"
_WORD = re.compile(r"v?\d[0-9A-Za-z._+-]*")
_COMPARE: dict[str, Callable[[Any, Any], bool]] = {
    ">=": operator.ge,
    "<=": operator.le,
    ">": operator.gt,
    "<": operator.lt,
    "=": operator.eq,
    "==": operator.eq,
    "!=": operator.ne,
}


class Offered(Protocol):
    """What a want chooses from: anything with a version and channels."""

    @property
    def version(self) -> str:
        """The version as its feed writes it."""

    @property
    def channels(self) -> tuple[str, ...]:
        """The channels that the feed says it belongs to, for instance ``lts``."""


Some = TypeVar("Some", bound=Offered)


class Want:
    """A parsed want.

    Raises ``ValueError`` with what to write instead where the text is none.
    """

    __slots__ = ("kind", "line", "parts", "text")

    def __init__(self, text: str) -> None:
        # Written as many do: 22.x, 4.2.*
        self.text = re.sub(r"(?<=\d)\.[xX*]\Z", "", text.strip())
        self.line: Version | None = None
        self.parts: tuple[tuple[str, Version], ...] = ()
        if self.text in ("latest", "lts", "system"):
            self.kind = self.text
        elif self.text[:1] in "<>=!" and self.text:
            self.kind = "range"
            self.parts = _range(self.text)
        elif _WORD.fullmatch(self.text):
            self.kind = "line"
            self.line = Version(self.text)
        else:
            raise ValueError(_instead(self.text))

    def admits(self, version: Version, channels: Iterable[str]) -> bool:
        """Whether a version in these channels is what is asked for."""
        if self.kind == "system":
            return False
        if self.kind == "latest":
            return not version.is_prerelease
        if self.kind == "lts":
            return "lts" in channels and not version.is_prerelease
        if self.kind == "range":
            named = any(part.is_prerelease for _, part in self.parts)
            return (named or not version.is_prerelease) and all(
                _COMPARE[sign](version.key[:2], part.key[:2]) for sign, part in self.parts
            )
        assert self.line is not None
        if version.text == self.text or version == self.line:
            return True
        return version.begins_with(self.line) and (self.line.is_prerelease or not version.is_prerelease)

    def choose(self, offered: Sequence[Some]) -> Some | None:
        """The version to take: the exact one if it is offered, else the newest that is admitted."""
        for each in offered:
            if each.version == self.text:
                return each
        admitted = [each for each in offered if self.admits(Version(each.version), each.channels)]
        return max(admitted, key=lambda each: Version(each.version), default=None)

    def __str__(self) -> str:
        return self.text


def nearest(text: str, versions: Iterable[str], most: int = 3) -> list[str]:
    """The versions that stand closest to a want that nothing matches, the closest first."""
    found = re.search(r"\d+(?:\.\d+)*", text)
    ordered = sorted({Version(v) for v in versions}, reverse=True)
    if found is None:
        return [v.text for v in ordered[:most]]
    numbers = Version(found[0]).numbers

    def distance(version: Version) -> tuple[int, ...]:
        width = max(len(numbers), len(version.numbers))
        one, two = (n + (0,) * (width - len(n)) for n in (numbers, version.numbers))
        return tuple(abs(a - b) for a, b in zip(one, two, strict=True))

    return [v.text for v in sorted(ordered, key=distance)[:most]]


def _range(text: str) -> tuple[tuple[str, Version], ...]:
    parts = re.findall(_RANGE_PART, text)
    rest = re.sub(_RANGE_PART, "", text).replace(",", " ").strip()
    if not parts or rest:
        raise ValueError(f'{text!r} is not a range: write it like ">=4 <6"')
    return tuple((sign, Version(number)) for sign, number in parts)


def _instead(text: str) -> str:
    if not text:
        return 'a want is empty: write a version, for instance "4.2", or "latest", "lts" or "system"'
    number = re.search(r"\d+(?:\.\d+)*[0-9A-Za-z._+-]*", text)
    stable = re.fullmatch(r"(?i)stable|newest|current|\*", text)
    long_term = re.fullmatch(r"(?i)lts|long[- ]?term(?:[- ]support)?|lts/.*|--lts", text)
    if long_term:
        return f'{text!r} is not a valid version: write "lts"'
    if stable:
        return f'{text!r} is not a valid version: write "latest"'
    if number and text[:1] in "^~":
        first = int(number[0].split(".")[0])
        wanted = f'a prefix, "{first}", or a range, ">={number[0]} <{first + 1}"'
        return f"{text!r} is not a valid version: write {wanted}"
    if number:
        return f'{text!r} is not a valid version: write only the version, "{number[0]}"'
    return (
        f'{text!r} is not a valid version: write a version ("4.2.1"), a prefix ("4.2"), a range (">=4 <6"),'
        ' "latest", "lts" or "system"'
    )
