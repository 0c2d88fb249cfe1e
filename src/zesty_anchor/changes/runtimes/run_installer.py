"""The change that brings a manager by its own installer, a script that a person has reviewed."""

from __future__ import annotations

import fnmatch
import os
import subprocess
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, PlainKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import ALL_PACKAGES, Stage, version_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import Reverted
from zesty_anchor.changes.runtimes import foreign
from zesty_anchor.changes.runtimes.building import COMMON_MESSAGES, need_of
from zesty_anchor.changes.runtimes.foreign_record import ForeignRecord, Startup
from zesty_anchor.changes.runtimes.install import licence_question
from zesty_anchor.changes.runtimes.leaving import empty
from zesty_anchor.files import folders
from zesty_anchor.files.move import finish_move, move
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.manifest.recipe import Installer
from zesty_anchor.manifest.wanted import Artefact, Wanted, WantedVersion
from zesty_anchor.shelf import place
from zesty_anchor.shelf.build import Unhurried, build
from zesty_anchor.shelf.manager import CALLED, write_call
from zesty_anchor.shelf.receipt import Receipt, write
from zesty_anchor.shells.known import SH, SHELLS, like_sh
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.caught import Edited, caught
from zesty_anchor.system.closed import wait_until_closed
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.host import find_program, plain_environment
from zesty_anchor.system.problem import Problem

SILENCE = 600.0
"""Seconds after which an installer that says nothing is ended."""


class InstallerRecord(ForeignRecord, kw_only=True, tag="installer-script"):
    """The manager, its folder and its place on the shelf; where its older version was put ``aside`` (empty:
    there was none), the parts that this ``keeps``, the ``older`` places on the shelf, and the home that came
    with it.
    """

    manager: str
    folder: str
    shelf: str
    aside: str
    keeps: list[str] = msgspec.field(default_factory=list)
    older: list[str] = msgspec.field(default_factory=list)
    home: str = ""

    def in_attic(self) -> dict[str, str]:
        """The version that gave way."""
        return {self.folder: self.aside} if self.aside else {}

    def places(self) -> tuple[str, ...]:
        """Its folder, and its place on the shelf."""
        return (self.folder, self.shelf)


