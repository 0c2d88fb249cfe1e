"""A recipe as frozen models. docs/recipes.md says what each key means to a person."""

import re
from typing import Literal

import msgspec

from zesty_anchor.manifest.part import FeedName, FileName, Name, Names, Part, ShellName, VariableName

_VERSION = r"\{version(?::(\d))?\}"


class Needs(Part, frozen=True):
    """``[needs]`` of a recipe: the packages that it cannot do without, and those that add something."""

    packages: Names = ()
    optional: Names = ()


class Earlier(Part, frozen=True):
    """``[build.earlier]``: versions in ``from`` need an earlier version of the same runtime while they are built."""

    want: str
    from_: str = msgspec.field(name="from", default="latest")


class BuildOption(Part, frozen=True):
    """``[build.options.NAME]``: an option that the manifest chooses by name: the ``arguments`` that the steps get for it, and the packages of
    each family of systems that it needs.
    """

    arguments: tuple[str, ...]
    packages: dict[str, tuple[str, ...]] = {}


class Build(Part, frozen=True):
    """``[build]`` of a recipe: how a version is built from source. docs/recipes.md tells what a step finds.

    ``moves`` is a step that makes what was built for the folder OLD work in PREFIX; without it a build that was kept serves again
    only where it stood.
    """

    steps: tuple[str, ...]
    environment: dict[str, str] = {}
    messages: dict[str, str] = {}
    moves: str = ""
    options: dict[Name, BuildOption] = {}
    earlier: Earlier | None = None


class Coupled(Part, frozen=True):
    """``[on]`` of a recipe: it runs on another runtime, whose version ``version`` (a regular expression with one
    group) finds in its own; or ``ranges`` says, for each line of its own, which versions will do (ranges as npm's).
    """

    runtime: Name
    version: str = ""
    ranges: dict[str, str] = {}


class ExtraTool(Part, frozen=True):
    """``[extras]`` of a recipe: how the runtime's own package tool adds a command-line package.

    The step finds NAME, VERSION (empty for any), FOLDER, CACHE (a folder to keep downloads in), PERSON (the person's home),
    AUTHORITIES (the file of certificate authorities that count here) and, where nobody may be asked, OFFLINE in its
    environment. ``kind`` is the registry that the packages come from, if it is one that we can ask for their versions.
    """

    install: str
    kind: Literal["npm"] | None = None


class ProofOfVersion(Part, frozen=True):
    """A command that prints a runtime's version, and what it must print (``{version}`` stands for it)."""

    run: str
    expect: str = "*{version}*"

    def expected(self, version: str) -> str:
        """What it must print for a version: a glob. ``{version:2}`` stands for its first two numbers. Pure."""

        def cut(found: re.Match[str]) -> str:
            bare = version.removeprefix("v")
            shown = ".".join(bare.split(".")[: int(found[1])]) if found[1] else bare
            return "".join(f"[{c}]" if c in "*?[" else c for c in shown)

        return re.sub(_VERSION, cut, self.expect)


class Program(Part, frozen=True):
    """``[program]`` of a recipe: a small program that must run. ``text`` or ``base64`` is put into ``file``."""

    file: str
    run: str
    expect: str
    text: str = ""
    base64: str = ""


class Requirement(Part, frozen=True):
    """``[[requirements]]`` of a recipe: where an open project format says which versions will do.

    ``field`` is a dotted path in a JSON or TOML file, ``pattern`` a regular expression with one group for any other.
    ``form`` is how it is written: ``npm`` (ranges of that registry), ``python`` (specifiers, PEP 440), ``least`` (one
    version, or a later one), ``gem`` (requirements of Ruby's packages, which mix.exs has too).
    """

    file: FileName
    form: Literal["npm", "python", "least", "gem"]
    field: str = ""
    pattern: str = ""


