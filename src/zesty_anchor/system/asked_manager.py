"""What the package managers have in common that are asked by running them, and do not have their records
read.
"""

from __future__ import annotations

import difflib
import os
import re
import subprocess
import time
from collections.abc import Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import ClassVar, Self

from zesty_anchor.system.apt_repository import PackageFile
from zesty_anchor.system.command import Command
from zesty_anchor.system.debconf import PackageLicence
from zesty_anchor.system.host import program_path
from zesty_anchor.system.package_manager import (
    LOCK_SECONDS,
    OWNER_SECONDS,
    PackageFacts,
    Run,
    Told,
    names_of,
    running,
)
from zesty_anchor.system.package_source import PackageSource, SourceForm
from zesty_anchor.system.problem import Problem

_CURL = re.compile(
    r"(?i)(?:Curl error \(\d+\): |Error message: | : )((?:could|couldn't|failed|timeout|no route)[^\[\n]*)"
)
"""Why libcurl, which all of them fetch with, could not fetch."""

_UNITS = {unit: 1024**power for power, unit in enumerate(("", "k", "m", "g", "t"))}
"""The units of the sizes that they print."""


def _quoted(found: Mapping[str, str | None]) -> str:
    """The source of packages in words."""
    source = next((text for text in found.values() if text), "")
    return f"the source of packages {source!r}" if source else "a source of packages"


