"""Other processes."""

from __future__ import annotations

import os


def lives(process: int) -> bool:
    """Whether a process of that number exists (kill(2), signal 0)."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True
