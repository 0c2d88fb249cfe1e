"""Contracts for those who add a feed, a shell, a package manager or a kind of change: what the rest of the
program relies on.

A plugin of pytest: subclass a contract in your tests, give it your class, and pytest runs its tests
(docs/extending.md shows one of each). It needs pytest, which zesty-anchor itself does not.
"""

from __future__ import annotations

import os
import subprocess
from abc import abstractmethod
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import msgspec
import pytest

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import AnyKind, Change
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import Record
from zesty_anchor.feeds.admitted import admitted
from zesty_anchor.feeds.feed import Feed
from zesty_anchor.files.attic import Attic
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.reading import Surroundings
from zesty_anchor.shells.shell import Shell
from zesty_anchor.system.host import find_program, login_path
from zesty_anchor.system.locations import locate
from zesty_anchor.system.package_manager import PackageManager

TEXTS = (
    "",
    "-n",
    "north quay, $5 a day",
    "a\\",
    "'",
    "!!",
    "$(false) `false`",
    "two\nrows",
    "tide ~ * ? [a] {b}",
    '"',
    "häfen",
)
"""Values that a shell must hand on byte for byte."""


def bench_in(home: Path, run: Callable[..., int] | None = None) -> Bench:
    """What a change works with, in a home of the test's own. ``run`` stands for running with privilege, which
    fails without it.
    """
    attic, log = home / "attic/run-1", home / "log"
    for folder in (attic, log):
        folder.mkdir(parents=True, exist_ok=True)
    return Bench(
        locate({"HOME": str(home)}),
        {"PATH": login_path()},
        Attic(attic),
        lambda url, who: None,
        run or (lambda command, hear: 1),
        log,
        lambda key, text: None,
        lambda key, done, total: None,
    )


def files_in(folder: Path) -> dict[str, tuple[int, bytes]]:
    """Every file below a folder, with its mode and its content; links with what they lead to."""
    return {
        str(path.relative_to(folder)): (
            path.lstat().st_mode,
            os.readlink(path).encode() if path.is_symlink() else path.read_bytes(),
        )
        for path in sorted(folder.rglob("*"))
        if path.is_symlink() or path.is_file()
    }


class FeedContract:
    """What every kind of feed keeps to. ``product`` is one that the feed has, ``versions`` are those that it
    must offer.
    """

    product = "kelp"
    platform = "linux-x86_64"
    versions: frozenset[str]

    @abstractmethod
    def opened(self, folder: Path) -> Feed:
        """The feed, stocked, with ``folder`` for its files."""

    def test_it_says_what_it_is(self, tmp_path: Path) -> None:
        feed = self.opened(tmp_path)
        assert (
            feed.title and feed.title == feed.title.strip() and feed.address and feed.name == feed.supply.name
        )
        assert feed.own_address or type(feed).wrong_address(feed.supply.url or "") is None

    def test_all_that_it_offers_may_be_taken(self, tmp_path: Path) -> None:
        feed = self.opened(tmp_path)
        offered = feed.releases(self.product, self.platform)
        taken, left_out = admitted(offered, type(feed))
        assert left_out == [] and {release.version for release in taken} == self.versions

    def test_a_version_can_be_pinned(self, tmp_path: Path) -> None:
        feed = self.opened(tmp_path)
        for release in feed.releases(self.product, self.platform):
            pinned = feed.pinned(release)
            assert pinned.version == release.version and pinned.url
            assert feed.fixed or ":" in pinned.digest, "what is fetched must be checked against something"
            assert feed.pinned(pinned).digest == pinned.digest


class PackageManagerContract:
    """What every package manager keeps to. It is only asked, and changes nothing. ``package`` is one that is
    installed, with a ``file`` of it.
    """

    package: str
    file: str

    @abstractmethod
    def manager(self) -> PackageManager:
        """The package manager."""

    def test_it_says_what_it_is(self) -> None:
        kind = type(self.manager())
        assert kind.name and kind.family and kind.package and kind.programs

    def test_it_knows_what_is_installed(self) -> None:
        manager = self.manager()
        assert self.package in manager.all_installed()
        assert manager.facts([self.package, "tide-nothing"]).installed == {self.package}
        assert manager.versions([self.package]).keys() == {self.package}

    def test_it_knows_whose_a_file_is(self, tmp_path: Path) -> None:
        (tmp_path / "mine").touch()
        mine, nowhere = str(tmp_path / "mine"), str(tmp_path / "nowhere")
        assert self.manager().owners_of([self.file, mine, nowhere]) == {
            self.file: self.package,
            mine: "",
            nowhere: "",
        }
        assert self.manager().owners_of([]) == {}

    def test_its_commands_name_the_packages(self) -> None:
        manager = self.manager()
        assert all("tide-glass" in command for command in manager.commands(["tide-glass"])[-1:])
        assert "tide-glass" in manager.removal(["tide-glass"]) and "tide-glass" in manager.typed_removal(
            ["tide-glass"]
        )
        assert len(manager.exactly({"tide-glass": "1.2-1"})) == 1


