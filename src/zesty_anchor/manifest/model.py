"""The manifest as frozen models. docs/manifest.md says what each key means to a person."""

from typing import Annotated, Any, Literal

import msgspec

from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.part import (
    AnswerText,
    CommandName,
    FeedName,
    Name,
    Names,
    PackageQuestion,
    Part,
    ShellName,
    VariableName,
)
from zesty_anchor.manifest.recipe import Recipe


class Shells(Part, frozen=True):
    """``[shells]``: which shells are set up, how long their start may take (``startup``), what they do where
    a project pins a version that is not installed, lines for their generated files, and files with
    completions.
    """

    use: Literal["all", "login"] | tuple[ShellName, ...] | None = None
    """Which shells are set up: "all" that are installed, "login", or a list of names; an empty list sets up
    none (an image, a build machine). Left out, those that you use. Example: ``["bash", "zsh"]``.
    """
    missing: Literal["say", "ask", "install", "default"] = "say"
    """What happens in a folder that pins a version that is not installed. A shell prints one line with "say"
    or "default", asks with "ask", and installs it with "install". A program that reads no startup file (cron,
    an editor) gets exit status 127, but with "default" the default version. Example: ``"ask"``.
    """
    hooks: dict[ShellName, str] = {}
    """Lines to add to the generated file of one shell. Those of "sh" are added for bash, zsh, ksh and mksh
    too. ``{kelp}`` is the folder of that runtime's default version, quoted. Example: ``{ zsh = "bindkey -e"
    }``.
    """
    completions: dict[ShellName, str] = {}
    """A file with completions, by its absolute path, that an interactive shell reads. Example: ``{ bash =
    "/opt/tide/complete.bash" }``.
    """
    greeting: bool = True
    """Whether the first new interactive shell after a run prints one line that says what is new. Example:
    ``false``.
    """
    startup: (
        Annotated[str, msgspec.Meta(pattern=r"\A[0-9]{1,6} ?(ms|s)\Z", description='a time: "300 ms"')] | None
    ) = None
    """The longest that a shell may take to start. ``verify`` fails where one takes longer. Example: ``"300
    ms"``.
    """

    @property
    def most_startup_ms(self) -> int:
        """How many milliseconds a shell may take to start; 0 where nothing is said."""
        number = int(self.startup.rstrip("ms ")) if self.startup else 0
        return number if (self.startup or "").endswith("ms") else number * 1000


class Feed(Part, frozen=True):
    """``[feeds.NAME]``: where versions come from."""

    kind: FeedName
    """The kind of the feed, which decides how its versions are listed and fetched. Example: ``"index"``."""
    url: str | None = None
    """The address of the feed. A feed whose registry the machine is set up for (npm, pypi, debian) can do
    without. Example: ``"http://127.0.0.1:8931/"``.
    """
    file: str | None = None
    """The path of one version's file below ``url``, with ``{name}``, ``{version}``, ``{system}`` and
    ``{machine}``. Example: ``"v{version}/{name}-{system}-{machine}.tar.gz"``.
    """
    sums: str | None = None
    """The path of the list of digests (SHA256SUMS) below ``url``. ``{version}`` is replaced by the version.
    Example: ``"v{version}/SHA256SUMS"``.
    """
    map: dict[str, str] = {}
    """For a feed of kind "json": JMESPath expressions that find the versions and their files in the list.
    Example: ``{ version = "tag" }``.
    """
    key: str | None = None
    """The file with the OpenPGP key that signs the feed, relative to the manifest. With a key, an unsigned
    release is refused. Example: ``"keys/harbour.asc"``.
    """
    signature: Literal["not offered"] | None = None
    """Says that the feed signs nothing, where a key would be expected. Example: ``"not offered"``."""
    suites: tuple[str, ...] = ()
    """For a feed of kind "debian": the suites of the archive to look in. Example: ``["calm"]``."""
    largest: (
        Annotated[str, msgspec.Meta(pattern=r"\A[0-9]{1,6} ?(kB|MB|GB)\Z", description='an amount: "8 GB"')]
        | None
    ) = None
    """The largest size that one archive may unpack to. Example: ``"8 GB"``."""

    @property
    def most_bytes(self) -> int:
        """How much an archive of it may unpack to; 0 where nothing is said."""
        unit = {"kB": 1000, "MB": 1000**2, "GB": 1000**3}
        return int(self.largest[:-2]) * unit[self.largest[-2:]] if self.largest else 0


