"""A recipe as frozen models. docs/recipes.md says what each key means to a person."""

import re
from collections.abc import Iterable
from typing import Annotated, Literal

import msgspec

from zesty_anchor.manifest.part import FeedName, FileName, Name, Names, Part, ShellName, VariableName

ADDRESS = "address"
"""The kind of registry of packages whose names are addresses."""

_VERSION = r"\{version(?::(\d))?\}"


class Needs(Part, frozen=True):
    """``[needs]`` of a recipe: the packages that it cannot do without, and those that add something."""

    packages: Names = ()
    """Packages that the runtime needs, as a list or by family of systems. Example: ``{ debian =
    ["libatomic1"] }``.
    """
    optional: Names = ()
    """Packages that only ``optional-needs = true`` installs. Example: ``{ debian = ["less"] }``."""


class Earlier(Part, frozen=True):
    """``[build.earlier]``: versions in ``from`` need an earlier version of the same runtime, or a version of
    another one, while they are built.
    """

    want: str
    """The version to build with. Example: ``"1.6"``."""
    from_: str = msgspec.field(name="from", default="latest")
    """The versions that need it, as a want. Example: ``">=1.7"``."""
    runtime: Name | None = None
    """The other runtime; left out, it is the same one. It needs a recipe, and no place in the manifest.
    Example: ``"coral"``.
    """


class BuildOption(Part, frozen=True):
    """``[build.options.NAME]``: an option that the manifest chooses by name: the ``arguments`` that the steps
    get for it, and the packages of each family of systems that it needs.
    """

    arguments: tuple[str, ...]
    """What the build's steps get as their arguments. Example: ``["--with-charts"]``."""
    packages: dict[str, tuple[str, ...]] = {}
    """The packages that the option needs, by family of systems. Example: ``{ debian = ["libtide-dev"] }``."""


class Build(Part, frozen=True):
    """``[build]`` of a recipe: how a version is built from source. docs/recipes.md tells what a step finds.

    ``moves`` is a step that makes what was built for the folder OLD work in PREFIX; without it a build that
    was kept serves again only where it stood.
    """

    steps: tuple[str, ...]
    r"""Steps of sh, run in order in the unpacked source. Example: ``["make install DESTDIR=\"$OUT\""]``."""
    environment: dict[str, str] = {}
    """Variables that each step gets. Example: ``{ CFLAGS = "-O2" }``."""
    messages: dict[str, str] = {}
    """What is probably missing where a line of output matches: a regular expression, and the package.
    Example: ``{ "fatal error: zlib.h" = "zlib1g-dev" }``.
    """
    moves: str = ""
    r"""A step that makes what was built for the folder OLD work in PREFIX. Without it a kept build is used
    again only in its own folder. Example: ``"sed -i \"s|$OLD|$PREFIX|g\" bin/*"``.
    """
    options: dict[Name, BuildOption] = {}
    """Options that the manifest can choose by name."""
    earlier: Earlier | None = None
    """Another version, of the same runtime or of another one, that is needed while some versions are built.
    """
    minutes: float = 0
    """About how long a build takes on two cores, in minutes. Shown until one was built here. Example: ``13``.
    """


class Coupled(Part, frozen=True):
    """``[on]`` of a recipe: it runs on another runtime, whose version ``version`` (a regular expression with
    one group) finds in its own; or ``ranges`` says, for each line of its own, which versions will do (ranges
    as npm's).
    """

    runtime: Name
    """The runtime that this one runs on. Example: ``"coral"``."""
    version: str = ""
    """A regular expression with one group that finds the other runtime's line in a version of this one.
    Example: ``"-coral-([0-9]+)$"``.
    """
    ranges: dict[str, str] = {}
    """Which versions of the other runtime fit each line of this one, as ranges in npm's form. Example: ``{
    "1.14" = ">=23 <26" }``.
    """


def line_of_version(version: str, lines: Iterable[str]) -> str | None:
    """The longest of these lines that a version is of; None where it is of none. Pure."""
    found = [line for line in lines if version == line or version.startswith(line + ".")]
    return max(found, key=len, default=None)


