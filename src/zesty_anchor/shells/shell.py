"""What every shell can tell us, and the words that they share."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from functools import cached_property
from pathlib import Path
from typing import Protocol

import msgspec

MARK = "# zesty-anchor block"
"""The end of a line that this program owns in a startup file."""

HIDING = "ZESTY_ANCHOR_HIDING"
"""The variable that a shell whose language is apart tells the names of its functions and aliases by."""

MANIFEST_NAME = "workstation.toml"
"""A project's own file, looked for in every folder on the way up."""


class Of(msgspec.Struct, frozen=True):
    """Stands in a value for the folder of a runtime's version in effect."""

    runtime: str


Template = tuple[str | Of, ...]
"""A value: text, and the folders of runtimes in it."""


class Switchable(msgspec.Struct, frozen=True):
    """A runtime whose version depends on session, project and default.

    ``default`` is the version by default (empty: none of the shelf); ``bins`` are the folders of its commands, below
    a version's folder; ``pin_files`` and ``requirement_files`` are the names that a project may pin it with.
    """

    name: str
    default: str
    bins: tuple[str, ...]
    pin_files: tuple[str, ...] = ()
    requirement_files: tuple[str, ...] = ()


class Environment(msgspec.Struct, frozen=True, dict=True):
    """What a generated file puts in place: variables in order, PATH, and the versions that may be switched.

    ``shelf`` is the folder of which only the versions in effect may stay on PATH. ``launchers`` is the folder of the
    launchers, ``pins`` that of what projects' pins were resolved to, ``shell`` that of the generated files.
    ``manifest`` is the machine's own, which is no project's. ``program`` is this program, as words. ``hooks`` are lines, ``completions`` files, by shell.
    ``home`` is the home: paths in it count as the same wherever it is.
    """

    variables: tuple[tuple[str, Template], ...]
    first: tuple[str, ...]
    last: tuple[str, ...]
    shelf: str
    launchers: str
    pins: str
    shell: str
    manifest: str = ""
    program: tuple[str, ...] = ("zesty-anchor",)
    runtimes: tuple[Switchable, ...] = ()
    hooks: tuple[tuple[str, str], ...] = ()
    completions: tuple[tuple[str, str], ...] = ()
    home: str = ""

    @cached_property
    def stamp(self) -> str:
        """Changes with everything that a generated file says: an open shell that has another one is stale.

        A checksum is enough, since nobody gains by two that are equal, and it costs a start less than a digest does.
        """
        parts = {name: part for name, part in msgspec.structs.asdict(self).items() if name != "home"}
        content = msgspec.json.encode(_plain(parts, self.home + "/"))
        return f"{zlib.crc32(content):08x}{len(content) & 0xFFFF:04x}"

    @property
    def names(self) -> tuple[str, ...]:
        """The names of files by which a project can choose versions, each once."""
        return (*self.pin_names, *self._unique("requirement_files"))

    @property
    def pin_names(self) -> tuple[str, ...]:
        """Those of them that do nothing else."""
        return (MANIFEST_NAME, *self._unique("pin_files"))

    def _unique(self, field: str) -> tuple[str, ...]:
        return tuple(dict.fromkeys(name for runtime in self.runtimes for name in getattr(runtime, field)))

    @property
    def shell_word(self) -> str:
        """``shell`` as one word of the shells that are like sh."""
        return "'" + self.shell.replace("'", "'\\''") + "'"

    def bins(self, runtime: Switchable, version: str) -> tuple[str, ...]:
        """The folders on PATH of one version."""
        folder = f"{self.shelf}/{runtime.name}/{version}"
        return tuple(folder if part == "." else f"{folder}/{part}" for part in runtime.bins)

    @property
    def default_bins(self) -> tuple[str, ...]:
        """The folders on PATH of all versions that answer by default."""
        return tuple(b for r in self.runtimes if r.default for b in self.bins(r, r.default))

    @property
    def scripted(self) -> tuple[str, ...]:
        """The folders first on PATH where nothing follows the current folder: the launchers do it."""
        return tuple(dict.fromkeys((*self.first, self.launchers, *self.default_bins)))

    @cached_property
    def _defaults(self) -> dict[str, str]:
        return {runtime.name: runtime.default for runtime in self.runtimes}

    def by_default(self, template: Template) -> str | None:
        """A value with the versions by default; None where it speaks of one that is not there."""
        defaults = self._defaults
        if any(isinstance(part, Of) and not defaults.get(part.runtime) for part in template):
            return None
        return "".join(f"{self.shelf}/{p.runtime}/{defaults[p.runtime]}" if isinstance(p, Of) else p for p in template)

    def hooks_of(self, shell: str) -> str:
        """The lines for one shell, with their line end; empty where there are none."""
        return "".join(f"{lines}\n" for name, lines in self.hooks if name == shell)

    def completions_of(self, shell: str) -> tuple[str, ...]:
        """The files with completions for one shell."""
        return tuple(file for name, file in self.completions if name == shell)