class PackageSource(Part, frozen=True):
    """``[prerequisites.sources.NAME]``: where packages of the operating system come from, beside what it is
    set to.

    ``key`` is the file of the OpenPGP key that its lists, or packages, are signed with, relative to the
    manifest; with ``fingerprint`` nobody is asked whether it is trusted. ``suite`` and ``components`` are
    those of an archive of Debian's form.
    """

    url: str
    """The address of the package source. Example: ``"http://127.0.0.1:8931/debian/"``."""
    key: str
    """The file with the OpenPGP key that its package lists are signed with, relative to the manifest.
    Example: ``"keys/quay.asc"``.
    """
    suite: str = ""
    """For apt: the suite of the archive. Example: ``"calm"``."""
    components: tuple[str, ...] = ()
    """For apt: the components of the suite. Example: ``["main"]``."""
    fingerprint: str = ""
    """The fingerprint of the key. With it nobody is asked whether the key is trusted. Example:
    ``"0123456789ABCDEF0123456789ABCDEF01234567"``.
    """


class Prerequisites(Part, frozen=True):
    """``[prerequisites]``: packages of the operating system, and further sources of them."""

    packages: Names = ()
    """Packages of the operating system to install, as a list or by family of systems. Example: ``{ debian =
    ["unzip"] }``.
    """
    sources: dict[Name, PackageSource] = {}
    """Further package sources, each in a table by its name."""
    answers: dict[PackageQuestion, bool | AnswerText] = {}
    """What packages of Debian ask while they are installed, by the names of their questions (debconf); true
    accepts a licence. Example: ``{ "harbour-charts/licence" = true }``.
    """


class BuildChoices(Part, frozen=True):
    """``build.*`` of a runtime in the manifest: what is passed to the recipe's steps."""

    environment: dict[str, str] = {}
    """Variables that the build's steps get. ``{NAME}`` is the folder of a runtime that ``with`` names.
    Example: ``{ CFLAGS = "-O2" }``.
    """
    with_: tuple[str, ...] = msgspec.field(default=(), name="with")
    """Other runtimes of the manifest that the build uses: they are installed first, and their commands and
    variables are there. Example: ``["coral"]``.
    """
    options: tuple[str, ...] = ()
    """Options of the build: names that the recipe knows, or arguments for its steps. Example: ``["intl"]``.
    """
    jobs: int = 0
    """How many jobs the build may run at once; 0 means one for each processor. Example: ``2``."""


class Runtime(Part, frozen=True):
    """``[runtimes.NAME]``: the default version, and those kept beside it. ``through`` names the manager to
    install it. ``keep`` are patterns of glob(7) for files in a version that are changed by hand, and stay so.
    ``system`` is the folder of an install that is on the machine already: it is the version, by links; where
    the alternatives system offers its commands, it leads to them, unless ``alternatives`` is false.
    ``replaces`` are commands of the system, such as ``git``, that the version may shadow though its recipe
    does not list them.
    """

    want: str
    """The default version: exact, a prefix such as "4.2", "latest", "lts", a range such as ">=4 <6", or
    "system". Example: ``"lts"``.
    """
    also: tuple[str, ...] = ()
    """Versions to install beside the default one. Example: ``["3.6", "5.0.0"]``."""
    feed: str | None = None
    """The feed to take, where several would do. Example: ``"harbour"``."""
    through: str | None = None
    """The version manager of ``[managers]`` that installs this runtime. Example: ``"bollard"``."""
    licence: Literal["accepted"] | None = None
    """Accepts the licence that the feed names for the version. Example: ``"accepted"``."""
    unpinned: Literal["accepted"] | None = None
    """Accepts a version for which the feed gives no digest. Example: ``"accepted"``."""
    optional_needs: bool = False
    """Also installs the packages that the recipe only recommends. Example: ``true``."""
    extras: tuple[str, ...] = ()
    """Command-line packages to install into each version with its own package tool; the archives that some
    tools take have an address and a digest in place of a name and a version. Example: ``["kelp-tidy@1.2"]``.
    """
    carry: Literal["ask", "yes", "no"] = "ask"
    """Whether packages that you installed by hand go along when the default version moves. Example:
    ``"yes"``.
    """
    companions: dict[Name, str] = {}
    """The version of a package that belongs to the runtime, where it is not to be the newest that fits.
    Example: ``{ npm = "10" }``.
    """
    build: BuildChoices = BuildChoices()
    """How a version is built from source: ``environment``, ``options`` and ``jobs``."""
    keep: tuple[str, ...] = ()
    """Files in a version that you change yourself (globs). ``provision`` leaves them as they are. Example:
    ``["lib/security/cacerts"]``.
    """
    system: str | None = None
    """The folder of an installation that is on the machine already, to use as the version. Example:
    ``"/usr/lib/jvm/coral-11"``.
    """
    alternatives: bool = True
    """Whether the alternatives system (update-alternatives(1)) is set to ``system`` as well. Example:
    ``false``.
    """
    replaces: tuple[str, ...] = ()
    """Commands of the system that the version may shadow though its recipe does not list them. Example:
    ``["git"]``.
    """