class AskedManager:
    """One of them. ``root`` is the system that it works on, another one than this for a trial.

    What differs is data: the words of each command, with the names to be added at the end, and the lines that
    tell of trouble, as patterns whose first group is what the message is about. ``size`` are the lines of
    ``try_install`` with the bytes to be fetched, which are added. ``at_work`` are the programs that hold the
    lock, for a manager whose lock file stays behind when it is killed.
    """

    name: ClassVar[str]
    family: ClassVar[str]
    package: ClassVar[str]
    programs: ClassVar[tuple[str, ...]]
    list_owners: ClassVar[Command]
    owned: ClassVar[re.Pattern[str]]
    list_installed: ClassVar[Command]
    list_known: ClassVar[Command]
    install_words: ClassVar[Command]
    remove_words: ClassVar[Command]
    try_remove: ClassVar[Command]
    list_versions: ClassVar[Command]
    list_settings: ClassVar[Command] = ()
    list_unasked: ClassVar[Command] = ()
    mark_words: ClassVar[Command] = ()
    exact: ClassVar[str] = "{name}"
    try_install: ClassVar[Command]
    size: ClassVar[re.Pattern[str]]
    needed_by: ClassVar[re.Pattern[str]]
    unknown: ClassVar[re.Pattern[str]]
    held_where: ClassVar[str]
    unreached: ClassVar[re.Pattern[str]]
    locked: ClassVar[re.Pattern[str]]
    at_work: ClassVar[Mapping[str, str]] = {}
    progress: ClassVar[re.Pattern[str]]

    def __init__(self, environ: Mapping[str, str], root: Path = Path("/")) -> None:
        self._environ = environ
        self.root = root

    def at_root(self, command: Command) -> Command:
        """The command for the system at ``root``."""
        return command

    def facts(self, names: Collection[str]) -> PackageFacts:
        """What an installed package provides counts as installed."""
        every = self.all_installed()
        here = frozenset(n for n in names if n in every or self.is_provided(n))
        missing = [name for name in names if name not in here]
        release = self.on_hold(missing) if missing else {}
        held = frozenset(release)
        return PackageFacts(self.family, self.name, here, held, held_where=self.held_where, release=release)

    def on_hold(self, names: Sequence[str]) -> dict[str, str]:
        """Those of the names that an administrator wants not to be installed, with how to end that."""
        raise NotImplementedError

    def is_provided(self, name: str) -> bool:
        """Whether an installed package of another name provides this one."""
        raise NotImplementedError

    def all_installed(self) -> frozenset[str]:
        """The names of everything that is installed."""
        return frozenset(self.ask(self.list_installed).stdout.split())

    def commands(self, names: Sequence[str]) -> list[Command]:
        """The commands that installing takes, as an administrator could type them."""
        return [(*self.install_words, *names)]

    def download_size(self, names: Sequence[str]) -> int | None:
        """From the lists on this machine: ``None`` where one of the packages is in none of them, or no size
        is printed.
        """
        try:
            shown = self.ask((*self.try_install, *names)).stdout
        except Problem:
            return None
        sizes = [float(each["number"]) * _UNITS[each["unit"].lower()] for each in self.size.finditer(shown)]
        return round(sum(sizes)) if sizes else None

    def licences(self, names: Sequence[str]) -> tuple[PackageLicence, ...]:
        """None: these managers ask nothing while they install."""
        return ()

    def answering(self, answers: Mapping[str, str | bool], asked: Sequence[PackageLicence]) -> Command | None:
        """See ``licences``."""
        return None

    def forgetting(self, owners: Sequence[str]) -> Command | None:
        """See ``licences``."""
        return None

    def install(self, names: Sequence[str], run: Run, told: Told, log: Path) -> None:
        """Install packages."""
        lines: list[str] = []
        until = time.monotonic() + LOCK_SECONDS
        with log.open("a", encoding="utf-8") as written:

            def hear(line: str) -> None:
                written.write(line + "\n")
                lines.append(line)
                found = self.progress.search(line)
                if found:
                    told(line.strip(), 100 * int(found[1]) // max(1, int(found[2])), 100)
                elif self.locked.search(line):
                    told(f"wait for the lock of {self.name}", 0, 100)

            while run(("env", "LC_ALL=C", *self.at_root((*self.install_words, *names))), hear) != 0:
                if not self._is_locked(lines) or time.monotonic() > until:
                    raise self.problem(lines, log)
                lines.clear()
                time.sleep(2)

    def _is_locked(self, lines: Sequence[str]) -> bool:
        """Whether a process that is still there holds the lock."""
        locked = self.locked.search("\n".join(lines))
        return locked is not None and (not self.at_work or bool(running(self.at_work)))

    def problem(self, lines: Sequence[str], log: Path) -> Problem:
        """What its lines mean, and the way out."""
        text = "\n".join(lines)
        unreached = self.unreached.search(text)
        if unreached:
            reason = _CURL.search(text)
            why = f": {reason[1].strip()}" if reason else ""
            names = ", ".join(self.unknown.findall(text))
            may_have = f"; it may have {names}, which no other has" if names else ""
            return Problem(
                f"{self.name} cannot reach {_quoted(unreached.groupdict())}{why}{may_have}",
                where=f"its whole output: {log}",
                advice="check the network and that source of packages, then run the same command again",
            )
        unknown = self.unknown.findall(text)
        if unknown:
            known = self.ask(self.list_known).stdout.split()
            near = [
                f"for {name}:"
                f" {', '.join(difflib.get_close_matches(name, known, 3, 0.7)) or 'nothing comes near'}"
                for name in unknown
            ]
            return Problem(
                f"{self.name} knows no package {', '.join(repr(u) for u in unknown)}",
                where="[prerequisites] packages, or a recipe's needs",
                advice=f"the nearest names: {'; '.join(near)}",
            )
        locked = self.locked.search(text)
        if locked:
            return Problem(
                f"another process holds {self.name}'s lock",
                where=locked[0].strip(),
                advice="wait for it to end, then run the same command again",
            )
        errors = [line for line in lines if re.match(r"(?i)\s*(error|fatal|problem)", line)] or list(
            lines[-1:]
        )
        return Problem(
            f"{self.name} failed: {errors[0].strip() if errors else 'it says no more'}",
            where=f"its whole output: {log}",
            advice="see its output",
        )

    def removable(self, names: Iterable[str]) -> tuple[list[str], dict[str, list[str]]]:
        """The trial says which of them something else needs; those stay."""
        here = self.all_installed()
        going = [name for name in names if name in here]
        holding: dict[str, list[str]] = {}
        while going:
            tried = self.ask((*self.try_remove, *going))
            if tried.returncode == 0:
                return going, holding
            users = sorted(set(self.needed_by.findall(tried.stdout + tried.stderr)))
            blamed = next((n for n in going if self.ask((*self.try_remove, n)).returncode != 0), going[0])
            holding[blamed] = users
            going.remove(blamed)
        return [], holding

    def goes_with(self, names: Sequence[str]) -> tuple[str, ...] | None:
        """What needs them holds them back: it would have to go as well."""
        holding = self.removable(names)[1]
        return tuple(sorted({user for users in holding.values() for user in users} - set(names)))

    def versions(self, names: Sequence[str]) -> dict[str, str]:
        """The installed versions of packages."""
        lines = self.ask((*self.list_versions, *names)).stdout.splitlines()
        return dict(line.split(" ", 1) for line in lines if " " in line)

    def exactly(self, versions: Mapping[str, str]) -> list[str]:
        """The words by which just these versions are installed."""
        return [self.exact.format(name=name, version=version) for name, version in versions.items()]

    def taking_from(self, source: PackageSource) -> Self:
        """Itself: not known of these."""
        return self

    def files_of(self, names: Sequence[str]) -> tuple[PackageFile, ...] | None:
        """Not known of these."""
        return None

    def is_alone(self, name: str, version: str) -> bool:
        """Not asked of these: what they remove comes back from their repositories."""
        return False

    def copy_of(self, name: str, folder: Path) -> Path:
        """A file in a folder, made from what is installed, that ``install`` takes for a name."""
        raise NotImplementedError

    def settings_of(self, names: Sequence[str]) -> list[str]:
        """The files of configuration that belong to packages."""
        if not self.list_settings:
            return []
        return [
            line
            for line in self.ask((*self.list_settings, *names)).stdout.splitlines()
            if line.startswith("/")
        ]

    def unasked(self, names: Sequence[str]) -> list[str]:
        """See ``list_unasked``."""
        return self.ask((*self.list_unasked, *names)).stdout.split() if self.list_unasked else []

    def mark_unasked(self, names: Sequence[str]) -> Command | None:
        """See ``mark_words``."""
        return self.at_root((*self.mark_words, *names)) if self.mark_words else None

    def removal(self, names: Sequence[str]) -> Command:
        """The command that removes packages with all that belongs to them, and asks nothing."""
        return self.at_root((*self.remove_words, *names))

    def typed_removal(self, names: Sequence[str]) -> Command:
        """The same as an administrator would type it."""
        return self.removal(names)

    def owners_of(self, files: Sequence[str]) -> dict[str, str]:
        """One question for all of them; a line of the answer names file and package (``owned``)."""
        named = self.recorded(files)
        every = list(dict.fromkeys(name for names in named.values() for name in names))
        found: dict[str, str] = {}
        if every:
            with suppress(Problem):
                lines = self.ask((*self.list_owners, *map(self.inside, every)), OWNER_SECONDS).stdout
                told = {line["file"]: line["package"] for line in self.owned.finditer(lines)}
                found = {name: told[self.inside(name)] for name in every if self.inside(name) in told}
        return {
            file: next((found[name] for name in names if name in found), "") for file, names in named.items()
        }

    def recorded(self, files: Sequence[str]) -> dict[str, list[str]]:
        """The paths under which each file may be recorded, those of them that exist on the system at
        ``root``.
        """
        return {
            file: [name for name in names_of(file) if os.path.lexists(self.inside(name))] for file in files
        }

    def inside(self, file: str) -> str:
        """The path of a file of the system at ``root``."""
        return f"{self.root}{file}" if str(self.root) != "/" else file

    def source_form(self, source: PackageSource) -> SourceForm | None:
        """None: of most we know no form."""
        return None

    def ask(self, command: Command, seconds: float = 120) -> subprocess.CompletedProcess[str]:
        """Ask something that needs no privilege and changes nothing."""
        words = self.at_root(command)
        try:
            return subprocess.run(
                words, stdin=subprocess.DEVNULL, capture_output=True, text=True, errors="replace",
                check=False,
                timeout=seconds, env={**self._environ, "PATH": program_path(self._environ), "LC_ALL": "C"},
            )  # fmt: skip
        except (OSError, subprocess.TimeoutExpired) as error:
            raise Problem(
                f"{words[0]} cannot be asked: {error}", advice="does it work on this machine?"
            ) from None
