"""What a person must decide."""

from __future__ import annotations

import msgspec


class Question(msgspec.Struct, frozen=True):
    """Something that a person must decide before work begins.

    ``key`` is what answers it once and for all: a line of the manifest, or an option. ``safe`` tells whether
    ``--yes`` may answer it, ``secret`` that the answer is a text which nobody else may see. ``to_read`` is a
    text that a person should read before. To one that is ``optional`` a no is an answer as well.
    """

    kind: str
    text: str
    key: str
    safe: bool = False
    secret: bool = False
    to_read: str = ""
    optional: bool = False