Digest = Annotated[
    str,
    msgspec.Meta(
        pattern=r"\Asha256:[0-9a-f]{64}\Z", description='"sha256:" and 64 digits and letters from a to f'
    ),
]


Commit = Annotated[
    str,
    msgspec.Meta(pattern=r"\A[0-9a-f]{40}([0-9a-f]{24})?\Z", description="all 40 (or 64) digits of a commit"),
]


class Manager(Part, frozen=True):
    """``[managers.NAME]``: a version manager. ``script`` is the address of its installer, where no feed lists
    it, and ``reviewed`` the digest of the installer that a person has read.
    """

    want: str
    """The version of the manager, as in ``[runtimes]``. Example: ``"0.9"``."""
    feed: str | None = None
    """The feed that offers it. Example: ``"harbour"``."""
    script: str | None = None
    """The address of its installer script, where no feed lists it. ``{version}`` is replaced by the version.
    Example: ``"https://harbour.example/{version}/install"``.
    """
    reviewed: Digest | None = None
    """The digest of the installer script that you have read. Example:
    ``"sha256:0000000000000000000000000000000000000000000000000000000000000000"``.
    """
    licence: Literal["accepted"] | None = None
    """Accepts its licence. Example: ``"accepted"``."""
    unpinned: Literal["accepted"] | None = None
    """Accepts a version for which the feed gives no digest. Example: ``"accepted"``."""

    @property
    def tool(self) -> Runtime:
        """The manager itself as something that comes in versions, like a runtime."""
        return Runtime(want=self.want, feed=self.feed, licence=self.licence, unpinned=self.unpinned)


class PathEntries(Part, frozen=True):
    """``[path]``: folders put first and last on PATH."""

    first: tuple[str, ...] = ()
    """Folders to put before everything else on PATH. Example: ``["~/bin"]``."""
    last: tuple[str, ...] = ()
    """Folders to put after everything else on PATH. Example: ``["~/late"]``."""


class Removal(Part, frozen=True):
    """``[[conflicts.remove]]``: what goes once the new versions answer, by one of these: the path of an old
    install, a package of the system, a variable that startup files set, a name of the alternatives system.
    """

    path: str | None = None
    """The folder of an old installation. Example: ``"~/old-kelp"``."""
    package: str | None = None
    """A package of the operating system. Example: ``"kelp"``."""
    variable: VariableName | None = None
    """A variable that startup files set. Example: ``"KELP_ROOT"``."""
    alternative: str | None = None
    """A name of the alternatives system. Example: ``"kelp"``."""


class Conflicts(Part, frozen=True):
    """``[conflicts]``: what else answers to the manifest's commands, and what is done about it."""

    policy: Literal["ask", "report", "outrank", "remove"] = "outrank"
    """What is done about other installations of the manifest's commands: "ask", only "report" them, "outrank"
    them on PATH, or "remove" them. Example: ``"outrank"``.
    """
    remove: tuple[Removal, ...] = ()
    """What to remove after the new versions are verified. Each entry has one of the keys below."""


class Setting(Part, frozen=True):
    """``[[settings]]``: one key in a file of another program. ``key`` is a name, or the names on the way to
    it.
    """

    file: str
    """The file of the other program. Everything else in it stays, comments too. Example:
    ``"~/.config/editor/settings.json"``.
    """
    key: str | tuple[str, ...]
    """The key to set: a name, or the names on the way to it. Example: ``["runtime", "folder"]``."""
    value: str | int | float | bool | list[Any] | dict[str, Any]
    """The value: text, a number, true or false, a list or a table. In text ``{kelp}`` is the folder of the
    default version, and ``{kelp.stable}`` a path that stays the same after an upgrade. Example: ``"zsh"``.
    """
    form: Literal["json", "toml", "ini"] | None = None
    """How the file is written, where its name does not say it. Example: ``"json"``."""


