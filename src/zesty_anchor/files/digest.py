"""What shows that bytes are those that were written, or seen, before."""

from __future__ import annotations

import functools
import importlib
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any, cast


def digest_of(content: bytes) -> str:
    """The SHA-256 of some bytes, in hexadecimal digits."""
    return str(_sha256()(content).hexdigest())


@functools.cache
def _sha256() -> Callable[[bytes], Any]:
    """Python's own SHA-256, where it has one apart from OpenSSL: hashlib loads that, which takes longer than
    all that a command like ``status`` has to hash.
    """
    for module in ("_sha2", "_sha256"):  # of Python 3.12 and newer, and of 3.11
        with suppress(ImportError, AttributeError):
            return cast(Callable[[bytes], Any], importlib.import_module(module).sha256)
    import hashlib

    return hashlib.sha256


def digest_of_file(file: Path) -> str:
    """The same of a file, read in pieces. Raises ``OSError``."""
    import hashlib

    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()
