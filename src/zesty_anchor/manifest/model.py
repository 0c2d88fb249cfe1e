"""The manifest as frozen models. docs/manifest.md says what each key means to a person."""

from typing import Annotated, Any, Literal

import msgspec

from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.feed_kinds import FEED_KINDS
from zesty_anchor.manifest.part import REGISTRY, FeedName, Name, Names, Part, ShellName, VariableName
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.shell_names import SHELL_CLASSES
from zesty_anchor.system.registry import Registry


class Shells(Part, frozen=True):
    """``[shells]``: which shells are set up, how long their start may take (``startup``), what they do where a project pins a version that is not installed, lines
    for their generated files, and files with completions.
    """

    use: Literal["all", "login"] | tuple[ShellName, ...] | None = None
    missing: Literal["say", "ask", "install"] = "say"
    hooks: dict[ShellName, str] = {}
    completions: dict[ShellName, str] = {}
    startup: Annotated[str, msgspec.Meta(pattern=r"\A[0-9]{1,6} ?(ms|s)\Z", description='a time: "300 ms"')] | None = (
        None
    )

    @property
    def most_startup_ms(self) -> int:
        """How many milliseconds a shell may take to start; 0 where nothing is said."""
        number = int(self.startup.rstrip("ms ")) if self.startup else 0
        return number if (self.startup or "").endswith("ms") else number * 1000


class Feed(Part, frozen=True):
    """``[feeds.NAME]``: where versions come from."""

    kind: FeedName
    url: str | None = None
    file: str | None = None
    sums: str | None = None
    map: dict[str, str] = {}
    key: str | None = None
    signature: Literal["not offered"] | None = None
    suites: tuple[str, ...] = ()
    largest: (
        Annotated[str, msgspec.Meta(pattern=r"\A[0-9]{1,6} ?(kB|MB|GB)\Z", description='an amount: "8 GB"')] | None
    ) = None

    @property
    def most_bytes(self) -> int:
        """How much an archive of it may unpack to; 0 where nothing is said."""
        unit = {"kB": 1000, "MB": 1000**2, "GB": 1000**3}
        return int(self.largest[:-2]) * unit[self.largest[-2:]] if self.largest else 0


class PackageSource(Part, frozen=True):
    """``[prerequisites.sources.NAME]``: where packages of the operating system come from, beside what it is set to.

    ``key`` is the file of the OpenPGP key that its lists, or packages, are signed with, relative to the manifest; with ``fingerprint`` nobody
    is asked whether it is trusted. ``suite`` and ``components`` are those of an archive of Debian's form.
    """

    url: str
    key: str
    suite: str = ""
    components: tuple[str, ...] = ()
    fingerprint: str = ""


class Prerequisites(Part, frozen=True):
    """``[prerequisites]``: packages of the operating system, and further sources of them."""

    packages: Names = ()
    sources: dict[Name, PackageSource] = {}


class BuildChoices(Part, frozen=True):
    """``build.*`` of a runtime in the manifest: what is passed to the recipe's steps."""

    environment: dict[str, str] = {}
    options: tuple[str, ...] = ()
    jobs: int = 0


class Runtime(Part, frozen=True):
    """``[runtimes.NAME]``: the default version, and those kept beside it. ``through`` names the manager to install it.
    ``keep`` are patterns of glob(7) for files in a version that are changed by hand, and stay so. ``system`` is the folder of an install that
    is on the machine already: it is the version, by links; where the alternatives system offers its commands, it leads to them, unless
    ``alternatives`` is false. ``replaces`` are commands of the system, such as ``git``, that the version may shadow though its recipe
    does not list them.
    """

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
    keep: tuple[str, ...] = ()
    system: str | None = None
    alternatives: bool = True
    replaces: tuple[str, ...] = ()


Digest = Annotated[
    str, msgspec.Meta(pattern=r"\Asha256:[0-9a-f]{64}\Z", description='"sha256:" and 64 digits and letters from a to f')
]


class Manager(Part, frozen=True):
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


class PathEntries(Part, frozen=True):
    """``[path]``: folders put first and last on PATH."""

    first: tuple[str, ...] = ()
    last: tuple[str, ...] = ()


class Removal(Part, frozen=True):
    """``[[conflicts.remove]]``: what goes once the new versions answer, by one of these: the path of an old install, a
    package of the system, a variable that startup files set, a name of the alternatives system.
    """

    path: str | None = None
    package: str | None = None
    variable: VariableName | None = None
    alternative: str | None = None


class Conflicts(Part, frozen=True):
    """``[conflicts]``: what else answers to the manifest's commands, and what is done about it."""

    policy: Literal["ask", "report", "outrank", "remove"] = "outrank"
    remove: tuple[Removal, ...] = ()


class Setting(Part, frozen=True):
    """``[[settings]]``: one key in a file of another program. ``key`` is a name, or the names on the way to it."""

    file: str
    key: str | tuple[str, ...]
    value: str | int | float | bool | list[Any] | dict[str, Any]
    form: Literal["json", "toml", "ini"] | None = None


class KnownHost(Part, frozen=True):
    """``[[identity.hosts]]``: a host, and the fingerprint of its key. With ``user`` it is proved that it takes ours."""

    name: str
    fingerprint: Annotated[
        str,
        msgspec.Meta(
            pattern=r"\ASHA256:[A-Za-z0-9+/]{43}\Z",
            description='"SHA256:" and 43 signs, as ssh-keygen -lf prints a fingerprint',
        ),
    ]
    port: int = 22
    user: str | None = None

    @property
    def label(self) -> str:
        """As a person, and known_hosts, writes it."""
        return self.name if self.port == 22 else f"[{self.name}]:{self.port}"


class Identity(Part, frozen=True):
    """``[identity]``: who the person is to version control, a key of OpenSSH, and hosts that are known."""

    name: str | None = None
    email: str | None = None
    replace: bool = False
    key: Literal["ed25519", "ecdsa", "rsa"] | None = None
    passphrase: Literal["asked", "none"] = "asked"
    hosts: tuple[KnownHost, ...] = ()


class Manifest(Part, frozen=True):
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
    # Its patterns are those of ECMA-262, where ^ and $ are the ends of the whole.
    text = msgspec.json.encode(msgspec.json.schema(Manifest)).replace(rb"\\A", b"^").replace(rb"\\Z", b"$")
    schema = msgspec.json.decode(text, type=dict[str, object])
    _allow_registered(schema)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "workstation.toml", **schema}


def _allow_registered(part: object) -> None:
    """Put the names of a registry where a schema has its noun."""
    if isinstance(part, dict):
        if part.get(REGISTRY) in _REGISTRIES:
            part["enum"] = list(_REGISTRIES[part.pop(REGISTRY)].names())
        for each in part.values():
            _allow_registered(each)
    elif isinstance(part, list):
        for each in part:
            _allow_registered(each)


_REGISTRIES: dict[str, Registry[Any]] = {registry.noun: registry for registry in (FEED_KINDS, SHELL_CLASSES)}

SYSTEM = "system"
"""The one key of ``[variables]`` that holds a table: variables for the whole system."""
