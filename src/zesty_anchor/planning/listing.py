"""What is told of versions."""

from __future__ import annotations

import msgspec

from zesty_anchor.planning.choices import Choice
from zesty_anchor.survey.installs_there import InstallThere
from zesty_anchor.survey.packages import Package


class Active(msgspec.Struct, frozen=True):
    """The active version, its scope (session, project, default), and what decided it: a variable, or a
    file with its line.
    """

    version: str
    scope: str
    decided_by: str


class Available(msgspec.Struct, frozen=True):
    """A version that a feed offers. ``date`` is when it came, and ``ends`` when its support ends (YYYY-MM-DD,
    empty: not known); ``lacking`` says why this machine cannot have it (empty: it can), ``withdrawn`` why it
    was withdrawn (empty: it was not).
    """

    version: str
    channels: tuple[str, ...]
    date: str
    feed: str
    lacking: str
    ends: str
    withdrawn: str = ""


class RuntimeKnown(msgspec.Struct, frozen=True):
    """A runtime that has a recipe: the kinds of its feeds in order, what a person calls them (``sources``),
    and what is here of it already, the first one first.
    """

    runtime: str
    title: str
    feeds: tuple[str, ...]
    sources: tuple[str, ...]
    here: tuple[InstallThere, ...]


class Installed(msgspec.Struct, frozen=True):
    """One installed version: the bytes that it takes, what needs it, and the packages that the person put
    into it.
    """

    version: str
    size: int
    needed: tuple[str, ...] = ()
    packages: tuple[Package, ...] = ()


class Listing(msgspec.Struct, frozen=True):
    """One runtime's versions. ``active`` is the default version, and what decided it. ``through`` is the
    manager that installs it, ``manager`` tells that it is one. ``here`` are the installs that others made,
    where they were asked for. ``ends`` is the last day of support of installed versions, where it is known.
    ``dropped`` tells that the manifest no longer has the runtime. ``details`` are those of each installed
    version, where they were asked for.
    """

    runtime: str
    active: Active | None
    installed: tuple[str, ...]
    available: tuple[Available, ...]
    through: str = ""
    manager: bool = False
    here: tuple[InstallThere, ...] = ()
    ends: dict[str, str] = {}
    dropped: bool = False
    details: tuple[Installed, ...] = ()


class Switched(msgspec.Struct, frozen=True):
    """What a switch came to: the choice now in effect, the whole of the session's, and the file that was
    written.
    """

    choice: Choice
    session: str | None = None
    written: str = ""