class Companion(Part, frozen=True):
    """``[[feeds.companions]]`` of a recipe: a further package that belongs to a version.

    Of those that ``kind`` offers it is the newest whose field ``requires`` (a dotted path in the registry's document of the
    package) the version fulfils, or the one that the manifest wants. It is put ``into`` a folder of the version; ``links``
    are its commands, each with its file, in the first folder of commands.
    """

    name: Name
    kind: Literal["npm"]
    into: str
    requires: str = ""
    package: str | None = None
    links: dict[FileName, str] = {}


class Source(Part, frozen=True):
    """A feed that a recipe brings along, used where the manifest names none.

    ``root`` is the folder of the archive that is the version (``*`` stands for a part of a name), ``links`` are commands
    that the archive does not have as such, each with its file, and ``companions`` what belongs to a version. ``finish`` is a
    step of sh that runs in a version's folder once all is there, with AUTHORITIES (the file of certificate authorities that
    count here).

    ``sums`` is the list of digests, beside the files (``listing``) or of each version (``{version}`` stands for it), and
    ``version`` a regular expression with one group: what of a version's text counts. Where a list (``json``)
    holds one line of versions alone, ``lines`` are those to ask for, ``{line}`` standing for each in the address.
    For a Debian archive ``names`` are the
    packages of a version, or ``sources`` the source packages whose upstream archive is built, each one of them; ``{line}`` stands for
    a number in their names.
    """

    kind: FeedName
    package: str | None = None
    packages: dict[str, str] = {}
    file: str | None = None
    map: dict[str, str] = {}
    url: str | None = None
    sums: str | None = None
    suites: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    version: str = ""
    root: str = ""
    links: dict[FileName, str] = {}
    companions: tuple[Companion, ...] = ()
    finish: str = ""


class ManagerTool(Part, frozen=True):
    """``[manager]`` of a recipe: how a version manager is spoken to.

    The templates are split into words once (as sh does), then ``{runtime}`` and ``{version}`` are put in: a value never
    becomes more than a part of one word. ``line`` is a regular expression with the groups ``version`` and, if it likes,
    ``channel``: what each line of ``list`` holds. ``function`` is the file, below the manager's folder, that makes it a
    function of ``shell``. ``home`` is where it keeps what it installs, ``{home}`` in the recipe.
    """

    list: str
    install: str
    locate: str
    choose: str | None = None
    line: str = r"^\s*(?P<version>[0-9][^\s]*)"
    function: str | None = None
    shell: ShellName = "sh"
    home: str | None = None


class Installer(Part, frozen=True):
    """``[installer]`` of a recipe: what comes from the feed is a script that installs into ``folder``.

    It is run with ``arguments`` and ``environment``. ``keeps`` are the parts of the folder that an upgrade carries over.
    """

    folder: str
    arguments: tuple[str, ...] = ()
    environment: dict[VariableName, str] = {}
    keeps: tuple[str, ...] = ()


class Recipe(Part, frozen=True):
    """How one runtime is obtained and laid out, which commands it gives, and how to prove that it works.

    With ``binary`` what its feed gives is its one command itself, compressed or not, and no archive.
    """

    commands: tuple[str, ...]
    title: str = ""
    bin: tuple[str, ...] = ("bin",)
    binary: bool = False
    feed: Source | None = None
    feeds: tuple[Source, ...] = ()
    channels: dict[str, tuple[str, ...]] = {}
    variables: dict[VariableName, str] = {}
    version: ProofOfVersion | None = None
    program: Program | None = None
    needs: Needs = Needs()
    build: Build | None = None
    on: Coupled | None = None
    extras: ExtraTool | None = None
    version_files: tuple[FileName, ...] = ()
    requirements: tuple[Requirement, ...] = ()
    hooks: dict[ShellName, str] = {}
    completions: dict[ShellName, str] = {}
    manager: ManagerTool | None = None
    installer: Installer | None = None

    @property
    def sources(self) -> tuple[Source, ...]:
        """The feeds that it brings along, the first one first."""
        return ((self.feed,) if self.feed else ()) + self.feeds