class DivertingFile(Part, frozen=True):
    """``[[diverting-files]]`` of a recipe: a configuration file that leads a package tool elsewhere."""

    file: str
    """The file, with ~ for the home. Example: ``"~/.kelprc"``."""
    pattern: str
    """A regular expression for the line that does it. Example: ``"^prefix ="``."""
    what: str
    """What it does, in a few words. Example: ``"kelp-pack installs into another folder"``."""


class InstalledPackages(Part, frozen=True):
    """``[[extras.packages]]``: where the packages in a version are to be seen."""

    files: str
    """The files that describe a package each, as a pattern below the version's folder. Example:
    ``"packages/*/pack.json"``.
    """
    form: Literal["json", "headers", "file name"] = "json"
    """How such a file names the package: "json" with the keys name and version, "headers" with the lines
    Name and Version, "file name" by NAME-VERSION in its own name. Example: ``"headers"``.
    """


class ExtraTool(Part, frozen=True):
    """``[extras]`` of a recipe: how the runtime's own package tool adds a command-line package.

    The step finds NAME, VERSION (empty for any), FOLDER, CACHE (a folder to keep downloads in), PERSON (the
    person's home), AUTHORITIES (the file of certificate authorities that count here) and, where nobody may be
    asked, OFFLINE in its environment. With a mirror, REGISTRY is the address to take packages from. ``kind``
    is the registry that the packages come from, if it is one that we can ask for their versions.
    ``registry_address`` may use the same variables.
    """

    install: str
    r"""The step of sh that installs the package NAME in VERSION into FOLDER. Example: ``"kelp-pack add
    \"$NAME\" \"$VERSION\""``.
    """
    kind: Literal["npm"] | None = None
    """The registry that lists the packages' versions. Example: ``"npm"``."""
    requires: str = ""
    """The dotted path of the field in the registry's document that says which versions of the runtime a
    package fits. Example: ``"engines.kelp"``.
    """
    registry: Literal["npm", "pypi", "gem", "go", "address"] | None = None
    """The kind of the registry that the step takes packages from, where it honours REGISTRY: a mirror has the
    packages then. With "address" the package's name is the address of a file, and REGISTRY is where the
    mirror has it. Example: ``"npm"``.
    """
    registry_address: str = ""
    """The step of sh that prints the address of that registry, as the package tool is configured here, for a
    kind that is not the kind of a feed. Example: ``"kelp-pack config registry"``.
    """
    carry: str | None = None
    r"""The same step for a package that you installed by hand in an earlier version, where it differs.
    Example: ``"kelp-pack add --global \"$NAME\" \"$VERSION\""``.
    """
    packages: tuple[InstalledPackages, ...] = ()
    """Where the packages in a version are to be seen, those that you installed by hand too."""


class ProofOfVersion(Part, frozen=True):
    """A command that prints a runtime's version, and what it must print (``{version}`` is replaced by it)."""

    run: str
    """The command that prints the version. Example: ``"kelp --version"``."""
    expect: str = "*{version}*"
    """A glob that its output must match. ``{version}`` is the version, ``{version:2}`` its first two numbers.
    Example: ``"kelp {version}"``.
    """

    def expected(self, version: str) -> str:
        """What it must print for a version: a glob. ``{version:2}`` is its first two numbers.
        Pure.
        """

        def cut(found: re.Match[str]) -> str:
            bare = version.removeprefix("v")
            shown = ".".join(bare.split(".")[: int(found[1])]) if found[1] else bare
            return "".join(f"[{c}]" if c in "*?[" else c for c in shown)

        return re.sub(_VERSION, cut, self.expect)


class Program(Part, frozen=True):
    """``[program]`` of a recipe: a small program that must run. ``text`` or ``base64`` is put into
    ``file``.
    """

    file: str
    """The file that the program is written to. Example: ``"tide.kelp"``."""
    run: str
    """The command that runs it. Example: ``"kelp tide.kelp"``."""
    expect: str
    """A glob that its output must match. Example: ``"high water"``."""
    text: str = ""
    """The program's text. Example: ``"say high water"``."""
    base64: str = ""
    """The program in base64, where it is no text. Example: ``"c2F5"``."""