class RunInstaller(BaseChange, frozen=True):
    """Run one installer; take what it wrote into startup files out of them, and keep the lines for our own
    files.

    ``older`` are the places on the shelf of the version that stands in its folder now. ``shells`` are the
    programs of the shells in use, ``place`` is the folder for a person to read.
    """

    wanted: WantedVersion
    artefact: Artefact
    installer: Installer
    startup: tuple[Startup, ...]
    shells: tuple[tuple[str, str], ...]
    older: tuple[Path, ...]
    place: str
    kind: ClassVar[str] = "installer-script"
    action: ClassVar[str] = "run"
    stage: ClassVar[Stage] = Stage.OBTAIN
    touches: ClassVar[frozenset[str]] = frozenset({"home"})
    layered: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """Whose installer."""
        return f"installer of {self.wanted.runtime} {self.wanted.version}"

    @property
    def key(self) -> str:
        """Names the change among all others."""
        return version_key(self.wanted.runtime, self.wanted.version)

    @property
    def detail(self) -> str:
        """Where it comes from, and where it goes."""
        return f"{self.artefact.url}, as the user, into {self.place}"

    @property
    def needs(self) -> frozenset[str]:
        """The packages that its recipe needs come first."""
        return frozenset({ALL_PACKAGES} if self.wanted.packages else ())

    @property
    def size(self) -> int | None:
        """Nothing is left to fetch: the script was read for its review."""
        return 0

    @property
    def questions(self) -> tuple[Question, ...]:
        """A licence to accept, and the script to review."""
        name = self.wanted.runtime
        asked = licence_question(self.wanted)
        if not self.wanted.reviewed:
            asked.append(
                Question(
                    "script",
                    f"the {self.subject} is a script that nobody has reviewed ({len(self.wanted.script):,}"
                    f" bytes from {self.artefact.url}; to read it: zesty-anchor preview --script {name}):"
                    " run it?",
                    f'[managers.{name}] reviewed = "{self.artefact.digest}"',
                    to_read=self.wanted.script.decode("utf-8", "replace"),
                )
            )
        return tuple(asked)

    @property
    def _folder(self) -> Path:
        return Path(self.installer.folder)

    @property
    def _own(self) -> tuple[Path, ...]:
        """The places that are the manager's own."""
        home = self.wanted.home
        return (self._folder,) if home is None or home.is_relative_to(self._folder) else (self._folder, home)

    def prepare(self, bench: Bench) -> InstallerRecord:
        """Write down what is there. Raises ``Problem`` where another install of it stands there that is not
        ours.
        """
        gives_way = bool(self.older) or bench.placed(str(self._folder))
        for taken in (self.wanted.folder, self._folder):
            ours = taken in self.older if taken == self.wanted.folder else gives_way
            if os.path.lexists(taken) and not ours:
                raise Problem(
                    f"the {self.subject} would find another {self.wanted.runtime} there already",
                    where=str(taken),
                    advice=(
                        "it is not touched. Move it away, or name it in [[conflicts.remove]] without"
                        f" [managers.{self.wanted.runtime}] first; then run the command again"
                    ),
                )
        home = self.wanted.home
        around = (home.parent,) if home is not None else ()
        seen, during = foreign.begin(bench)
        return InstallerRecord(
            seen=seen,
            during=during,
            startup=[each.path for each in self.startup],
            manager=self.wanted.runtime,
            folder=str(self._folder),
            shelf=str(self.wanted.folder),
            aside=str(bench.attic.place(self._folder.name)) if os.path.lexists(self._folder) else "",
            keeps=list(self.installer.keeps),
            older=list(map(str, self.older)),
            home=str(home) if home is not None and not os.path.lexists(home) else "",
            made=[
                made
                for folder in (
                    self.wanted.folder.parent,
                    self._folder.parent,
                    bench.locations.staging,
                    *around,
                )
                for made in folders.missing(folder)
            ],
        )

    def carry_out(self, bench: Bench, record: InstallerRecord) -> None:
        """Run it, see that it left what it should, and link that onto the shelf."""
        for folder in (self.wanted.folder.parent, bench.locations.staging):
            folders.make(folder)
        if record.aside:
            move(self._folder, Path(record.aside))
        with foreign.watched(record, self.startup, bench, self._own, self.wanted.runtime) as traces:
            self._run(bench, traces.within)
        self._check(bench)
        for part in record.keeps:
            _carry_over(Path(record.aside) / part, self._folder / part, bool(record.aside))
        write(
            self._folder,
            Receipt(
                runtime=self.wanted.runtime, version=self.wanted.version, feed=self.wanted.feed,
                url=without_credentials(self.artefact.url),
                digest=self.artefact.digest, adopted=self._adopted(traces.edited, bench),
                home=str(self.wanted.home),
            ),
        )  # fmt: skip
        record.made_own |= foreign.ours_in(self._folder / CALLED)
        for older in self.older:
            older.unlink()
        self.wanted.folder.symlink_to(self._folder)

    def _environment(self, bench: Bench) -> dict[str, str]:
        variables = {
            key: value.replace(str(self.wanted.folder), str(self._folder))
            for key, value in self.wanted.variables
        }
        bins = tuple(self._folder / part for part in self.wanted.recipe.bin)
        return {
            **plain_environment(bench.environ, bench.locations.home, bins),
            **variables,
            **self.installer.environment,
        }

    def _run(self, bench: Bench, within: Sequence[str]) -> None:
        """Run the script as the person, with a small environment and nobody to ask."""
        room = place.stage(bench.locations.staging, "installer")
        try:
            script = room / "installer"
            script.write_bytes(self.wanted.script)
            script.chmod(0o700)
            wait_until_closed([script])
            start = "" if self.wanted.script.startswith(b"#!") else "sh "
            build(
                [f'{start}"$ZESTY_ANCHOR_SCRIPT" "$@"'], self.installer.arguments, bench.locations.home,
                {**self._environment(bench), "TMPDIR": str(room), "ZESTY_ANCHOR_SCRIPT": str(script)},
                bench.log / f"installer-{self.wanted.runtime}-{self.wanted.version}.log",
                Unhurried(lambda text: bench.told(self.key, f"{self.subject}, {text}")),
                lambda line: need_of(line, COMMON_MESSAGES),
                what=f"the {self.subject}", patience=SILENCE, interrupted=bench.interrupted, within=within,
            )  # fmt: skip
        finally:
            discard(room)

    def _check(self, bench: Bench) -> None:
        """Raises ``Problem`` where what was to come is not there, or is another version."""
        tool, recipe = self.wanted.recipe.manager, self.wanted.recipe
        log = bench.log / f"installer-{self.wanted.runtime}-{self.wanted.version}.log"
        places = [self._folder / part for part in recipe.bin]
        if tool and tool.function:
            lacking = [] if (self._folder / tool.function).is_file() else [tool.function]
        else:
            lacking = [c for c in recipe.commands if not any((folder / c).is_file() for folder in places)]
        if lacking:
            said = log.read_text("utf-8", "replace").splitlines()[1:]
            missing = next(
                (line for line in reversed(said) if "not found" in line), said[-1] if said else "nothing"
            )
            raise Problem(
                f"the {self.subject} succeeded, and left no {lacking[0]!r} in {self.place}",
                where=f"the whole log: {log}",
                advice=f"its log says: {missing.strip()}",
            )
        if tool and tool.function:
            shell = find_program(tool.shell, self._environment(bench)) or "/bin/sh"
            write_call(self._folder, self._folder, recipe.commands, tool, shell)
        if recipe.version is None:
            return
        answer = subprocess.run(
            ["/bin/sh", "-c", recipe.version.run], cwd=bench.locations.home, env=self._environment(bench),
            stdin=subprocess.DEVNULL, capture_output=True, text=True, errors="replace", timeout=60,
            check=False,
        )  # fmt: skip
        expected = recipe.version.expected(self.wanted.version)
        if not fnmatch.fnmatchcase(answer.stdout.strip(), expected):
            raise Problem(
                f"the {self.subject} left something else: {recipe.version.run!r} prints "
                f"{(answer.stdout or answer.stderr).strip()!r}, not {expected!r}",
                where=f"the whole log: {log}",
                advice=(
                    f"write the version that the script brings as want in [managers.{self.wanted.runtime}]"
                ),
            )

    def _adopted(self, edited: Sequence[Edited], bench: Bench) -> dict[str, str]:
        """The lines for each shell in use that has none of its own: what the installer wrote for one serves
        another where that can read it, and knows the manager's command afterwards.
        """
        recipe = self.wanted.recipe
        lines = caught(edited, [name for name, _ in self.wanted.variables])
        adopted = {}
        for name, program in self.shells:
            if name in recipe.hooks or (name in like_sh() and SH in recipe.hooks):
                continue
            own = lines.get(name)
            related = (SH, *like_sh())
            others = [lines[other] for other in related if other in lines] if name in related else []
            for text in [own] if own else others:
                if not SHELLS[name].like_sh or self._serves(program, text, bench):
                    adopted[name] = text
                    break
        return adopted

    def _serves(self, program: str, text: str, bench: Bench) -> bool:
        command = f"{text}\ncommand -v {self.wanted.recipe.commands[0]}"
        try:
            answer = subprocess.run(
                [program, "-c", command], cwd=bench.locations.home, env=self._environment(bench),
                stdin=subprocess.DEVNULL, capture_output=True, timeout=20, check=False,
            )  # fmt: skip
        except (OSError, subprocess.TimeoutExpired):
            return False
        return answer.returncode == 0 and not answer.stderr