class KnownHost(Part, frozen=True):
    """``[[identity.hosts]]``: a host, and the fingerprint of its key. With ``user`` it is proved that it
    takes ours.
    """

    name: str
    """The name of the host. Example: ``"harbour.example"``."""
    fingerprint: Annotated[
        str,
        msgspec.Meta(
            pattern=r"\ASHA256:[A-Za-z0-9+/]{43}\Z",
            description='"SHA256:" and 43 signs, as ssh-keygen -lf prints a fingerprint',
        ),
    ]
    """The fingerprint of the host's key, as its owner publishes it. Example:
    ``"SHA256:AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"``.
    """
    port: int = 22
    """The port of its OpenSSH server. Example: ``2222``."""
    user: str | None = None
    """The user to log in as. With it ``verify`` checks that the host accepts your key. Example: ``"tide"``.
    """

    @property
    def label(self) -> str:
        """As a person, and known_hosts, writes it."""
        return self.name if self.port == 22 else f"[{self.name}]:{self.port}"


class Identity(Part, frozen=True):
    """``[identity]``: who the person is to version control, a key of OpenSSH, and hosts that are known."""

    name: str | None = None
    """Your name in version control (git's ``user.name``). Example: ``"Tide Desk"``."""
    email: str | None = None
    """Your address in version control (git's ``user.email``). Example: ``"desk@tide.example"``."""
    replace: bool = False
    """Whether a name or address that git has already is replaced. Example: ``true``."""
    key: Literal["ed25519", "ecdsa", "rsa"] | None = None
    """The type of the OpenSSH key to make if there is none. An existing key is never overwritten. Example:
    ``"ed25519"``.
    """
    passphrase: Literal["asked", "none"] = "asked"
    """Whether a passphrase for a new key is asked for. Example: ``"none"``."""
    hosts: tuple[KnownHost, ...] = ()
    """Hosts to add to ``known_hosts``, each with the fingerprint of its key."""


class Support(Part, frozen=True):
    """``[support]``: what ``verify`` does where support of a version has ended, or it was withdrawn."""

    ended: Literal["note", "fail"] = "note"
    """What ``verify`` does where the support of a wanted version has ended, or it was withdrawn: "note" says
    so, "fail" fails. Example: ``"fail"``.
    """


class Trust(Part, frozen=True):
    """``[trust]``: which certificate authorities the runtimes' own tools know, such as a company's."""

    system: bool | None = None
    """Whether every shell tells the runtimes' own tools (npm, pip, gem, …) to use the system's certificate
    authorities. Left out, a note says where that would matter. Example: ``true``.
    """
    file: str | None = None
    """A file of certificate authorities (PEM) for them, in place of the system's. Example:
    ``"~/desk/authorities.pem"``.
    """


class Elsewhere(Part, frozen=True):
    """``[elsewhere]``: what finds the commands where none of your startup files is read."""

    sudo: tuple[CommandName, ...] | None = None
    """Commands that root finds too (sudo, a service): each gets a file in /usr/local/bin that belongs to
    root, and runs your version where root alone can change it. An empty list removes these files. Example:
    ``["kelp"]``.
    """
    cron: bool | None = None
    """Whether the jobs of your crontab find the commands: a line in front of them sets PATH. ``false``
    removes that line. Example: ``true``.
    """


class Projects(Part, frozen=True):
    """``[projects]``: whether the folders that pin versions are remembered."""

    remember: bool = True
    """Whether the folders in which a pin decided are remembered, for ``projects``, ``remove`` and
    ``upgrade``: their paths and when, nothing of their content. Example: ``false``.
    """


class MirrorPlace(Part, frozen=True):
    """``[mirror]``: a server that has what the lock names."""

    url: Annotated[
        str, msgspec.Meta(pattern=r"\Ahttps?://[^\s]+\Z", description='a web address: "https://…/"')
    ]
    """The address of a folder that ``zesty-anchor mirror`` made. It is asked first. Example:
    ``"http://desk.example/mirror/"``.
    """
    only: bool = False
    """Whether nothing else is asked: for a network without a way out. Example: ``true``."""


class Base(Part, frozen=True):
    """``base``: another manifest, at an address (``url``), or in a repository (``git``); known by its
    ``digest`` or ``commit``, or signed by a ``key``.
    """

    url: str = ""
    """The address of the base. Example: ``"https://desk.example/workstation.toml"``."""
    digest: Digest | None = None
    """The digest of its text: another text is refused. Example:
    ``"sha256:0000000000000000000000000000000000000000000000000000000000000000"``.
    """
    git: str = ""
    """The address of a repository that the base is in. Example: ``"https://desk.example/team.git"``."""
    commit: Commit | None = None
    """The commit of the repository, with all its digits: whoever changes a tag or a branch changes nothing
    here. Example: ``"0123456789abcdef0123456789abcdef01234567"``.
    """
    file: str = "workstation.toml"
    """The file in the repository. Example: ``"desks/workstation.toml"``."""
    key: str = ""
    """A file with the OpenPGP key that signs the base, or the commits of its repository. Which text of it
    counts is in the lock (``zesty-anchor lock --base``). Example: ``"keys/desk.asc"``.
    """
    branch: str = ""
    """With ``key``, the branch of the repository; its default branch if left out. Example: ``"main"``."""


