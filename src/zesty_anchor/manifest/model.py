"""The manifest as frozen models. docs/manifest.md says what each key means to a person."""

import re
from typing import Annotated, Any, Literal

import msgspec

Name = Annotated[
    str,
    msgspec.Meta(
        pattern=r"^[A-Za-z][A-Za-z0-9._-]*$", description="a name: a letter, then letters, digits, dots, _ and -"
    ),
]
VariableName = Annotated[
    str,
    msgspec.Meta(
        pattern=r"^[A-Za-z_][A-Za-z0-9_]*$", description="a variable's name: a letter or _, then letters, digits and _"
    ),
]


_VERSION = r"\{version(?::(\d))?\}"
FileName = Annotated[
    str, msgspec.Meta(pattern=r"^[A-Za-z0-9._-]+$", description="a file's name: letters, digits, dots, _ and -")
]
ShellName = Literal["bash", "zsh", "fish", "ksh", "mksh", "tcsh", "sh"]
FeedKind = Literal["index", "npm", "pypi", "debian", "json", "listing", "git", "folder"]


class _Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename="kebab"):
    """A table of the manifest: unknown keys are refused."""


class Shells(_Part, frozen=True):
    """``[shells]``: which shells are set up, what they do where a project pins a version that is not installed, lines
    for their generated files, and files with completions.
    """

    use: Literal["all", "login"] | tuple[str, ...] = "all"
    missing: Literal["say", "ask", "install"] = "say"
    hooks: dict[ShellName, str] = {}
    completions: dict[ShellName, str] = {}


class Feed(_Part, frozen=True):
    """``[feeds.NAME]``: where versions come from."""

    kind: FeedKind
    url: str | None = None
    file: str | None = None
    sums: str | None = None
    map: dict[str, str] = {}
    key: str | None = None
    signature: Literal["not offered"] | None = None
    suites: tuple[str, ...] = ()


Names = tuple[str, ...] | dict[str, tuple[str, ...]]
"""Names of packages: the same everywhere, or by family of systems (``debian``)."""


class Prerequisites(_Part, frozen=True):
    """``[prerequisites]``: packages of the operating system."""

    packages: Names = ()


class Needs(_Part, frozen=True):
    """``[needs]`` of a recipe: the packages that it cannot do without, and those that add something."""

    packages: Names = ()
    optional: Names = ()


class Earlier(_Part, frozen=True):
    """``[build.earlier]``: versions in ``from`` need an earlier version of the same runtime while they are built."""

    want: str
    from_: str = msgspec.field(name="from", default="latest")


class Build(_Part, frozen=True):
    """``[build]`` of a recipe: how a version is built from source. docs/recipes.md tells what a step finds."""

    steps: tuple[str, ...]
    environment: dict[str, str] = {}
    messages: dict[str, str] = {}
    earlier: Earlier | None = None


class BuildChoices(_Part, frozen=True):
    """``build.*`` of a runtime in the manifest: what is passed to the recipe's steps."""

    environment: dict[str, str] = {}
    options: tuple[str, ...] = ()
    jobs: int = 0


class Coupled(_Part, frozen=True):
    """``[on]`` of a recipe: it runs on another runtime, whose version ``version`` (a regular expression with one
    group) finds in its own.
    """

    runtime: Name
    version: str


class ExtraTool(_Part, frozen=True):
    """``[extras]`` of a recipe: how the runtime's own package tool adds a command-line package.

    The step finds NAME, VERSION (empty for any), FOLDER, CACHE (a folder to keep downloads in), PERSON (the person's home),
    AUTHORITIES (the file of certificate authorities that count here) and, where nobody may be asked, OFFLINE in its
    environment. ``kind`` is the registry that the packages come from, if it is one that we can ask for their versions.
    """

    install: str
    kind: Literal["npm"] | None = None


class ProofOfVersion(_Part, frozen=True):
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