class InstallerScripts(PlainKind):
    """The kind."""

    name = "installer-script"
    heading = Heading.INSTALLER
    record = InstallerRecord

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[RunInstaller]:
        """One for each manager that its own installer brings and that does not stand there."""
        programs = [(shell.name, shell.program) for shell in machine.shells if shell.name in wanted.shells]
        for version in wanted.versions:
            installer = version.recipe.installer
            if version.artefact is None or installer is None or not version.script:
                continue
            shelf = machine.locations.shelf / version.runtime
            older = sorted(shelf.iterdir()) if shelf.is_dir() else []
            standing = tuple(
                link for link in older if link.is_symlink() and os.readlink(link) == installer.folder
            )
            yield RunInstaller(
                version,
                version.artefact,
                installer,
                foreign.startup_files(machine),
                tuple(programs),
                standing,
                machine.locations.shown(installer.folder),
            )

    def take_back(self, record: InstallerRecord, bench: Bench) -> Reverted:
        """Remove what it brought, and all that it did elsewhere in the home; the older version comes back.
        What came into its folders since, or is not as it left it, goes to the attic.
        """
        folder, shelf = Path(record.folder), Path(record.shelf)
        aside = Path(record.aside) if record.aside else None
        told: tuple[str, ...] = ()
        if shelf.is_symlink() and os.readlink(shelf) == record.folder:
            shelf.unlink()
        if aside is not None and aside.exists():
            for part in record.keeps:
                _carry_over(folder / part, aside / part, True)
        if aside is None or aside.exists():
            told += empty(folder, foreign.own_of(record, folder), bench)
        if aside is not None and aside.exists():
            move(aside, folder)
        if aside is not None:
            finish_move(folder, aside)
            folders.remove_empty([str(aside.parent)])
        for older in map(Path, record.older):
            if not os.path.lexists(older):
                older.symlink_to(folder)
        if record.home:
            told += empty(Path(record.home), foreign.own_of(record, Path(record.home)), bench)
        reverted = foreign.take_back(record, bench, record.manager)
        return msgspec.structs.replace(reverted, notices=(*told, *reverted.notices))


def _carry_over(source: Path, target: Path, upgraded: bool) -> None:
    """Move what an older version kept into its place in the newer one, unless that has something there
    itself.
    """
    if not upgraded or not os.path.lexists(source):
        return
    if os.path.lexists(target) and not _is_empty(target):
        return
    discard_any(target)
    move(source, target)


def _is_empty(path: Path) -> bool:
    return path.is_dir() and not path.is_symlink() and not any(path.iterdir())
