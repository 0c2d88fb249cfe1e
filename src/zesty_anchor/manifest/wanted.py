"""What is wanted of this machine, with every want resolved to a version."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.files.inventory import Difference
from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.model import BuildChoices, Elsewhere, Identity, Manifest, Setting, Shells
from zesty_anchor.manifest.part import names_for
from zesty_anchor.manifest.recipe import Recipe

_SHOWN = 16
"""Digits of a digest."""
_REFERENCE = r"\{\{([A-Za-z][A-Za-z0-9._-]*)\}\}|\{([A-Za-z][A-Za-z0-9._-]*)\}"


class Reference(msgspec.Struct, frozen=True):
    """Stands in a value for the folder of a runtime."""

    runtime: str


Value = tuple[str | Reference, ...]


class Artefact(msgspec.Struct, frozen=True):
    """A file to fetch: its address, size in bytes if known, and digest as ``sha256:hex`` or ``sha512:hex``.

    A repository has ``commit:hex`` instead. Where there is a ``signature`` (its bytes), the file must have
    been signed with the OpenPGP key in the file ``key``. ``package`` tells that it is a binary package of
    Debian (deb(5)), ``single`` is the place in the version of one that is the command itself. ``largest`` is
    how many bytes it may unpack to, where the manifest says so. ``signed_by`` says for a person whose
    signature holds its digest (empty: nobody's).
    """

    url: str
    digest: str
    size: int | None = None
    signature: bytes = b""
    key: Path | None = None
    package: bool = False
    single: str = ""
    largest: int = 0
    signed_by: str = ""


class Part(msgspec.Struct, frozen=True):
    """A further file that belongs to a version. A companion is put ``into`` a folder of the version (empty:
    it is another package of the version itself), and ``links`` are its commands, each with its file in there.
    """

    name: str
    version: str
    artefact: Artefact
    into: str = ""
    links: Mapping[str, str] = {}


class WantedExtra(msgspec.Struct, frozen=True):
    """A command-line package to be put into a version: as it is ``asked`` for, its name and its version
    (empty: any). ``commands`` are those that it brought, where it is there already. One that is ``carried``
    was installed by hand in the version before.
    """

    asked: str
    name: str
    version: str
    commands: tuple[str, ...] = ()
    carried: bool = False

    @property
    def shown(self) -> str:
        """Its name with its version, which may be a digest: of that the first digits."""
        long = len(self.version) > 2 * _SHOWN
        version = f"{self.version[:_SHOWN]}…" if long else self.version
        return f"{self.name}@{version}" if version else self.name


class WantedPackage(msgspec.Struct, frozen=True):
    """A package of the operating system, and who needs it: the manifest, or runtimes by name."""

    name: str
    needed_by: tuple[str, ...]


class WantedSource(msgspec.Struct, frozen=True):
    """A source of packages. ``key`` is the file of its key, ``fingerprint`` the one that it must have (empty:
    the person is asked). Where it is ``alone``, packages come from nowhere else.
    """

    name: str
    url: str
    key: Path
    suite: str = ""
    components: tuple[str, ...] = ()
    fingerprint: str = ""
    alone: bool = False


class BuiltWith(msgspec.Struct, frozen=True):
    """The default version of another runtime that a build uses."""

    runtime: str
    version: str
    folder: Path
    bins: tuple[Path, ...]
    variables: tuple[tuple[str, str], ...] = ()


class WantedVersion(msgspec.Struct, frozen=True):
    """One version that must stand on the shelf. ``artefact`` is None where it already does.

    ``packages`` are those of the operating system that its recipe needs here. A ``source`` is built, with
    ``earlier`` (a version needed only for that), in about ``build_seconds`` (0: nobody knows): as long as the
    last one took here where one was ``built_before``. ``on`` is the version of another runtime that it runs
    on, as ``NAME VERSION``, ``built_with`` are those that its build uses, ``builds`` the folders
    that may hold a build of it from another machine. ``extras`` are the command-line packages to be put into
    it. ``variables`` are those of its recipe.

    It is installed ``through`` a manager, if one is named; while that is not there, ``version`` is the want,
    and ``pending`` says so. ``root`` is the folder of the archive that is the version (empty: all of it),
    ``links`` are commands that it does not have as such, each with its file, ``parts`` its further files, and
    ``finish`` a step that runs in its folder once all is there. ``recipe_place`` is where its recipe stands,
    ``damage`` what of a version that stands is not as it was put there. A manager has a ``home``; what its
    installer's ``script`` holds was ``reviewed``, or is asked about. ``replaces`` are commands of the system
    that it may shadow.
    """

    runtime: str
    version: str
    want: str
    default: bool
    folder: Path
    recipe: Recipe
    feed: str
    channels: tuple[str, ...] = ()
    ends: str = ""
    artefact: Artefact | None = None
    packages: tuple[str, ...] = ()
    licence: str = ""
    licence_accepted: bool = False
    unpinned_accepted: bool = False
    source: bool = False
    build_seconds: float = 0
    built_before: bool = False
    build: BuildChoices = BuildChoices()
    earlier: WantedVersion | None = None
    on: str = ""
    built_with: tuple[BuiltWith, ...] = ()
    builds: tuple[Path, ...] = ()
    extras: tuple[WantedExtra, ...] = ()
    variables: tuple[tuple[str, str], ...] = ()
    through: str = ""
    home: Path | None = None
    pending: bool = False
    script: bytes = b""
    reviewed: bool = False
    root: str = ""
    links: Mapping[str, str] = {}
    parts: tuple[Part, ...] = ()
    finish: str = ""
    recipe_place: str = ""
    replaces: tuple[str, ...] = ()
    damage: tuple[Difference, ...] = ()

    @property
    def bins(self) -> tuple[Path, ...]:
        """The folders that hold its commands."""
        return tuple(self.folder / part if part != "." else self.folder for part in self.recipe.bin)

    @property
    def below(self) -> tuple[Path, ...]:
        """The folder that holds the commands of the version of another runtime that it runs on."""
        return (self.folder.parent.parent.joinpath(*self.on.split()) / "bin",) if self.on else ()


class Wanted(msgspec.Struct, frozen=True):
    """The whole: versions, variables in order, PATH entries, removals, checks, the shells to set up.

    ``purges`` are packages, ``stale_variables`` and ``alternatives`` names that go at the end. ``led`` are
    folders with commands to which the alternatives system is to lead. ``authorities`` is the file of
    certificate authorities that the runtimes' own tools are to trust (empty: they keep theirs).

    In the startup files ``lines_last`` our line stands below all others, in ``lines_first`` above what may
    end their reading. ``of_system`` are commands that the system itself must answer to: those of runtimes
    with the want ``system``.
    """

    versions: tuple[WantedVersion, ...]
    variables: tuple[tuple[str, Value], ...]
    path_first: tuple[str, ...]
    path_last: tuple[str, ...]
    removals: tuple[Path, ...]
    checks: tuple[Check, ...]
    shells: tuple[str, ...]
    folder: Path
    packages: tuple[WantedPackage, ...] = ()
    sources: tuple[WantedSource, ...] = ()
    answers: Mapping[str, bool | str] = {}
    system_variables: tuple[tuple[str, str], ...] = ()
    of_system: tuple[str, ...] = ()
    shelf: Path = Path()
    recipes: Mapping[str, Recipe] = {}
    shell_choices: Shells = Shells()
    settings: tuple[Setting, ...] = ()
    identity: Identity | None = None
    elsewhere: Elsewhere = Elsewhere()
    authorities: str = ""
    purges: tuple[str, ...] = ()
    stale_variables: tuple[str, ...] = ()
    alternatives: tuple[str, ...] = ()
    led: tuple[Path, ...] = ()
    lines_last: frozenset[Path] = frozenset()
    lines_first: frozenset[Path] = frozenset()

    @property
    def defaults(self) -> tuple[WantedVersion, ...]:
        """The versions that answer by default."""
        return tuple(v for v in self.versions if v.default and not v.pending)

    @property
    def by_default(self) -> tuple[tuple[str, str], ...]:
        """The variables, with the versions that answer by default."""
        places = {v.runtime: str(v.folder) for v in self.defaults}
        return tuple(
            (name, "".join(places[part.runtime] if isinstance(part, Reference) else part for part in value))
            for name, value in self.variables
            if all(part.runtime in places for part in value if isinstance(part, Reference))
        )

    @property
    def default_bins(self) -> tuple[str, ...]:
        """The folders that hold the commands of the versions that answer by default."""
        return tuple(dict.fromkeys(str(b) for each in self.defaults for b in each.bins))

    @property
    def managers(self) -> dict[str, WantedVersion]:
        """The managers, by name."""
        return {v.runtime: v for v in self.versions if v.recipe.manager is not None and v.default}


def put_together(
    manifest: Manifest,
    versions: tuple[WantedVersion, ...],
    shells: tuple[str, ...],
    packages: tuple[WantedPackage, ...],
    folder: Path,
    home: Path,
    of_system: tuple[str, ...] = (),
    shelf: Path = Path(),
    recipes: Mapping[str, Recipe] | None = None,
    authorities: str = "",
) -> Wanted:
    """Everything that a manifest wants, given the versions that its wants resolved to.

    ``folder`` is where the manifest lies, ``home`` what ``~`` stands for, ``recipes`` are those of its
    runtimes. ``authorities`` is the file of certificate authorities that their own tools are to trust (empty:
    they keep their own).
    """
    recipes = recipes or {}
    defaults = {v.runtime: v for v in versions if v.default}
    places = {name: str(v.folder) for name, v in defaults.items()}
    variables: dict[str, Value] = {}
    for runtime, recipe in {**recipes, **{name: v.recipe for name, v in defaults.items()}}.items():
        for name, text in recipe.variables.items():
            variables[name] = pieces(text, {"folder": runtime, **{n: n for n in recipes or defaults}})
        for name, text in recipe.trust.items() if authorities else ():
            variables[name] = (text.replace("{authorities}", authorities),)
    system: dict[str, str] = {}
    gone = {name for name, tool in manifest.tools.items() if tool.want != "system"} - places.keys()
    absent = dict.fromkeys(gone, "")
    for name, value in manifest.variables.items():
        if isinstance(value, dict):
            system |= {inner: refer(each, places) for inner, each in value.items()}
        elif refer(value, absent) == value:  # else it refers to a runtime that could not be had
            variables[name] = pieces(value, {n: n for n in recipes or defaults})
    return Wanted(
        versions=versions,
        variables=tuple(variables.items()),
        path_first=tuple(dict.fromkeys(expand(entry, home) for entry in manifest.path.first)),
        path_last=tuple(dict.fromkeys(expand(entry, home) for entry in manifest.path.last)),
        removals=tuple(Path(expand(each.path, home)) for each in manifest.conflicts.remove if each.path),
        purges=tuple(each.package for each in manifest.conflicts.remove if each.package),
        stale_variables=tuple(each.variable for each in manifest.conflicts.remove if each.variable),
        alternatives=tuple(each.alternative for each in manifest.conflicts.remove if each.alternative),
        led=tuple(
            Path(expand(tool.system, home)) / part
            for name, tool in manifest.runtimes.items()
            if name in defaults and tool.system is not None and tool.alternatives
            for part in defaults[name].recipe.bin
        ),
        checks=tuple(
            msgspec.structs.replace(each, folder=str(folder / expand(each.folder, home)))
            if each.folder is not None
            else each
            for each in manifest.checks
        ),
        shells=shells,
        folder=folder,
        packages=packages,
        sources=tuple(
            WantedSource(
                n, s.url, folder / s.key, s.suite, s.components, s.fingerprint, _is_at(s.url, manifest)
            )
            for n, s in manifest.prerequisites.sources.items()
        ),
        answers=manifest.prerequisites.answers,
        system_variables=tuple(system.items()),
        of_system=of_system,
        shelf=shelf,
        recipes=recipes,
        shell_choices=manifest.shells,
        settings=manifest.settings,
        identity=manifest.identity,
        elsewhere=manifest.elsewhere,
        authorities=authorities,
    )


def _is_at(url: str, manifest: Manifest) -> bool:
    """Whether a source is at the mirror that alone is to be asked."""
    mirror = manifest.mirror
    return mirror is not None and mirror.only and f"{url}/".startswith(f"{mirror.url.rstrip('/')}/")


def packages_of(manifest: Manifest, recipes: Mapping[str, Recipe], family: str) -> tuple[WantedPackage, ...]:
    """The packages that a manifest and its recipes need on a family of systems, each with who needs it.
    Pure.
    """
    needed: dict[str, list[str]] = {}
    for name in names_for(manifest.prerequisites.packages, family):
        needed.setdefault(name, []).append("the manifest")
    for runtime, recipe in recipes.items():
        names = names_for(recipe.needs.packages, family)
        if runtime in manifest.tools and manifest.tools[runtime].optional_needs:
            names += names_for(recipe.needs.optional, family)
        for name in names:
            needed.setdefault(name, []).append(runtime)
    return tuple(WantedPackage(name, tuple(by)) for name, by in needed.items())


def pieces(text: str, runtimes: Mapping[str, str]) -> Value:
    """``text`` taken apart at its references: ``{name}`` stands for the folder of the runtime that a name
    means.
    """
    found: list[str | Reference] = []
    end = 0
    for match in re.finditer(_REFERENCE, text) if "{" in text else ():
        name = match[1] or match[2]
        if name in runtimes:
            found += [text[end : match.start()], f"{{{name}}}" if match[1] else Reference(runtimes[name])]
            end = match.end()
    return tuple(part for part in (*found, text[end:]) if part)


def refer(text: str, places: Mapping[str, str]) -> str:
    """``text`` with ``{name}`` replaced by that runtime's folder. ``{{name}}`` gives ``{name}``.

    Braces around anything else stand for themselves, so that any text can be a value.
    """

    def place(found: re.Match[str]) -> str:
        if found[1]:
            return f"{{{found[1]}}}" if found[1] in places else found[0]
        return places.get(found[2], found[0])

    return re.sub(_REFERENCE, place, text)


def mistyped(variables: Mapping[str, object], runtimes: Iterable[str]) -> list[str]:
    """A sentence for each name in braces, in the values of variables, that stands for no runtime and looks
    like one. Pure.
    """
    known = list(runtimes)
    told = []
    for variable, value in variables.items():
        for found in re.finditer(_REFERENCE, value) if isinstance(value, str) and "{" in value else ():
            if found[2] in known:
                continue
            import difflib  # most values name what there is

            close = difflib.get_close_matches(found[2] or "", known, 1)
            if close:
                told.append(
                    f"{variable} holds {found[0]}, which names no runtime and stays as it is: did you"
                    f" mean {{{close[0]}}}?"
                )
    return told


def expand(path: str, home: Path) -> str:
    """A path with a leading ``~`` replaced by the home."""
    if path == "~":
        return str(home)
    return str(home / path[2:]) if path.startswith("~/") else path.rstrip("/") or "/"
