"""Whether whoever made a file or a folder is still at work with it.

That is told by a lock on it, which ends with its maker (flock(2)). A process's number tells less: in a
container the same number is another process, and a number comes again.
"""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from zesty_anchor.system.process import lives

_NEW_SECONDS = 60.0


def hold(handle: int) -> None:
    """Hold an open file or folder until ``handle`` is closed. On a file system that has no locks nothing is
    held.
    """
    with suppress(OSError):
        fcntl.flock(handle, fcntl.LOCK_EX)


@contextmanager
def left(path: Path, process: int) -> Iterator[bool]:
    """Whether nobody holds it any more; then it is ours alone until the end of the block. What was made
    within the last minute also counts as held while a process of its maker's number lives, which may be about
    to hold it; and where locks cannot tell, that alone counts.
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
    return time.time() - os.fstat(handle).st_mtime > _NEW_SECONDS or not lives(process)
