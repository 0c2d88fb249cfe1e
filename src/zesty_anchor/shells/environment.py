"""What a generated file puts in place, in no shell's language yet."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from functools import cached_property

import msgspec

from zesty_anchor.system.locations import PROJECT_VARIABLES

MANIFEST_NAME = "workstation.toml"
"""A project's own file, looked for in every folder on the way up."""


class Of(msgspec.Struct, frozen=True):
    """Stands in a value for the folder of a runtime's version in effect."""

    runtime: str


Template = tuple[str | Of, ...]
"""A value: text, and the folders of runtimes in it."""


class Switchable(msgspec.Struct, frozen=True):
    """A runtime whose version depends on session, project and default.

    ``default`` is the version by default (empty: none of the shelf); ``bins`` are the folders of its
    commands, below a version's folder; ``pin_files`` and ``requirement_files`` are the names that a project
    may pin it with.
    """

    name: str
    default: str
    bins: tuple[str, ...]
    pin_files: tuple[str, ...] = ()
    requirement_files: tuple[str, ...] = ()


class Environment(msgspec.Struct, frozen=True, dict=True):
    """What a generated file puts in place: variables in order, PATH, and the versions that may be switched.

    ``shelf`` is the folder of which only the versions in effect may stay on PATH. ``launchers`` is the folder
    of the launchers, ``pins`` that of what projects' pins were resolved to, ``shell`` that of the generated
    files. ``manifest`` is the machine's own, which is no project's. ``program`` is this program, as words.
    ``hooks`` and ``greetings`` are lines, ``completions`` files, by shell. ``home`` is the home: paths in it
    count as the same wherever it is. ``missing_is_default`` tells that a launcher takes the default version
    where a pinned one is not installed, and does not fail.
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
    greetings: tuple[tuple[str, str], ...] = ()
    home: str = ""
    missing_is_default: bool = False

    @property
    def project_variables(self) -> str:
        """The folder of the files with projects' variables."""
        return f"{self.pins}/{PROJECT_VARIABLES}"

    @cached_property
    def stamp(self) -> str:
        """Changes with everything that a generated file says: an open shell that has another one is stale.

        A checksum is enough, since nobody gains by two that are equal, and it costs a start less than a
        digest does.
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
        return "".join(
            f"{self.shelf}/{p.runtime}/{defaults[p.runtime]}" if isinstance(p, Of) else p for p in template
        )

    def hooks_of(self, shell: str) -> str:
        """The lines for one shell, with their line end; empty where there are none."""
        return "".join(f"{lines}\n" for name, lines in self.hooks if name == shell)

    def lines_of(self, shell: str) -> str:
        """The same, and the line that says what is new."""
        return self.hooks_of(shell) + "".join(f"{line}\n" for name, line in self.greetings if name == shell)

    def completions_of(self, shell: str) -> tuple[str, ...]:
        """The files with completions for one shell."""
        return tuple(file for name, file in self.completions if name == shell)


def _plain(value: object, home: str) -> object:
    """JSON knows no bytes that are not UTF-8; a path may hold them. What begins with ``home`` is relative to
    it.
    """
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