class Requirement(Part, frozen=True):
    """``[[requirements]]`` of a recipe: where an open project format says which versions will do.

    ``field`` is a dotted path in a JSON or TOML file, ``pattern`` a regular expression with one group for any
    other. ``form`` is how it is written: ``npm`` (ranges of that registry), ``python`` (specifiers, PEP 440),
    ``least`` (one version, or a later one), ``gem`` (requirements of Ruby's packages, which mix.exs has too).
    """

    file: FileName
    """The name of the project's file. Example: ``"package.json"``."""
    form: Literal["npm", "python", "least", "gem"]
    """How the requirement is written: ranges of "npm", specifiers of "python", requirements of "gem", or
    "least" for one version or later. Example: ``"npm"``.
    """
    field: str = ""
    """The dotted path of the field in a JSON or TOML file. Example: ``"engines.kelp"``."""
    pattern: str = ""
    """A regular expression with one group that finds it in any other file. Example: ``"^kelp +([0-9.]+)"``.
    """


class Companion(Part, frozen=True):
    """``[[feeds.companions]]`` of a recipe: a further package that belongs to a version.

    Of those that ``kind`` offers it is the newest whose field ``requires`` (a dotted path in the registry's
    document of the package) the version matches, or the one that the manifest wants. It is put ``into`` a
    folder of the version; ``links`` are its commands, each with its file, in the first folder of commands.
    """

    name: Name
    """The name of the package, as ``companions`` in the manifest uses it. Example: ``"npm"``."""
    kind: Literal["npm"]
    """The registry that it comes from. Example: ``"npm"``."""
    into: str
    """The folder of the version that it is put into. Example: ``"lib/pack"``."""
    requires: str = ""
    """The dotted path of the field in the registry's document that says which versions it fits. Example:
    ``"engines.kelp"``.
    """
    package: str | None = None
    """The name of the package in the registry, where it is another one. Example: ``"kelp-pack"``."""
    links: dict[FileName, str] = {}
    """Its commands, each with its file. Example: ``{ kelp-pack = "bin/main" }``."""
    lines: dict[str, str] = {}
    """The want for it in lines of the runtime, where that is not the newest that fits: what those who publish
    the runtime ship with it. Example: ``{ "3.6" = "2", "4" = "3" }``.
    """


class TrustStore(Part, frozen=True):
    """``[trust-store]`` of a recipe: a runtime that reads certificate authorities from a file of its own,
    which no variable replaces. It is made where the manifest has ``[trust]``, and where a version comes
    without one.
    """

    files: tuple[str, ...]
    """Where the file may be, relative to the version's folder: the first that is there. Example:
    ``["lib/authorities"]``.
    """
    run: str
    """A step of sh that makes the file STORE from the file AUTHORITIES (PEM), with the version's commands on
    PATH. Example: ``'kelp-trust "$AUTHORITIES" >"$STORE"'``.
    """


