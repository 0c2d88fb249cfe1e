"""What is there, read and not touched: everything that planning compares with what is wanted."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Collection, Mapping
from pathlib import Path

import msgspec

from zesty_anchor.files.text_file import TextFile, read_text_file
from zesty_anchor.manifest.model import Identity
from zesty_anchor.shelf import launchers
from zesty_anchor.shelf.receipt import Receipt, stock
from zesty_anchor.shells.known import FOLLOW, GENERATED, LAUNCH, SESSION, SHELLS
from zesty_anchor.shells.shell import Surroundings
from zesty_anchor.survey.identity import IdentityFacts, identity_facts
from zesty_anchor.survey.startup.guard import ends_early
from zesty_anchor.system import pam_environment
from zesty_anchor.system.host import Host, find_program, host, login_path, login_shell
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.own_program import own_words
from zesty_anchor.system.package_manager import PackageFacts, package_manager
from zesty_anchor.system.problem import UsageProblem

_USER_GENERATORS = tuple(
    Path(folder, "systemd/user-environment-generators/30-systemd-environment-d-generator")
    for folder in ("/usr/lib", "/lib")
)
_CANDIDATE_GLOBAL = (Path("/etc/zsh/zshenv"), Path("/etc/zshenv"))


class InstalledShell(msgspec.Struct, frozen=True):
    """A shell on this machine that we know, and whether the user logs in with it."""

    name: str
    program: str
    login: bool


class Machine(msgspec.Struct, frozen=True):
    """The state of this machine, as far as a manifest can speak of it."""

    host: Host
    locations: Locations
    shells: tuple[InstalledShell, ...]
    zdotdir: Path | None
    startup: dict[Path, TextFile]
    generated: dict[str, TextFile]
    shelf: dict[tuple[str, str], Receipt]
    path: str
    login_path: str
    program: tuple[str, ...] = ("zesty-anchor",)
    env_file: Path | None = None
    has_user_generator: bool = False
    launchers: Mapping[str, str] = {}
    packages: PackageFacts | None = None
    system_environment: TextFile | None = None
    settings: Mapping[Path, TextFile] = {}
    identity: IdentityFacts | None = None

    @property
    def around(self) -> Surroundings:
        """What decides which startup files are read."""
        existing = frozenset(path for path, file in self.startup.items() if file.content is not None)
        guarded = frozenset(
            path
            for path in existing
            if path.name == ".bashrc" and ends_early(self.startup[path].content or b"") is not None
        )
        return Surroundings(
            home=self.locations.home, config=self.locations.others, system=self.host.system, zdotdir=self.zdotdir,
            data=self.locations.data.parent, cache=self.locations.cache.parent,
            env=self.env_file, existing=existing, guarded=guarded,
            dropins=tuple(path for path in self.startup if path.parent == self.locations.others / "fish/conf.d"),
        )  # fmt: skip

    def shell(self, name: str) -> InstalledShell | None:
        """A shell by name, if it is installed."""
        return next((shell for shell in self.shells if shell.name == name), None)


def survey(
    locations: Locations,
    environ: Mapping[str, str],
    *,
    packages: Collection[str] = (),
    system_environment: bool = False,
    settings: Collection[Path] = (),
    identity: Identity | None = None,
) -> Machine:
    """Look at the machine; at packages and at /etc/environment only as far as they are asked for.

    Raises ``Problem`` where a startup file cannot be read.
    """
    here = host()
    manager = package_manager(here.families) if packages else None
    facts = manager.facts(packages) if manager else None
    coming = [name for name in packages if facts and name not in facts.installed]
    shells = installed_shells(environ)
    zdotdir = _zdotdir(locations, environ, shells)
    env_file = _env_file(locations, environ)
    ours, folder = generated_file(locations, "fish"), locations.others / "fish/conf.d"
    dropins = tuple(sorted(path for path in folder.glob("*.fish") if path != ours))
    around = Surroundings(locations.home, locations.others, here.system, zdotdir, env_file, dropins=dropins)
    files = {reading.file: read_text_file(reading.file) for shell in SHELLS.values() for reading in shell.reads(around)}
    return Machine(
        host=here,
        locations=locations,
        shells=shells,
        zdotdir=zdotdir,
        startup=files,
        generated={name: read_text_file(generated_file(locations, name)) for name in GENERATED},
        shelf=stock(locations.shelf),
        path=environ.get("PATH", ""),
        login_path=login_path(),
        program=own_words(),
        env_file=env_file,
        has_user_generator=any(file.is_file() for file in _USER_GENERATORS),
        launchers=launchers.standing(locations.launchers),
        packages=facts,
        system_environment=read_text_file(pam_environment.FILE) if system_environment else None,
        settings={path: read_text_file(path) for path in settings},
        identity=identity_facts(identity, locations, coming) if identity else None,
    )


def generated_file(locations: Locations, name: str) -> Path:
    """Where a generated file stands. fish and systemd have folders of their own for them."""
    if name == "fish":
        return locations.others / "fish/conf.d/zesty-anchor.fish"
    if name == SESSION:
        return locations.others / "environment.d/60-zesty-anchor.conf"
    if name.startswith(FOLLOW):
        return locations.shell / name
    return locations.shell / (f"{name}.sh" if name == LAUNCH else f"environment.{name}")


def installed_shells(environ: Mapping[str, str]) -> tuple[InstalledShell, ...]:
    """The shells that we know and that are here. Which one is the login shell comes from passwd(5), else SHELL."""
    login = login_shell() or environ.get("SHELL", "")
    found = []
    for name, shell in SHELLS.items():
        program = next((p for called in shell.programs if (p := find_program(called, environ))), None)
        if program is not None:
            found.append(InstalledShell(name, program, Path(login).name in (name, *shell.programs)))
    return tuple(found)


def shells_to_use(use: str | tuple[str, ...], machine: Machine, coming: Collection[str] = ()) -> tuple[str, ...]:
    """The names of the shells that ``[shells] use`` asks for, as far as they are here.

    One whose package is ``coming`` may still be missing. Raises ``UsageProblem`` for a shell that is not installed or not known.
    """
    here = [shell.name for shell in machine.shells]
    if use == "all":
        chosen = here
    elif use == "login":
        chosen = [shell.name for shell in machine.shells if shell.login]
    else:
        for name in use:
            if name not in SHELLS:
                raise UsageProblem(
                    f"the shell {name!r} is not one that can be set up",
                    advice=f"choose from: {', '.join(SHELLS)}",
                )
            if name not in here and name not in coming:
                raise UsageProblem(
                    f"the shell {name!r} is not installed",
                    advice="install it, or leave it out of [shells] use",
                )
        chosen = [name for name in here if name in use]
    if not chosen:
        raise UsageProblem(
            "no shell to set up: " + ("none that we know is installed" if not here else "the login shell is another"),
            advice=f'write [shells] use = ["{here[0] if here else "bash"}"] in the manifest',
        )
    return tuple(chosen)


def _env_file(locations: Locations, environ: Mapping[str, str]) -> Path | None:
    """The file in the home that ENV names, which interactive shells of the Korn family read."""
    value = environ.get("ENV", "")
    return Path(value) if value.startswith(f"{locations.home}/") and Path(value).is_file() else None


def _zdotdir(locations: Locations, environ: Mapping[str, str], shells: tuple[InstalledShell, ...]) -> Path | None:
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
            return _ask_zdotdir(zsh.program, locations.home)
    value = environ.get("ZDOTDIR", "")
    return Path(value) if value.startswith("/") and Path(value) != locations.home else None


def _ask_zdotdir(program: str, home: Path) -> Path | None:
    try:
        answer = subprocess.run(
            [program, "-c", 'printf %s "${ZDOTDIR-}"'],
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=5,
            check=False,
            env={"HOME": str(home), "PATH": login_path()},
        )
    except (OSError, subprocess.TimeoutExpired):
        return None
    value = os.fsdecode(answer.stdout)
    return Path(value) if value.startswith("/") and Path(value) != home else None
