"""What is there, read and not touched: everything that planning compares with what is wanted."""

from __future__ import annotations

import copy
import os
from collections.abc import Callable, Collection, Iterable, Mapping
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from zesty_anchor.files.text_file import TextFile, read_text_file
from zesty_anchor.manifest.model import Identity
from zesty_anchor.shelf import launchers
from zesty_anchor.shelf.receipt import Receipt, stock
from zesty_anchor.shells.guard import ends_early
from zesty_anchor.shells.known import LAUNCH, SESSION, SHELLS, generated
from zesty_anchor.shells.reading import Surroundings
from zesty_anchor.system import pam_environment
from zesty_anchor.system.host import Host, find_program, host, login_path, login_shell
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.login_environment import login_environment
from zesty_anchor.system.problem import UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.shells.fish_tree import FishParser
    from zesty_anchor.survey.identity import IdentityFacts
    from zesty_anchor.system.package_manager import PackageFacts, PackageManager

USER_GENERATORS = tuple(
    Path(folder, "systemd/user-environment-generators/30-systemd-environment-d-generator")
    for folder in ("/usr/lib", "/lib")
)
_CANDIDATE_GLOBAL = (Path("/etc/zsh/zshenv"), Path("/etc/zshenv"))


class InstalledShell(msgspec.Struct, frozen=True):
    """A shell on this machine that we know, and whether the user logs in with it."""

    name: str
    program: str
    login: bool


_FOLLOWS = {
    "packages": (
        "packages",
        "coming",
        "shells",
        "zdotdir",
        "startup",
        "sourced",
        "around",
        "has_user_generator",
        "identity",
    ),
    "startup": ("startup", "sourced", "env_file", "zdotdir", "around"),
    "home": ("startup", "sourced", "env_file", "zdotdir", "around", "settings", "identity", "shelf"),
}
"""What else has to be read again where one fact has changed; of the others, that fact alone."""