class Source(Part, frozen=True):
    """A feed that a recipe brings along, used where the manifest names none.

    ``root`` is the folder of the archive that is the version (``*`` matches a part of a name), ``links``
    are commands that the archive does not have as such, each with its file, and ``companions`` what belongs
    to a version. ``finish`` is a step of sh that runs in a version's folder once all is there, with
    AUTHORITIES (the file of certificate authorities that count here).

    ``sums`` is the list of digests, beside the files (``listing``) or of each version (``{version}`` stands
    for it), and ``version`` a regular expression with one group: what of a version's text counts. Where a
    list (``json``) holds one line of versions alone, ``lines`` are those to ask for, ``{line}`` standing for
    each in the address. For a Debian archive ``names`` are the packages of a version, or ``sources`` the
    source packages whose upstream archive is built, each one of them; ``{line}`` matches a number in their
    names.
    """

    kind: FeedName
    """The kind of the feed. Example: ``"npm"``."""
    package: str | None = None
    """The package in the registry. Example: ``"kelp"``."""
    packages: dict[str, str] = {}
    """The package for each platform, where they differ. Example: ``{ linux-x86_64 = "kelp-linux-x64" }``."""
    file: str | None = None
    """As in ``[feeds]``. Example: ``"{version}/kelp.tar.gz"``."""
    map: dict[str, str] = {}
    """As in ``[feeds]``. Example: ``{ version = "tag" }``."""
    url: str | None = None
    """As in ``[feeds]``. Example: ``"http://127.0.0.1:8931/"``."""
    sums: str | None = None
    """The list of digests, beside the files or of each version. Example: ``"v{version}/SHA256SUMS"``."""
    suites: tuple[str, ...] = ()
    """As in ``[feeds]``. Example: ``["calm"]``."""
    lines: tuple[str, ...] = ()
    """For a "json" list that holds one line of versions: the lines to ask for, ``{line}`` in the address.
    Example: ``["11", "17"]``.
    """
    names: tuple[str, ...] = ()
    """For "debian": the packages that make up a version. ``{line}`` matches a number in their names.
    Example: ``["kelp{line}"]``.
    """
    sources: tuple[str, ...] = ()
    """For "debian": the source packages whose upstream archive is built. Example: ``["kelp"]``."""
    version: str = ""
    """A regular expression with one group: the part of a version's text that counts. Example:
    ``"v([0-9.]+)"``.
    """
    root: str = ""
    """The folder of the archive that is the version. ``*`` matches part of a name. Example: ``"kelp-*"``.
    """
    links: dict[FileName, str] = {}
    """Commands that the archive does not have under that name, each with its file. Example: ``{ kelp =
    "lib/main" }``.
    """
    companions: tuple[Companion, ...] = ()
    """Further packages that belong to a version."""
    finish: str = ""
    """A step of sh that runs in the version's folder once everything is there. Example: ``"./bin/kelp
    setup"``.
    """


class ManagerTool(Part, frozen=True):
    """``[manager]`` of a recipe: how a version manager is spoken to.

    The templates are split into words once (as sh does), then ``{runtime}`` and ``{version}`` are put in: a
    value never becomes more than a part of one word. ``line`` is a regular expression with the groups
    ``version`` and, if it likes, ``channel``: what each line of ``list`` holds. ``function`` is the file,
    below the manager's folder, that makes it a function of ``shell``. ``home`` is where it keeps what it
    installs, ``{home}`` in the recipe.
    """

    list: str
    """The command that lists the versions of ``{runtime}``. Example: ``"bollard berths {runtime}"``."""
    install: str
    """The command that installs ``{version}`` of ``{runtime}``. Example: ``"bollard moor {runtime}
    {version}"``.
    """
    locate: str
    """The command that prints the folder of an installed version. Example: ``"bollard where {runtime}
    {version}"``.
    """
    choose: str | None = None
    """The command that sets the manager's own default. Example: ``"bollard prefer {runtime} {version}"``."""
    line: str = r"^\s*(?P<version>[0-9][^\s]*)"
    """A regular expression with the groups ``version`` and, optionally, ``channel`` for each line that
    ``list`` prints. Example: ``"^(?P<version>[0-9.]+)"``.
    """
    function: str | None = None
    """The file below the manager's folder that defines it as a function of ``shell``. Example:
    ``"bollard.sh"``.
    """
    shell: ShellName = "sh"
    """The shell that can read that file. Example: ``"bash"``."""
    home: str | None = None
    """The folder that it installs into. Example: ``"~/.bollard"``."""


class Installer(Part, frozen=True):
    """``[installer]`` of a recipe: what comes from the feed is a script that installs into ``folder``.

    It is run with ``arguments`` and ``environment``. ``keeps`` are the parts of the folder that an upgrade
    carries over.
    """

    folder: str
    """The folder that the installer script installs into. Example: ``"~/.bollard"``."""
    arguments: tuple[str, ...] = ()
    """The script's arguments. Example: ``["--quiet"]``."""
    environment: dict[VariableName, str] = {}
    """Variables that the script gets. Example: ``{ BOLLARD_ASK = "no" }``."""
    keeps: tuple[str, ...] = ()
    """Parts of the folder that an upgrade carries over. Example: ``["quay"]``."""