class Program(_Part, frozen=True):
    """``[program]`` of a recipe: a small program that must run. ``text`` or ``base64`` is put into ``file``."""

    file: str
    run: str
    expect: str
    text: str = ""
    base64: str = ""


class Requirement(_Part, frozen=True):
    """``[[requirements]]`` of a recipe: where an open project format says which versions will do.

    ``field`` is a dotted path in a JSON or TOML file, ``pattern`` a regular expression with one group for any other.
    ``form`` is how it is written: ``npm`` (ranges of that registry), ``python`` (specifiers, PEP 440), ``least`` (one
    version, or a later one).
    """

    file: FileName
    form: Literal["npm", "python", "least"]
    field: str = ""
    pattern: str = ""


class Companion(_Part, frozen=True):
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


class Source(_Part, frozen=True):
    """A feed that a recipe brings along, used where the manifest names none.

    ``root`` is the folder of the archive that is the version (``*`` stands for a part of a name), ``links`` are commands
    that the archive does not have as such, each with its file, and ``companions`` what belongs to a version. ``finish`` is a
    step of sh that runs in a version's folder once all is there, with AUTHORITIES (the file of certificate authorities that
    count here).

    ``sums`` is the list of digests, beside the files (``listing``) or of each version (``{version}`` stands for it), and
    ``version`` a regular expression with one group: what of a version's text counts. Where a list (``json``)
    holds one line of versions alone, ``lines`` are those to ask for, ``{line}`` standing for each in the address.
    For a Debian archive ``names`` are the
    packages of a version, ``{line}`` standing for its number in their names.
    """

    kind: FeedKind
    package: str | None = None
    packages: dict[str, str] = {}
    file: str | None = None
    map: dict[str, str] = {}
    url: str | None = None
    sums: str | None = None
    suites: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    version: str = ""
    root: str = ""
    links: dict[FileName, str] = {}
    companions: tuple[Companion, ...] = ()
    finish: str = ""


class ManagerTool(_Part, frozen=True):
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


class Installer(_Part, frozen=True):
    """``[installer]`` of a recipe: what comes from the feed is a script that installs into ``folder``.

    It is run with ``arguments`` and ``environment``. ``keeps`` are the parts of the folder that an upgrade carries over.
    """

    folder: str
    arguments: tuple[str, ...] = ()
    environment: dict[VariableName, str] = {}
    keeps: tuple[str, ...] = ()


class Recipe(_Part, frozen=True):
    """How one runtime is obtained and laid out, which commands it gives, and how to prove that it works."""

    commands: tuple[str, ...]
    title: str = ""
    bin: tuple[str, ...] = ("bin",)
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


class Runtime(_Part, frozen=True):
    """``[runtimes.NAME]``: the default version, and those kept beside it. ``through`` names the manager to install it."""

    want: str
    also: tuple[str, ...] = ()
    feed: str | None = None
    through: str | None = None
    licence: Literal["accepted"] | None = None
    unpinned: Literal["accepted"] | None = None
    optional_needs: bool = False
    extras: tuple[str, ...] = ()
    companions: dict[Name, str] = {}
    build: BuildChoices = BuildChoices()


Digest = Annotated[
    str, msgspec.Meta(pattern=r"^sha256:[0-9a-f]{64}$", description='"sha256:" and 64 digits and letters from a to f')
]


class Manager(_Part, frozen=True):
    """``[managers.NAME]``: a version manager. ``script`` is the address of its installer, where no feed lists it, and
    ``reviewed`` the digest of the installer that a person has read.
    """

    want: str
    feed: str | None = None
    script: str | None = None
    reviewed: Digest | None = None
    licence: Literal["accepted"] | None = None
    unpinned: Literal["accepted"] | None = None

    @property
    def tool(self) -> Runtime:
        """The manager itself as something that comes in versions, like a runtime."""
        return Runtime(want=self.want, feed=self.feed, licence=self.licence, unpinned=self.unpinned)