class ShellContract:
    """What every shell keeps to, asked of the real one."""

    shell: Shell

    @property
    def program(self) -> str:
        """Where it is. A shell that is not here is no reason for its tests to pass."""
        found = next(
            (p for name in self.shell.programs if (p := find_program(name, {"PATH": login_path()}))), None
        )
        if found is None:
            pytest.fail(f"none of {', '.join(self.shell.programs)} is installed")
        return found

    def runs(self, script: str, home: Path, environ: Mapping[str, str] = {}) -> bytes:
        """What the shell prints when it runs a script, without startup files of a person's."""
        done = subprocess.run(
            [self.program, "-c", script], capture_output=True, check=False, cwd=home,
            stdin=subprocess.DEVNULL,
            env={"PATH": login_path(), "HOME": str(home), "LANG": "C.UTF-8", **environ}, timeout=60,
        )  # fmt: skip
        assert done.stderr == b"", done.stderr
        return done.stdout

    def around(self, home: Path) -> Surroundings:
        """An empty home."""
        return Surroundings(home, home / ".config", data=home / ".local/share", cache=home / ".cache")

    def generated(self, home: Path, *, variables: tuple[tuple[str, str], ...]) -> Path:
        """The shell's generated file, with what it reads beside it."""
        folder = home / "generated"
        folder.mkdir(exist_ok=True)
        environment = Environment(
            variables=tuple((name, (value,) if value else ()) for name, value in variables),
            first=(str(home / "first"),),
            last=(), shelf=str(home / "shelf"), launchers=str(home / "bin"), pins=str(home / "pins"),
            shell=str(folder), home=str(home),
        )  # fmt: skip
        texts: dict[str, Callable[[Environment, str], str]] = {
            f"environment.{self.shell.name}": self.shell.environment
        }
        texts |= self.shell.further_files()
        if self.shell.like_sh:
            from zesty_anchor.shells.sh import Sh

            texts["environment.sh"] = Sh().environment
        for name, text in texts.items():
            (folder / name).write_bytes(os.fsencode(text(environment, str(folder / name))))
        return folder / f"environment.{self.shell.name}"

    @pytest.mark.parametrize("text", TEXTS)
    def test_a_quoted_text_is_one_word_byte_for_byte(self, tmp_path: Path, text: str) -> None:
        assert self.runs(f"printf '<%s>' {self.shell.quote(text)}", tmp_path) == f"<{text}>".encode()

    def test_its_generated_file_sets_what_is_asked_and_a_second_reading_changes_nothing(
        self, tmp_path: Path
    ) -> None:
        file = self.generated(tmp_path, variables=(("GAUGE", "north quay, $5 a day"), ("EMPTY", "")))
        read = f"{self.shell.source_word} {self.shell.quote(str(file))}"
        once, twice = (self.runs("\n".join([read] * times + ["env -0"]), tmp_path) for times in (1, 2))
        found = dict(row.split(b"=", 1) for row in once.split(b"\0") if b"=" in row)
        assert found[b"GAUGE"] == b"north quay, $5 a day" and found[b"EMPTY"] == b""
        assert found[b"PATH"].split(b":")[0] == os.fsencode(tmp_path / "first")
        assert b"" not in found[b"PATH"].split(b":"), "an empty entry would be the current folder"
        assert once == twice

    def test_it_can_check_a_file_without_running_it(self, tmp_path: Path) -> None:
        file = self.generated(tmp_path, variables=(("GAUGE", "north"),))
        done = subprocess.run(
            [self.program, self.shell.check, str(file)], capture_output=True, check=False, cwd=tmp_path
        )
        assert (done.returncode, done.stdout, done.stderr) == (0, b"", b"")

    def test_its_line_reads_the_file_where_it_is_and_is_silent_where_not(self, tmp_path: Path) -> None:
        if self.shell.own_file(tmp_path / ".config") is not None:
            assert self.shell.sites(self.around(tmp_path)) == ()
            return
        file = self.generated(tmp_path, variables=(("GAUGE", "north"),))
        line = self.shell.block(file, tmp_path)
        assert "\n" not in line
        assert b"GAUGE=north\0" in self.runs(f"{line}\nenv -0", tmp_path)
        file.unlink()
        self.runs(line, tmp_path)

    def test_the_files_that_it_edits_are_files_that_it_reads(self, tmp_path: Path) -> None:
        around = self.around(tmp_path)
        read = {reading.file for reading in self.shell.reads(around)}
        assert {site.file for site in self.shell.sites(around)} <= read
        assert all(reading.source for reading in self.shell.reads(around)), "each names the manual's section"

    def test_its_probes_tell_what_it_has(self, tmp_path: Path) -> None:
        script = (
            self.shell.code("ready").replace("END", "'|end|'").replace("NAMES", "''").replace("ENV", "env")
        )
        probe = tmp_path / "probe"
        probe.write_text(script)
        word = (
            f"{self.shell.source_word} {self.shell.quote(str(probe))}"
            if self.shell.prompt or self.shell.profiles
            else f"sh {probe}"
        )
        assert len(self.runs(word, tmp_path, {"TIDE": "high"}).split(b"|end|")) == 5

    def test_what_it_is_started_with_is_told(self) -> None:
        assert self.shell.name and self.shell.programs and self.shell.contexts
        assert len({context.name for context in self.shell.contexts}) == len(self.shell.contexts)
        assert self.shell.unfit(Path("/home/tide")) == ""
        assert self.shell.prompt is not None or self.shell.profiles or self.shell.traces_at_terminal


