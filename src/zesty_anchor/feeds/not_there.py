"""What a server says that does not have a thing."""

from __future__ import annotations

from zesty_anchor.system.problem import Problem


class NotThere(Problem):
    """The server says that there is no such thing (404 or 410)."""
