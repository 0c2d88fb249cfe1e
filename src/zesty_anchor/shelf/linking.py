"""A version that is made of links into an install that is there already."""

from __future__ import annotations

import os
from pathlib import Path

from zesty_anchor.system.problem import Problem


def link_all(install: Path, folder: Path) -> None:
    """Link each entry of an install into an empty folder. Raises ``Problem`` where it cannot be read."""
    try:
        entries = sorted(os.listdir(install))
    except OSError as error:
        raise Problem(
            f"{install} cannot be read: {error.strerror}", advice="is that install still there?"
        ) from None
    for name in entries:
        (folder / name).symlink_to(install / name)