class KindContract:
    """What every kind of change keeps to, with one change of it in a home of its own."""

    @abstractmethod
    def kind(self) -> AnyKind:
        """The kind."""

    @abstractmethod
    def planned(self, home: Path) -> Change:
        """A change of it that is missing in ``home``, which may be furnished first."""

    def test_it_says_what_it_is(self, tmp_path: Path) -> None:
        kind, change = self.kind(), self.planned(tmp_path)
        assert (
            isinstance(kind.heading, Heading)
            and kind.of_subject.format("x")
            and issubclass(kind.record, Record)
        )
        assert (
            change.kind == kind.name
            and change.key
            and change.subject
            and change.action
            and "\n" not in change.subject
        )

    def test_its_record_can_be_kept_and_read_again(self, tmp_path: Path) -> None:
        record = self.planned(tmp_path).prepare(bench_in(tmp_path))
        assert msgspec.json.decode(msgspec.json.encode(record), type=self.kind().record) == record

    def test_preparing_changes_nothing_but_the_attic(self, tmp_path: Path) -> None:
        change = self.planned(tmp_path)
        before, bench = files_in(tmp_path), bench_in(tmp_path)
        change.prepare(bench)
        assert self._without_attic(tmp_path) == before

    def test_taking_back_leaves_every_byte_as_it_was(self, tmp_path: Path) -> None:
        change = self.planned(tmp_path)
        before, bench = files_in(tmp_path), bench_in(tmp_path)
        record: Any = change.prepare(bench)
        change.carry_out(bench, record)
        assert self._without_attic(tmp_path) != before, "the change changes something"
        for _ in range(2):
            kept = msgspec.json.decode(msgspec.json.encode(record), type=self.kind().record)
            self.kind().take_back(kept, bench)
            assert self._without_attic(tmp_path) == before

    def test_a_change_that_was_cut_off_can_be_taken_back(self, tmp_path: Path) -> None:
        change = self.planned(tmp_path)
        before, bench = files_in(tmp_path), bench_in(tmp_path)
        self.kind().take_back(change.prepare(bench), bench)
        assert self._without_attic(tmp_path) == before

    @staticmethod
    def _without_attic(home: Path) -> dict[str, tuple[int, bytes]]:
        return {
            name: each for name, each in files_in(home).items() if not name.startswith(("attic/", "log/"))
        }
