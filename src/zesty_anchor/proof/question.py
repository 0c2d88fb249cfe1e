"""A question that a new shell is asked."""

from __future__ import annotations

import msgspec

from zesty_anchor.manifest.check import Check


class Question(msgspec.Struct, frozen=True):
    """A command line, and what its output must be.

    ``how`` is ``place`` (one of these paths, a NUL between them), ``variable`` (the value that ``env -0``
    gives for the name after the dollar sign of ``name``, byte for byte), ``glob``, ``once`` (a PATH that
    holds each of the expected folders once), ``absolute`` (a PATH without empty and relative entries),
    ``outside`` (a path that is in none of those folders), ``follows`` (like ``glob``), ``started`` and
    ``fetched`` (it ends with 0), or ``check`` (what the manifest's ``check`` says). Questions with the same
    ``run`` share one answer. ``about`` is the command, the ``$VARIABLE`` or ``PATH`` by which a cause is
    looked for. The answer to one that is ``shared`` depends on the shell's environment alone.
    """

    name: str
    run: str
    expected: str
    how: str
    about: str = ""
    shared: bool = False
    check: Check | None = None
