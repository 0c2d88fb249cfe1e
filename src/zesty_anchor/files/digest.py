"""What shows that bytes are those that were written, or seen, before."""

from __future__ import annotations

from pathlib import Path


def digest_of(content: bytes) -> str:
    """The SHA-256 of some bytes, in hexadecimal digits."""
    # Most commands do without.
    import hashlib

    return hashlib.sha256(content).hexdigest()


def digest_of_file(file: Path) -> str:
    """The same of a file, read in pieces. Raises ``OSError``."""
    import hashlib

    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()
