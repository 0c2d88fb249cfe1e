"""A version manager that stands on the shelf, spoken to by the templates of its recipe."""

from __future__ import annotations

import re
import shlex
import subprocess
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.manifest.recipe import ManagerTool
from zesty_anchor.shelf.build import build
from zesty_anchor.system.closed import wait_until_closed
from zesty_anchor.system.problem import Problem

CALLED = "zesty-anchor-call"
"""The folder, below a manager's, of the programs that stand for a function."""

_LIST_SECONDS = 120
_INSTALL_SILENCE = 600.0


class ManagerProgram(msgspec.Struct, frozen=True):
    """One manager: the folders of its commands, the whole environment that it works in, and the home of the
    person.
    """

    name: str
    tool: ManagerTool
    bins: tuple[Path, ...]
    environment: Mapping[str, str]
    home: Path

    def versions(self, runtime: str) -> list[tuple[str, tuple[str, ...]]]:
        """What it can install: versions, each with its channels. Raises ``Problem`` where it does not
        answer.
        """
        pattern = re.compile(self.tool.line)
        found = [
            match
            for line in self._ask(self.tool.list, runtime, "").splitlines()
            if (match := pattern.search(line))
        ]
        if not found:
            raise Problem(
                f"{self.name} lists no version of {runtime}",
                where=" ".join(self.words(self.tool.list, runtime, "")),
                advice=f"see what it prints; if it does list some, fix line in the recipe of {self.name}",
            )
        return [(match["version"], _channels(match)) for match in found]

    def locate(self, runtime: str, version: str) -> Path | None:
        """The folder of an installed version; None where it has none. Raises ``Problem`` where it names no
        folder.
        """
        try:
            said = self._ask(self.tool.locate, runtime, version).strip()
        except Problem:
            return None
        if not said.startswith("/") or not Path(said).is_dir():
            return None
        return Path(said)

    def install(
        self,
        runtime: str,
        version: str,
        log: Path,
        told: Callable[[str], None],
        interrupted: Callable[[], bool],
        within: Sequence[str] = (),
    ) -> None:
        """Have it install a version, with these words in front; it is ended where the run is interrupted.
        Raises ``Problem`` with its last lines.
        """
        self._work(self.tool.install, runtime, version, log, told, interrupted, within)

    def choose(self, runtime: str, version: str, log: Path, told: Callable[[str], None]) -> None:
        """Tell it which version is the default. Raises ``Problem`` with its last lines."""
        if self.tool.choose is not None:
            self._work(self.tool.choose, runtime, version, log, told)

    def words(self, template: str, runtime: str, version: str) -> list[str]:
        """A template as words. A value fills its place in one word, whatever letters it holds. Pure."""
        values = {"{runtime}": runtime, "{version}": version}
        return [
            re.sub(r"\{(runtime|version)\}", lambda m: values[m[0]], word) for word in shlex.split(template)
        ]

    def _work(
        self,
        template: str,
        runtime: str,
        version: str,
        log: Path,
        told: Callable[[str], None],
        interrupted: Callable[[], bool] = lambda: False,
        within: Sequence[str] = (),
    ) -> None:
        words = self.words(template, runtime, version)
        build(
            ['"$@"'], words, self.home, self.environment, log, told, lambda line: "",
            what=self.name, patience=_INSTALL_SILENCE, interrupted=interrupted, within=within,
        )  # fmt: skip

    def _ask(self, template: str, runtime: str, version: str) -> str:
        words = self.words(template, runtime, version)
        try:
            done = subprocess.run(
                words, cwd=self.home, env=dict(self.environment), stdin=subprocess.DEVNULL,
                capture_output=True, text=True,
                errors="replace", timeout=_LIST_SECONDS, check=False, start_new_session=True,
            )  # fmt: skip
        except FileNotFoundError:
            raise Problem(
                f"{self.name} has no command {words[0]!r}",
                where=", ".join(map(str, self.bins)),
                advice=f"fix the recipe of {self.name}",
            ) from None
        except subprocess.TimeoutExpired:
            raise Problem(
                f"{self.name} did not answer within {_LIST_SECONDS} s",
                where=" ".join(words),
                advice="try it by hand",
            ) from None
        if done.returncode != 0:
            last = [line for line in (done.stderr or done.stdout).splitlines() if line.strip()][-1:]
            raise Problem(
                f"{self.name} ended with {done.returncode}" + (f": {last[0]}" if last else ""),
                where=" ".join(words),
            )
        return done.stdout


def _channels(match: re.Match[str]) -> tuple[str, ...]:
    channel = match.groupdict().get("channel")
    return (channel,) if channel else ()


def write_call(folder: Path, final: Path, commands: tuple[str, ...], tool: ManagerTool, shell: str) -> None:
    """Make the programs that stand for a manager which is a function, for whoever has not sourced its file.

    ``folder`` is where the manager's files are now, ``final`` where they will be, ``shell`` the program that
    reads them.
    """
    assert tool.function is not None
    called = folder / CALLED
    called.mkdir(exist_ok=True)
    for command in commands:
        file = called / command
        file.write_text(
            f'#!/bin/sh\nexec {shlex.quote(shell)} -c \'. "$0"; "$@"\' '
            f'{shlex.quote(str(final / tool.function))} {shlex.quote(command)} "$@"\n',
            "utf-8",
        )
        file.chmod(0o755)
    wait_until_closed(called / command for command in commands)