class PathEntries(_Part, frozen=True):
    """``[path]``: folders put first and last on PATH."""

    first: tuple[str, ...] = ()
    last: tuple[str, ...] = ()


class Removal(_Part, frozen=True):
    """``[[conflicts.remove]]``: what goes once the new versions answer, by one of these: the path of an old install, a
    package of the system, a variable that startup files set, a name of the alternatives system.
    """

    path: str | None = None
    package: str | None = None
    variable: VariableName | None = None
    alternative: str | None = None


class Conflicts(_Part, frozen=True):
    """``[conflicts]``: what else answers to the manifest's commands, and what is done about it."""

    policy: Literal["ask", "report", "outrank", "remove"] = "outrank"
    remove: tuple[Removal, ...] = ()


class Setting(_Part, frozen=True):
    """``[[settings]]``: one key in a file of another program. ``key`` is a name, or the names on the way to it."""

    file: str
    key: str | tuple[str, ...]
    value: str | int | float | bool | list[Any] | dict[str, Any]
    form: Literal["json", "toml", "ini"] | None = None


class KnownHost(_Part, frozen=True):
    """``[[identity.hosts]]``: a host, and the fingerprint of its key. With ``user`` it is proved that it takes ours."""

    name: str
    fingerprint: Annotated[
        str,
        msgspec.Meta(
            pattern=r"^SHA256:[A-Za-z0-9+/]{43}$",
            description='"SHA256:" and 43 signs, as ssh-keygen -lf prints a fingerprint',
        ),
    ]
    port: int = 22
    user: str | None = None

    @property
    def label(self) -> str:
        """As a person, and known_hosts, writes it."""
        return self.name if self.port == 22 else f"[{self.name}]:{self.port}"


class Identity(_Part, frozen=True):
    """``[identity]``: who the person is to version control, a key of OpenSSH, and hosts that are known."""

    name: str | None = None
    email: str | None = None
    replace: bool = False
    key: Literal["ed25519", "ecdsa", "rsa"] | None = None
    passphrase: Literal["asked", "none"] = "asked"
    hosts: tuple[KnownHost, ...] = ()


class Check(_Part, frozen=True):
    """``[[checks]]``: a command line that fresh shells run, and what it must print."""

    name: str
    run: str
    expect: str = "*"


class Manifest(_Part, frozen=True):
    """A whole ``workstation.toml``."""

    title: str = ""
    as_root: Literal["allowed"] | None = None
    prerequisites: Prerequisites = Prerequisites()
    shells: Shells = Shells()
    feeds: dict[Name, Feed] = {}
    recipes: dict[Name, Recipe] = {}
    runtimes: dict[Name, Runtime] = {}
    managers: dict[Name, Manager] = {}
    variables: dict[VariableName, str | dict[VariableName, str]] = {}
    path: PathEntries = PathEntries()
    conflicts: Conflicts = Conflicts()
    settings: tuple[Setting, ...] = ()
    identity: Identity | None = None
    checks: tuple[Check, ...] = ()

    @property
    def tools(self) -> dict[str, Runtime]:
        """All that stands on the shelf in versions: the runtimes, then the managers; in this order they are on PATH."""
        return {**self.runtimes, **{name: manager.tool for name, manager in self.managers.items()}}

    def step(self, name: str) -> tuple[str, str]:
        """The table that speaks of a runtime or a manager."""
        return ("runtimes" if name in self.runtimes else "managers", name)


def json_schema() -> dict[str, object]:
    """The manifest's JSON Schema (draft 2020-12), for an editor that completes and checks TOML."""
    schema = msgspec.json.schema(Manifest)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "workstation.toml", **schema}


SYSTEM = "system"
"""The one key of ``[variables]`` that holds a table: variables for the whole system."""


def names_for(names: Names, family: str) -> tuple[str, ...]:
    """The names that count for a family of systems."""
    return names if isinstance(names, tuple) else names.get(family, ())
