"""Choosing versions: for the session, the project or by default, or for one command."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.files.edit import replace
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.pin import Pin, pin_files
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.manifest.wanted import Reference, Wanted
from zesty_anchor.planning.choices import SESSION, Choice, Chooser, Missing
from zesty_anchor.planning.resolve import Asked
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.operations.workstation import Workstation
    from zesty_anchor.survey.machine import Machine

NEXT = "install it with: zesty-anchor provision"
FOLLOWING = ("bash", "zsh", "fish", "ksh", "mksh")
"""The shells whose function brings them up to date after each command of ours."""


class Switched(msgspec.Struct, frozen=True):
    """What a switch came to: the choice now in effect, the whole of the session's, and the file that was written."""

    choice: Choice
    session: str | None = None
    written: str = ""


class Switching:
    """The choices that a person makes on one workstation, in one folder."""

    def __init__(self, workstation: Workstation, environ: Mapping[str, str], folder: Path) -> None:
        self._workstation = workstation
        self._environ = environ
        self._folder = folder

    def in_effect(self) -> list[Choice]:
        """What is in effect in the folder, for every runtime."""
        workstation = self._workstation
        machine = workstation.shelf()
        lines = {name: workstation.decided_by_default(name) for name in workstation.manifest.tools}
        return self._chooser(machine).in_effect(self._folder, self._environ.get(SESSION, ""), lines)

    def choice(self, runtime: str) -> Choice:
        """What is in effect for one runtime. Raises ``UsageProblem`` where the manifest does not have it."""
        self._workstation.check_runtime(runtime)
        return next(choice for choice in self.in_effect() if choice.runtime == runtime)

    def session(self, runtime: str, want: str, *, install: bool = False) -> Switched:
        """Choose for the session. The shell itself must take the answer, so it is asked for there."""
        self._refuse_outside_shell()
        version = self.installed(runtime, want, install=install)
        others = [w for w in self._environ.get(SESSION, "").split() if not w.startswith(f"{runtime}=")]
        return Switched(Choice(runtime, version, "session", f"${SESSION}"), " ".join([*others, f"{runtime}={version}"]))

    def forget_session(self, runtime: str) -> Switched:
        """Drop the session's choice."""
        self._refuse_outside_shell()
        words = [w for w in self._environ.get(SESSION, "").split() if not w.startswith(f"{runtime}=")]
        rest = " ".join(words)
        self._environ = {**self._environ, SESSION: rest}
        return Switched(self.choice(runtime), rest)

    def project(self, runtime: str, want: str, *, install: bool = False) -> Switched:
        """Pin a version for the project: in the file that pins it already, else in a new one in this folder."""
        version = self.installed(runtime, want, install=install)
        recipe = self._workstation.recipes[runtime]
        pinned = [
            (file, pin)
            for file, pin in self._chooser(self._workstation.shelf()).pins(self._folder)
            if pin.runtime == runtime and pin.requirement is None
        ]
        file = pinned[0][0] if pinned else self._folder / pin_files(runtime, recipe)[0]
        _write_pin(file, runtime, want, pinned[0][1].line if pinned else 0)
        place = f"{self._workstation.locations.shown(file)}:{pinned[0][1].line if pinned else 1}"
        return Switched(Choice(runtime, version, "project", place), written=str(file))

    def forget_project(self, runtime: str) -> Switched:
        """Remove this folder's pin of a runtime. Raises ``Problem`` where it stands elsewhere, or in a shared file."""
        file = self._folder / f".{runtime}-version"
        if not file.is_file():
            decided = self.choice(runtime)
            raise Problem(
                f"no {file.name} in this folder pins {runtime}",
                where=f"{runtime} {decided.version} is in effect: {decided.scope}, by {decided.decided_by}",
                advice="take the pin out of the file that is named",
            )
        file.unlink()
        return Switched(self.choice(runtime), written=str(file))

    def default(self, runtime: str, want: str) -> tuple[Path, bytes, bytes]:
        """Write the default version into the manifest. Returns the file, and its content before and after.

        Its layout and comments stay. The machine follows by a provisioning.
        """
        import tomlkit

        self._refuse_manager(runtime)
        self._check_want(want)
        file = self._workstation.file
        before = file.read_bytes()
        document = tomlkit.parse(before.decode("utf-8"))
        document["runtimes"][runtime]["want"] = want
        after = tomlkit.dumps(document).encode()
        if after != before:
            replace(Path(os.path.realpath(file)), after, file.stat().st_mode & 0o7777)
        return file, before, after

    def environment(self, pairs: Sequence[tuple[str, str]], *, install: bool = False) -> dict[str, str]:
        """The environment in which one command runs with chosen versions, the others as they are in effect here."""
        chosen = {name: self.installed(name, want, install=install) for name, want in pairs}
        machine = self._workstation.shelf()
        wanted = self._workstation.wanted_here(machine)
        for choice in self.in_effect():
            chosen.setdefault(choice.runtime, choice.version)
        named = {name for name, _ in pairs}
        session = [w for w in self._environ.get(SESSION, "").split() if w.partition("=")[0] not in named]
        session += [f"{name}={chosen[name]}" for name, _ in pairs]
        return {
            **self._environ,
            **_variables(wanted, chosen),
            "PATH": ":".join(self._path(wanted, chosen, self._environ.get("PATH", ""))),
            SESSION: " ".join(session),
        }

    def _refuse_manager(self, name: str) -> None:
        """Raises ``UsageProblem`` for a manager: there is one version of it, for all."""
        if name in self._workstation.manifest.managers:
            raise UsageProblem(
                f"{name} is a manager, and is not switched",
                where=str(self._workstation.file),
                advice=f"write another want in [managers.{name}], then run: zesty-anchor provision",
            )

    def installed(self, runtime: str, want: str, *, install: bool = False) -> str:
        """The installed version that a want means here. Raises ``Problem`` where none is, unless it may be installed."""
        self._workstation.check_runtime(runtime)
        self._refuse_manager(runtime)
        self._check_want(want)
        for again in (False, True):
            machine = self._workstation.shelf()
            here = [r for (name, _), r in machine.shelf.items() if name == runtime]
            version = Pin(runtime, want, 1).choose(here, "")
            if version is not None:
                return next((f for (n, f), r in machine.shelf.items() if (n, r.version) == (runtime, version)), version)
            if again or not (install or self._workstation.may(f"{runtime} {want} is not installed; install it now?")):
                break
            self._workstation.bring([Asked(runtime, want, False)])
        versions = ", ".join(sorted((r.version for r in here), key=Version)) or "none"
        raise Problem(
            f"{runtime} {want} is not installed",
            where=f"installed: {versions}",
            advice="the same command with --install installs it first",
        )

    # -- what the shells ask ---------------------------------------------------------------------------

    def answer(self, files: Sequence[Path], *, may_install: bool) -> None:
        """Resolve the pins in these files for the shells, after installing what is missing if the manifest says so.

        A shell that stayed open after all was taken back is given nothing: no trace may come back.
        """
        if not self._workstation.provisioned:
            return
        chooser = self._chooser(self._workstation.shelf())
        policy = self._workstation.manifest.shells.missing
        missing = [m for m in chooser.missing(files) if not m.pin.wrong and _own(m.file)]
        if missing and may_install and policy != "say":
            texts = ", ".join(f"{m.pin.runtime} {m.pin.want}" for m in missing)
            if policy == "install" or self._workstation.may(f"this project wants {texts}; install it now?"):
                self._workstation.bring(self.asked(missing))
                chooser = self._chooser(self._workstation.shelf())
        chooser.write_answers(files, NEXT)

    def renew(self) -> None:
        """Bring what the shells read in step with the shelf."""
        if self._workstation.locations.pins.is_dir():
            self._chooser(self._workstation.shelf()).renew_answers(NEXT)

    def missing(self) -> list[Missing]:
        """The pins that hold in the folder and that no installed version answers to."""
        chooser = self._chooser(self._workstation.shelf())
        return [m for m in chooser.missing(list(chooser.files(self._folder))) if not m.pin.wrong]

    def asked(self, missing: Sequence[Missing]) -> list[Asked]:
        """What to ask the feeds for. A requirement of another format takes the newest version that meets it."""
        asked = []
        for each in missing:
            pin = each.pin
            want = pin.want
            if pin.requirement is not None:
                offered = self._workstation.releases(pin.runtime)
                fitting = [r.version for r in offered if pin.admits(r.version, r.channels)]
                stable = [v for v in fitting if not Version(v).is_prerelease] or fitting
                if not stable:
                    continue
                want = max(stable, key=Version)
            asked.append(Asked(pin.runtime, want, False))
        return asked

    # -- parts -----------------------------------------------------------------------------------------

    def _chooser(self, machine: Machine) -> Chooser:
        workstation = self._workstation
        defaults = {name: workstation.default_version(name, machine) or "" for name in workstation.manifest.tools}
        return Chooser(workstation.recipes, machine.shelf, defaults, machine.locations, workstation.file)

    @staticmethod
    def _check_want(want: str) -> None:
        try:
            Want(want)
        except ValueError as error:
            raise UsageProblem(str(error)) from None

    def _refuse_outside_shell(self) -> None:
        if not self._environ.get("ZESTY_ANCHOR_SHELL"):
            raise UsageProblem(
                "a session's choice lives in the shell itself, and this one has not read what we wrote for it",
                advice=f"{self._workstation.reload_line()}   (or choose with --project or --default)",
            )

    def _path(self, wanted: Wanted, chosen: Mapping[str, str], path: str) -> list[str]:
        shelf = self._workstation.locations.shelf
        bins = [
            str(shelf / name / chosen[name] / part) if part != "." else str(shelf / name / chosen[name])
            for name, recipe in wanted.recipes.items()
            if chosen.get(name) not in (None, "", SYSTEM)
            for part in recipe.bin
        ]
        rest = [entry for entry in path.split(":") if not entry.startswith(f"{shelf}/") and entry not in bins]
        return list(dict.fromkeys([*bins, *rest]))


