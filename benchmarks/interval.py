"""The interval of a median. It imports nothing of the program, of which two versions are compared."""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence


def interval_of(found: Sequence[float]) -> tuple[float, float, float]:
    """The median, and the ends of its 95 % interval by order statistics (Conover, "Practical Nonparametric
    Statistics", 3.2).
    """
    listed = sorted(found)
    half = 0.98 * math.sqrt(len(listed))
    low, high = math.floor(len(listed) / 2 - half), math.ceil(len(listed) / 2 + half)
    return statistics.median(listed), listed[max(0, low)], listed[min(len(listed) - 1, high)]