class Recipe(Part, frozen=True):
    """How one runtime is obtained and laid out, which commands it gives, and how to prove that it works.

    With ``binary`` what its feed gives is its one command itself, compressed or not, and no archive.
    """

    commands: tuple[str, ...]
    """The commands that the runtime gives. Each must be in the archive. Example: ``["kelp"]``."""
    title: str = ""
    """What the runtime is. Example: ``"kelp, an interpreter for tide bulletins"``."""
    bin: tuple[str, ...] = ("bin",)
    """The folders of a version that go on PATH. Example: ``["bin"]``."""
    binary: bool = False
    """Whether the feed's file is the command itself, compressed or not, and no archive. Example: ``true``."""
    feed: Source | None = None
    """The one feed that the recipe brings."""
    feeds: tuple[Source, ...] = ()
    """The feeds that the recipe brings, in order. The first that this machine can use and that has the
    version counts.
    """
    channels: dict[str, tuple[str, ...]] = {}
    """The lines that belong to a channel, where the feed does not say it. Example: ``{ lts = ["4", "3.6"]
    }``.
    """
    lacking: dict[FileName, tuple[str, ...]] = {}
    """The lines of the runtime that do not have one of the commands. Example: ``{ kelp-pack = ["2", "3.0"]
    }``.
    """
    diverted: dict[VariableName, str] = {}
    """Variables that lead the runtime or its package tool elsewhere, each with what it does. Example: ``{
    KELP_PATH = "kelp takes packages from there first" }``.
    """
    diverting_files: tuple[DivertingFile, ...] = ()
    """Configuration files that do so."""
    support: dict[str, Annotated[str, msgspec.Meta(pattern=r"\A\d{4}-\d{2}-\d{2}\Z")]] = {}
    """The last day of support of each line, where the feed does not say it. Example: ``{ "3.6" =
    "2026-04-30" }``.
    """
    variables: dict[VariableName, str] = {}
    """Variables that every shell gets. ``{folder}`` is the folder of the default version. Example: ``{
    KELP_HOME = "{folder}" }``.
    """
    trust: dict[VariableName, str] = {}
    """Variables that tell the runtime's own tools which certificate authorities to trust, set where the
    manifest has ``[trust]``. ``{authorities}`` is the file. Example: ``{ KELP_CA_FILE = "{authorities}" }``.
    """
    trust_store: TrustStore | None = None
    """The file with certificate authorities that the runtime has in its own folder, and how it is made."""
    version: ProofOfVersion | None = None
    """How ``verify`` asks for the version."""
    program: Program | None = None
    """A small program that ``verify`` runs."""
    online: str = ""
    """A command that fetches a tiny package by the runtime's own package tool, into the folder that it runs
    in, for ``verify --online``. Example: ``"kelp-pack fetch tidy"``.
    """
    needs: Needs = Needs()
    """Packages of the operating system that the runtime needs."""
    build: Build | None = None
    """How a version is built from source."""
    on: Coupled | None = None
    """Another runtime that this one runs on."""
    extras: ExtraTool | None = None
    """How the runtime's own package tool installs a package."""
    version_files: tuple[FileName, ...] = ()
    """Further names of files that pin a version with one line. Example: ``["KELP"]``."""
    requirements: tuple[Requirement, ...] = ()
    """Fields of open project formats that say which versions fit."""
    hooks: dict[ShellName, str] = {}
    """Lines for a shell's generated file. ``{folder}`` is the folder of the default version, quoted. Example:
    ``{ sh = "export KELP_STYLE={folder}/style" }``.
    """
    completions: dict[ShellName, str] = {}
    """Files with completions, in a version's folder. Example: ``{ bash = "share/complete.bash" }``."""
    manager: ManagerTool | None = None
    """How a version manager is used."""
    installer: Installer | None = None
    """How the manager's installer script is run."""

    def at(self, version: str) -> "Recipe":
        """The recipe with the commands that a version has."""
        left = tuple(c for c in self.commands if line_of_version(version, self.lacking.get(c, ())) is None)
        return self if left == self.commands else msgspec.structs.replace(self, commands=left)

    @property
    def sources(self) -> tuple[Source, ...]:
        """The feeds that it brings along, the first one first."""
        return ((self.feed,) if self.feed else ()) + self.feeds
