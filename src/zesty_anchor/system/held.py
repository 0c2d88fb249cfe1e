"""Whether whoever made a file or a folder is still at work with it.

That is told by a lock on it, which ends with its maker (flock(2)). A process's number tells less: in a container the same
number is another process, and a number comes again.
"""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from zesty_anchor.system.process import lives


def hold(handle: int) -> None:
    """Hold an open file or folder until ``handle`` is closed. On a file system that has no locks nothing is held."""
    with suppress(OSError):
        fcntl.flock(handle, fcntl.LOCK_EX)


@contextmanager
def left(path: Path, process: int) -> Iterator[bool]:
    """Whether nobody holds it any more; then it is ours alone until the end of the block. Where locks cannot tell, whether no
    process of that number lives.
    """
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        yield os.path.lexists(path) and not lives(process)  # a link, or what its own owner may not read
        return
    try:
        yield _is_free(handle, process)
    finally:
        os.close(handle)


def _is_free(handle: int, process: int) -> bool:
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    except OSError:
        return not lives(process)
    return True
