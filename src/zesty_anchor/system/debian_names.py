"""Which package of the operating system brings a file that something needs."""

from __future__ import annotations

_DEBIAN = {
    "cc": "gcc",
    "zsh": "zsh",
    "bash": "bash",
    "git": "git",
    "curl": "curl",
    "venv": "python3-venv",
}


def package_for(need: str) -> str:
    """The name of the Debian package that brings ``need`` (a program or a Python module)."""
    return _DEBIAN.get(need, need)