class Machine:
    """The state of this machine, as far as a manifest can speak of it. Each fact is read when it is first
    asked for.

    ``packages`` are the names of packages to ask about, ``settings`` files of programs to read, ``identity``
    what the manifest says of the person. ``program`` are the words that start this program. Raises
    ``Problem`` where a file that is asked for cannot be read.
    """

    def __init__(
        self,
        locations: Locations,
        environ: Mapping[str, str],
        *,
        packages: Collection[str] = (),
        settings: Collection[Path] = (),
        identity: Identity | None = None,
        program: tuple[str, ...] = ("zesty-anchor",),
    ) -> None:
        self.locations = locations
        self.environ = environ
        self.program = program
        self._asked = (tuple(packages), tuple(settings), identity)
        self.remembered: dict[object, Any] = {}
        """What was asked of new shells, by all that their answer hangs on: it holds for the machine again,
        too.
        """

    def again(self, touched: Iterable[str]) -> Machine:
        """The machine after these facts have changed: they are read anew when they are asked for, the others
        are kept.
        """
        fresh = copy.copy(self)
        for fact in touched:
            for follows in _FOLLOWS.get(fact, (fact,)):
                fresh.__dict__.pop(follows, None)
        return fresh

    def on(self, here: Host, *, empty: bool = False) -> Machine:
        """The same machine as if it were another one; with ``empty`` one that no version is installed on."""
        fresh = copy.copy(self)
        fresh.__dict__["host"] = here
        if empty:
            fresh.__dict__["shelf"] = {}
        return fresh

    @cached_property
    def host(self) -> Host:
        """The operating system and the processor."""
        return host()

    @cached_property
    def path(self) -> str:
        """The PATH that this program was called with."""
        return self.environ.get("PATH", "")

    @cached_property
    def login_path(self) -> str:
        """The PATH that the system gives at login."""
        return login_path()

    @cached_property
    def manager(self) -> PackageManager | None:
        """The package manager of this system."""
        from zesty_anchor.system.package_managers import package_manager

        return package_manager(self.host.families, self.environ)

    @cached_property
    def packages(self) -> PackageFacts | None:
        """What is known of the packages that were asked about; None where there are none, or no manager that
        we know.
        """
        names = self._asked[0]
        return self.manager.facts(names) if names and self.manager else None

    @cached_property
    def coming(self) -> frozenset[str]:
        """Of the packages that were asked about, those that are still to be installed."""
        facts = self.packages
        return frozenset(name for name in self._asked[0] if facts and name not in facts.installed)

    @cached_property
    def shells(self) -> tuple[InstalledShell, ...]:
        """The shells that we know and that are here."""
        return installed_shells(self.environ)

    @cached_property
    def fish_parser(self) -> FishParser:
        """fish's own parser."""
        from zesty_anchor.shells.fish_tree import FishParser

        fish = self.shell("fish")
        return FishParser(fish.program if fish else "fish")

    @cached_property
    def login_environ(self) -> Mapping[str, str]:
        """What a login here gives of the variables that steer which files a shell reads."""
        return login_environment(self.locations.home, self.locations.others)

    @cached_property
    def zdotdir(self) -> Path | None:
        """The ZDOTDIR that a fresh zsh will have."""
        return _zdotdir(self.locations, self.login_environ, self.shells)

    @cached_property
    def env_file(self) -> Path | None:
        """The file in the home that ENV names."""
        return _env_file(self.locations, self.login_environ)

    @cached_property
    def _dropins(self) -> tuple[Path, ...]:
        own = [file for shell in SHELLS.values() if (file := shell.own_file(self.locations.others))]
        return tuple(
            sorted(path for file in own for path in file.parent.glob(f"*{file.suffix}") if path not in own)
        )

    @cached_property
    def places(self) -> Surroundings:
        """Where startup files would be; ``around`` tells of those that are there as well."""
        return Surroundings(
            self.locations.home, self.locations.others, self.host.system, self.zdotdir, self.env_file,
            data=self.locations.data.parent, cache=self.locations.cache.parent,
            dropins=self._dropins, zdotdir_given="ZDOTDIR" in self.login_environ,
        )  # fmt: skip

    @cached_property
    def startup(self) -> dict[Path, TextFile]:
        """Every startup file of every shell that we know, whether it exists or not."""
        for known in ("_dropins", "places"):
            self.__dict__.pop(known, None)
        return {r.file: read_text_file(r.file) for shell in SHELLS.values() for r in shell.reads(self.places)}

    @cached_property
    def sourced(self) -> dict[Path, TextFile]:
        """The files that startup files read in their turn."""
        from zesty_anchor.survey.sourced import sourced_files

        return sourced_files(self.startup, self.locations.home)

    @cached_property
    def around(self) -> Surroundings:
        """What decides which startup files are read."""
        existing = frozenset(path for path, file in self.startup.items() if file.content is not None)
        guarded = frozenset(
            path
            for path in existing
            if path.name == ".bashrc" and ends_early(self.startup[path].content or b"") is not None
        )
        dropins = tuple(path for path in self.startup if path.parent == self.locations.others / "fish/conf.d")
        return msgspec.structs.replace(self.places, existing=existing, guarded=guarded, dropins=dropins)

    @cached_property
    def generated(self) -> dict[str, TextFile]:
        """The files that we write for the shells, by their name."""
        places = {name: generated_file(self.locations, name) for name in generated()}
        # A folder in the place of one gives way to it.
        return {n: TextFile(p, p, None) if p.is_dir() else read_text_file(p) for n, p in places.items()}

    @cached_property
    def shelf(self) -> dict[tuple[str, str], Receipt]:
        """The receipts of what stands on the shelf, by runtime and folder."""
        return stock(self.locations.shelf)

    @cached_property
    def launchers(self) -> Mapping[str, str]:
        """The launchers that are there, by name, with their text."""
        return launchers.standing(self.locations.launchers)

    @cached_property
    def has_user_generator(self) -> bool:
        """Whether systemd gives sessions the variables of environment.d(5)."""
        return any(file.is_file() for file in USER_GENERATORS)

    @cached_property
    def system_environment(self) -> TextFile:
        """/etc/environment."""
        return read_text_file(pam_environment.FILE)

    @cached_property
    def settings(self) -> Mapping[Path, TextFile]:
        """The files of programs in which the manifest sets keys."""
        return {path: read_text_file(path) for path in self._asked[1]}

    @cached_property
    def identity(self) -> IdentityFacts | None:
        """Who the person is to git and to hosts; None where the manifest says nothing of it. Hosts may be
        asked.
        """
        identity = self._asked[2]
        if identity is None:
            return None
        from zesty_anchor.survey.identity import identity_facts

        return identity_facts(identity, self.locations, self.environ, self.coming)

    @property
    def read_alone(self) -> tuple[TextFile, ...]:
        """The generated files that a shell reads by itself, without a line of ours in a startup file."""
        return tuple(
            self.generated[name]
            for name, shell in SHELLS.items()
            if shell.own_file(self.locations.others) is not None
        )

    def shell(self, name: str) -> InstalledShell | None:
        """A shell by name, if it is installed."""
        return next((shell for shell in self.shells if shell.name == name), None)