class Manifest(Part, frozen=True):
    """A whole ``workstation.toml``."""

    base: str | Base | tuple[str | Base, ...] = ()
    """Manifests that this one adds to: paths relative to it, or addresses with a digest. Tables are put
    together by their keys, lists are added to, and ``!`` before a name takes it away. Example:
    ``"../team/workstation.toml"``.
    """
    firm: tuple[str, ...] = ()
    """Keys of this manifest that one which has it as its base must leave as they are. Example:
    ``["runtimes.kelp", "feeds"]``.
    """
    on: dict[str, dict[str, Any]] = {}
    """Parts that hold only on some machines or for some users, each in a table by its condition: "linux",
    "linux-aarch64", "host:quay-*", "user:root", "system:debian>=12" or "container". Example:
    ``{ "linux-aarch64" = { runtimes = { kelp = { want = "3.6" } } } }``.
    """

    title: str = ""
    """A title for you to read. Example: ``"Tide desk"``."""
    as_root: Literal["allowed"] | None = None
    """Allows programs from feeds to run as root, where everything runs as root (a container). Example:
    ``"allowed"``.
    """
    prerequisites: Prerequisites = Prerequisites()
    """Packages of the operating system, and further sources of them."""
    shells: Shells = Shells()
    """Which shells are set up, and how."""
    feeds: dict[Name, Feed] = {}
    """Where versions come from, each feed in a table by its name."""
    mirror: MirrorPlace | None = None
    """A server that has what the lock names, and is asked before the feeds."""
    recipes: dict[Name, Recipe] = {}
    """Recipes of your own, or additions to a shipped one, each in a table by its runtime."""
    runtimes: dict[Name, Runtime] = {}
    """The runtimes to install, each in a table by its name."""
    managers: dict[Name, Manager] = {}
    """Third-party version managers to install, each in a table by its name."""
    variables: dict[VariableName, str | dict[VariableName, str]] = {}
    """Environment variables. ``{kelp}`` is the folder of that runtime's default version.
    ``[variables.system]`` sets them for all users. Example: ``{ GAUGE = "north quay, $5 a day" }``.
    """
    secrets: dict[VariableName, str] = {}
    """Environment variables whose values are in files (mode 0600, one line) that each shell reads when it
    starts. Example: ``{ HARBOUR_TOKEN = "~/.secrets/harbour" }``.
    """
    path: PathEntries = PathEntries()
    """Folders to add to PATH."""
    conflicts: Conflicts = Conflicts()
    """What is done about other installations of the same commands."""
    trust: Trust = Trust()
    """Which certificate authorities the runtimes' own tools know."""
    elsewhere: Elsewhere = Elsewhere()
    """What finds the commands where none of your startup files is read: sudo, cron."""
    projects: Projects = Projects()
    """Whether folders that pin versions are remembered."""
    support: Support = Support()
    """What is done about versions whose support has ended."""
    settings: tuple[Setting, ...] = ()
    """Keys to set in files of other programs."""
    identity: Identity | None = None
    """Your name, address and key for version control."""
    checks: tuple[Check, ...] = ()
    """Further checks for ``verify``."""

    @property
    def tools(self) -> dict[str, Runtime]:
        """All that stands on the shelf in versions: the runtimes, then the managers; in this order they are
        on PATH.
        """
        return {**self.runtimes, **{name: manager.tool for name, manager in self.managers.items()}}

    def step(self, name: str) -> tuple[str, str]:
        """The table that speaks of a runtime or a manager."""
        return ("runtimes" if name in self.runtimes else "managers", name)

    def wants(self, name: str) -> dict[str, tuple[str | int, ...]]:
        """The wants of a runtime or a manager, the default first, each with the keys that lead to it."""
        tool, step = self.tools[name], self.step(name)
        steps: dict[str, tuple[str | int, ...]] = {tool.want: (*step, "want")}
        for place, want in enumerate(tool.also):
            steps.setdefault(want, (*step, "also", place))
        return steps


SYSTEM = "system"
"""The one key of ``[variables]`` that holds a table: variables for the whole system."""