def _plain(value: object, home: str) -> object:
    """JSON knows no bytes that are not UTF-8; a path may hold them. What begins with ``home`` is relative to it."""
    if isinstance(value, str):
        plain = "~/" + value[len(home) :] if home != "/" and value.startswith(home) else value
        return plain.encode("utf-8", "surrogateescape").hex()
    if isinstance(value, Of):
        return {"of": value.runtime}
    if isinstance(value, Switchable):
        return _plain(msgspec.structs.asdict(value), home)
    if isinstance(value, Mapping):
        return {k: _plain(v, home) for k, v in value.items()}
    if isinstance(value, tuple):
        return [_plain(v, home) for v in value]
    return value


class Surroundings(msgspec.Struct, frozen=True):
    """What decides which startup files a shell reads.

    ``config``, ``data`` and ``cache`` are the folders that XDG_CONFIG_HOME and its like name, ``zdotdir`` and ``env`` the files that the variables ZDOTDIR
    and ENV name (None: not set), ``zdotdir_given`` tells that a login gives it, before any file is read; ``system`` is ``linux`` or ``macos``, ``existing`` are the startup files that exist,
    ``guarded`` those that end early in a shell that is not interactive. ``dropins`` are the person's own files in fish's
    folder of such.
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

    With ``early`` it gets a second one above the guard that hides the end from shells that are not interactive.
    """

    file: Path
    language: str
    early: bool = False


class Reading(msgspec.Struct, frozen=True):
    """One row of the table of startup files: a file, when it is read, and the manual's section that says so.

    ``when`` is made of ``login`` and ``interactive`` (both must hold), ``ssh`` (a command over ssh), ``always``.
    Without ``runs`` the file holds variables, and nothing in it is executed.
    """

    file: Path
    when: str
    source: str
    runs: bool = True


class Context(msgspec.Struct, frozen=True):
    """A way in which a shell is started: its name, the options that bring it about, and what its environment adds.

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
    "command over ssh", (), (("SSH_CLIENT", "127.0.0.1 22 22"), ("SSH_CONNECTION", "127.0.0.1 22 127.0.0.1 22"))
)
SCRIPT = Context("script, or command over ssh", ())
"""For the shells that read the same in both."""


class Shell(Protocol):
    """One shell."""

    @property
    def name(self) -> str:
        """Its word in the manifest."""

    @property
    def programs(self) -> tuple[str, ...]:
        """What its program may be called, the best first."""

    @property
    def contexts(self) -> tuple[Context, ...]:
        """The ways of starting it in which it reads something of ours: they are proved."""

    @property
    def check(self) -> str:
        """The option with which it reads a file and runs nothing of it."""

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """Every file of the person's that it reads, in the order in which it reads them. Pure."""

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """What it makes in a home when it starts there for the first time, the outermost first."""

    def folders(self, around: Surroundings) -> tuple[Path, ...]:
        """Those folders of it over which several that start at once for the first time stumble, and say so."""

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """The startup files that get the block. Pure."""

    def unfit(self, home: Path) -> str:
        """Why it cannot be set up in this home; empty where it can. Pure."""

    def quote(self, text: str) -> str:
        """``text`` as one word of its language, byte for byte."""

    def block(self, generated: Path, home: Path, *, early: bool = False) -> str:
        """The one line, without a line end, that sources the generated file."""

    def environment(self, environment: Environment, file: str) -> str:
        """The text of the generated file, which will stand at ``file``."""

    def behind(self, lines: str) -> str:
        """``lines`` such that folders which they put first on PATH end up behind those that are there."""

    def reload(self, generated: Path, home: Path) -> str:
        """The line that a person types to bring an open shell up to date."""

    def script(self, file: str) -> str:
        """A command line of its own that runs a file in the language of sh, in the shell itself where it can.

        Where it cannot, the variable HIDING holds the names of its functions and aliases, which the file cannot see.
        """


class Follower(Shell, Protocol):
    """A shell that can follow the current folder with builtins alone."""

    def on_demand(self, environment: Environment, file: str) -> str:
        """The text of the second file, read when something is to be chosen; ``file`` is the first one."""


class Completer(Shell, Protocol):
    """A shell in which functions can complete a command's words."""

    def completion(self, environment: Environment, file: str) -> str:
        """The text of the file that completes our own commands, read when that is first asked for; it will stand at ``file``."""