def generated_file(locations: Locations, name: str) -> Path:
    """Where a generated file stands. Some shells, and systemd, have folders of their own for them."""
    own = SHELLS[name].own_file(locations.others) if name in SHELLS else None
    if own is not None:
        return own
    if name == SESSION:
        return locations.others / "environment.d/60-zesty-anchor.conf"
    if name == LAUNCH:
        return locations.shell / f"{name}.sh"
    return locations.shell / (f"environment.{name}" if name in SHELLS else name)


def known_blocks(locations: Locations) -> frozenset[bytes]:
    """The lines that we write into startup files, of every shell and both kinds."""
    return frozenset(
        os.fsencode(shell.block(generated_file(locations, name), locations.home, early=early))
        for name, shell in SHELLS.items()
        if shell.own_file(locations.others) is None
        for early in (False, True)
    )


def installed_shells(environ: Mapping[str, str]) -> tuple[InstalledShell, ...]:
    """The shells that we know and that are here. Which one is the login shell comes from passwd(5), else
    SHELL.
    """
    login = login_shell() or environ.get("SHELL", "")
    found = []
    for name, shell in SHELLS.items():
        program = next((p for called in shell.programs if (p := find_program(called, environ))), None)
        if Path(login).name in shell.programs and os.access(login, os.X_OK):
            program = login
        if program is not None:
            found.append(InstalledShell(name, program, Path(login).name in (name, *shell.programs)))
    return tuple(found)


def shells_to_use(
    use: str | tuple[str, ...], machine: Machine, coming: Collection[str] = (), place: Callable[[], str] = str
) -> tuple[str, ...]:
    """The names of the shells that ``[shells] use`` asks for, as far as they are here.

    One whose package is ``coming`` may still be missing. Raises ``UsageProblem`` for a shell that is not
    installed, or cannot be set up; ``place`` tells the file and line that ask for it.
    """
    here = [shell.name for shell in machine.shells]
    unfit = left_out(machine)
    if use == "all":
        chosen = [name for name in here if name not in unfit]
    elif use == "login":
        chosen = [shell.name for shell in machine.shells if shell.login]
    else:
        for name in use:
            if name not in here and name not in coming:
                raise UsageProblem(
                    f"the shell {name!r} is not installed",
                    where=place(),
                    advice="install it, or leave it out of [shells] use",
                )
            if name in unfit:
                raise UsageProblem(
                    f"the shell {name!r} cannot be set up here: {unfit[name]}",
                    where=place(),
                    advice="leave it out of [shells] use",
                )
        chosen = [name for name in here if name in use]
    if not chosen:
        raise UsageProblem(
            "no shell to set up: "
            + ("none that we know is installed" if not here else "the login shell is another"),
            where=place(),
            advice=f'write [shells] use = ["{here[0] if here else "bash"}"] in the manifest',
        )
    return tuple(chosen)


def left_out(machine: Machine) -> dict[str, str]:
    """The shells here that cannot be set up in this home, each with the reason."""
    reasons = {shell.name: SHELLS[shell.name].unfit(machine.locations.home) for shell in machine.shells}
    return {name: reason for name, reason in reasons.items() if reason}


def _env_file(locations: Locations, environ: Mapping[str, str]) -> Path | None:
    """The file in the home that ENV names, which interactive shells of the Korn family read."""
    value = environ.get("ENV", "")
    return Path(value) if value.startswith(f"{locations.home}/") and Path(value).is_file() else None


def _zdotdir(
    locations: Locations, environ: Mapping[str, str], shells: tuple[InstalledShell, ...]
) -> Path | None:
    """The ZDOTDIR that a fresh zsh will have. zsh is asked only if a file of its start mentions the name."""
    zsh = next((shell for shell in shells if shell.name == "zsh"), None)
    if zsh is None:
        return None
    for file in (locations.home / ".zshenv", *_CANDIDATE_GLOBAL):
        try:
            mentioned = b"ZDOTDIR" in file.read_bytes()
        except OSError:
            continue
        if mentioned:
            return _ask_zdotdir(zsh.program, locations.home, environ)
    value = environ.get("ZDOTDIR", "")
    return Path(value) if value.startswith("/") and Path(value) != locations.home else None


def _ask_zdotdir(program: str, home: Path, environ: Mapping[str, str]) -> Path | None:
    import subprocess

    try:
        answer = subprocess.run(
            [program, "-c", 'printf %s "${ZDOTDIR-}"'],
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=5,
            check=False,
            env={**environ, "HOME": str(home), "PATH": login_path()},
        )
    except (OSError, subprocess.TimeoutExpired):
        return None
    value = os.fsdecode(answer.stdout)
    return Path(value) if value.startswith("/") and Path(value) != home else None