def _variables(wanted: Wanted, chosen: Mapping[str, str]) -> dict[str, str]:
    values = {}
    for name, value in wanted.variables:
        spoken = [part.runtime for part in value if isinstance(part, Reference)]
        if all(chosen.get(runtime) not in (None, "", SYSTEM) for runtime in spoken):
            values[name] = "".join(
                str(wanted.shelf / p.runtime / chosen[p.runtime]) if isinstance(p, Reference) else p for p in value
            )
    return values


def _write_pin(file: Path, runtime: str, want: str, line: int) -> None:
    """Change one pin in a file, or make the file; whatever else is in it stays."""
    if not line:
        file.write_text(f"{want}\n", "utf-8")
        return
    content = file.read_bytes()
    if file.name == FILE_NAME:
        import tomlkit

        document = tomlkit.parse(content.decode("utf-8"))
        document["runtimes"][runtime]["want"] = want
        after = tomlkit.dumps(document).encode()
    else:
        rows = content.decode("utf-8", "surrogateescape").splitlines(keepends=True)
        old = rows[line - 1]
        rows[line - 1] = old.replace(old.partition("#")[0].strip(), want, 1)
        after = "".join(rows).encode("utf-8", "surrogateescape")
    replace(Path(os.path.realpath(file)), after, file.stat().st_mode & 0o7777)


def _own(file: Path) -> bool:
    """Whether a file is the user's own, or the system's: nothing is installed because a stranger's asks for it."""
    try:
        return file.stat().st_uid in (os.geteuid(), 0)
    except OSError:
        return False
