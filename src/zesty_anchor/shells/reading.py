"""Which startup files there are, when a shell reads each, and in which ways it is started."""

from __future__ import annotations

from pathlib import Path

import msgspec

MARK = "# zesty-anchor block"
"""The end of a line that this program owns in a startup file."""


class Surroundings(msgspec.Struct, frozen=True):
    """What decides which startup files a shell reads.

    ``config``, ``data`` and ``cache`` are the folders that XDG_CONFIG_HOME and its like name, ``zdotdir`` and
    ``env`` the files that the variables ZDOTDIR and ENV name (None: not set), ``zdotdir_given`` tells that a
    login gives it, before any file is read; ``system`` is ``linux`` or ``macos``, ``existing`` are the
    startup files that exist, ``guarded`` those that end early in a shell that is not interactive. ``dropins``
    are the person's own files in fish's folder of such.
    """

    home: Path
    config: Path
    system: str = "linux"
    zdotdir: Path | None = None
    env: Path | None = None
    data: Path = Path()
    cache: Path = Path()
    existing: frozenset[Path] = frozenset()
    guarded: frozenset[Path] = frozenset()
    dropins: tuple[Path, ...] = ()
    zdotdir_given: bool = False


class Site(msgspec.Struct, frozen=True):
    """A startup file that gets the block, and the language that it is written in.

    With ``early`` it gets a second one above the guard that hides the end from shells that are not
    interactive.
    """

    file: Path
    language: str
    early: bool = False


class Reading(msgspec.Struct, frozen=True):
    """One row of the table of startup files: a file, when it is read, and the manual's section that says so.

    ``when`` is made of ``login`` and ``interactive`` (both must hold), ``ssh`` (a command over ssh),
    ``always``. Without ``runs`` the file holds variables, and nothing in it is executed.
    """

    file: Path
    when: str
    source: str
    runs: bool = True


ASKED = "ZESTY_ANCHOR_PROOF"
"""The variable that is set in a shell which this program started, and by which its processes are known."""


class Context(msgspec.Struct, frozen=True):
    """A way in which a shell is started: its name, the options that bring it about, and what its environment
    adds.

    With ``login_name`` it is started under a name that begins with a hyphen, as login(1) does.
    """

    name: str
    options: tuple[str, ...]
    variables: tuple[tuple[str, str], ...] = ()
    login_name: bool = False


LOGIN = Context("login", ("-l",))
INTERACTIVE = Context("interactive", ("-i",))
LOGIN_INTERACTIVE = Context("login, interactive", ("-l", "-i"))
OVER_SSH = Context(
    "command over ssh",
    (),
    (("SSH_CLIENT", "127.0.0.1 22 22"), ("SSH_CONNECTION", "127.0.0.1 22 127.0.0.1 22")),
)
SCRIPT = Context("script, or command over ssh", ())
"""For the shells that read the same in both."""
