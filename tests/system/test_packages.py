"""apt and dpkg: what their records and their words mean."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.system.packages import InstallPackages, Packages
from zesty_anchor.manifest.wanted import Wanted, WantedPackage
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import apt as apt_module
from zesty_anchor.system import dpkg_status
from zesty_anchor.system.apt import Apt, apt_problem
from zesty_anchor.system.locations import locate
from zesty_anchor.system.problem import Problem

STATUS = b"""\
Package: gcc
Status: install ok installed
Version: 4:12.2.0-3
Provides: c-compiler, gcc-x86-64-linux-gnu (= 4:12.2.0-3)

Package: mawk
Status: install ok installed
Provides: awk

Package: fortune
Status: hold ok not-installed

Package: gone
Status: deinstall ok config-files
"""
INTERRUPTED = STATUS + b"\nPackage: half\nStatus: install ok half-configured\n"
has_apt = pytest.mark.skipif(shutil.which("apt-get") is None, reason="this system has no apt")


def test_what_dpkg_says_is_installed() -> None:
    here, held, unfinished = dpkg_status.standing(
        STATUS, ["gcc", "awk", "c-compiler", "gone", "fortune", "nothing"]
    )
    assert here == {"gcc", "awk", "c-compiler"}
    assert held == {"fortune"}
    assert unfinished == []
    assert dpkg_status.standing(INTERRUPTED, [])[2] == ["half"]
    assert dpkg_status.installed(STATUS) == {"gcc", "mawk"}


def test_what_others_need_is_followed_to_its_end() -> None:
    status = b"""\
Package: cowsay-off
Status: install ok installed
Depends: cowsay (= 3.03), nothing-here | other

Package: cowsay
Status: install ok installed
Pre-Depends: perl:any
Depends: libtext (>= 1), awk

Package: perl
Status: install ok installed
Depends: libperl5.36 (= 5.36)

Package: libperl5.36
Status: install ok installed

Package: libtext
Status: deinstall ok config-files

Package: mawk
Status: install ok installed
Provides: awk

Package: unzip
Status: install ok installed
"""
    assert dpkg_status.needed_by(status, {"cowsay-off"}) == {"cowsay", "perl", "libperl5.36", "mawk"}
    assert dpkg_status.needed_by(status, {"unzip", "no such"}) == set()


@pytest.mark.sees_system
@has_apt
def test_the_real_status_agrees_with_dpkg_query() -> None:
    asked = subprocess.run(
        ["dpkg-query", "-W", "-f", "${db:Status-Status} ${Package}\n"],
        capture_output=True,
        text=True,
        check=True,
    )
    said = {line.split()[1] for line in asked.stdout.splitlines() if line.startswith("installed ")}
    assert Apt(os.environ).all_installed() == said


def planned(
    status: bytes, names: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> list[InstallPackages]:
    (tmp_path / "status").write_bytes(status)
    monkeypatch.setattr(apt_module, "STATUS", tmp_path / "status")
    machine = Machine(locate({"HOME": str(tmp_path)}), {"PATH": "/bin"}, packages=names)
    wanted = Wanted(
        (), (), (), (), (), (), (), tmp_path, tuple(WantedPackage(n, ("the manifest",)) for n in names)
    )
    kind = Packages()
    return list(kind.plan(wanted, kind.look(wanted, machine)))


@has_apt
def test_only_what_is_missing_is_planned(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert planned(STATUS, ["gcc", "awk"], tmp_path, monkeypatch) == []
    [change] = planned(STATUS, ["gcc", "unzip", "gone"], tmp_path, monkeypatch)
    assert change.names == ("unzip", "gone")
    assert change.privileged
    assert change.stage is Stage.PREPARE
    assert change.detail == "unzip for the manifest; gone for the manifest"
    assert change.commands[-1] == ("apt-get", "install", "unzip", "gone")


@has_apt
def test_a_held_package_and_an_interrupted_dpkg(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(Problem, match="on hold") as caught:
        planned(STATUS, ["fortune"], tmp_path, monkeypatch)
    assert "apt-mark unhold fortune" in caught.value.advice
    monkeypatch.setattr(apt_module, "at_work", lambda: "")
    [change] = planned(INTERRUPTED, ["unzip"], tmp_path, monkeypatch)
    [question] = change.questions
    assert question.safe and "interrupted" in question.text and "dpkg --configure -a" in question.text
    assert change.commands[0] == ("sh", "-c", "dpkg --configure -a || apt-get -f install")
    monkeypatch.setattr(apt_module, "at_work", lambda: "unattended-upgrades (4711)")
    [change] = planned(INTERRUPTED, ["unzip"], tmp_path, monkeypatch)
    assert not change.questions, "it is not interrupted: it goes on"


def test_what_dpkg_left_unfinished_is_configured_by_the_way_that_works(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    status, ran = tmp_path / "status", list[tuple[str, ...]]()
    monkeypatch.setattr(apt_module, "STATUS", status)
    monkeypatch.setattr(apt_module.time, "sleep", lambda seconds: others.pop())
    others = ["apt-get (4711)"]
    monkeypatch.setattr(apt_module, "at_work", lambda: others[0] if others else "")
    monkeypatch.setattr(Apt, "_must_refresh", lambda self, names: False)
    monkeypatch.setattr(Apt, "_unknown", lambda self, names: [])
    told: list[str] = []

    def install(fixed_by: str) -> None:
        status.write_bytes(INTERRUPTED)
        ran.clear()

        def run(command: tuple[str, ...], hear: Callable[[str], None]) -> int:
            ran.append(command[3:5])
            if fixed_by in command:
                status.write_bytes(STATUS)
            return 0

        said = lambda what, done, total: told.append(what)  # noqa: E731
        Apt({"PATH": "/bin"}).install(["unzip"], run, said, tmp_path / "log")

    install("--configure")
    assert told[0] == "wait for apt-get (4711), which is at work" and not others
    assert [words[0] for words in ran] == ["dpkg", "apt-get"]
    install("-f")
    assert ran[1] == ("apt-get", "-f") and ran[2] == ("apt-get", "install")
    with pytest.raises(Problem, match="cannot configure") as caught:
        install("nothing")
    assert "apt-get purge" in caught.value.advice


@pytest.mark.parametrize(
    ("said", "what", "advice"),
    [
        (
            "Could not get lock /var/lib/dpkg/lock-frontend. It is held by process 4711 (unattended-upgr)",
            "unattended-upgr (4711)",
            "wait",
        ),
        (
            "dpkg was interrupted, you must manually run 'dpkg --configure -a' to correct",
            "interrupted",
            "--configure -a",
        ),
        (
            "Held packages were changed and -y was used without --allow-change-held-packages.",
            "on hold",
            "unhold",
        ),
        ("You don't have enough free space in /var/cache/apt/archives/.", "disk is full", "room"),
        ("Failed to fetch http://x/y.deb  404  Not Found", "could not fetch", "apt-get update"),
        ("something new", "something new", "output"),
    ],
)
def test_each_trouble_of_apt_has_its_message(said: str, what: str, advice: str, tmp_path: Path) -> None:
    problem = apt_problem([said], tmp_path / "packages.log")
    assert what in problem.what
    assert advice in problem.advice


def spoken(*answers: tuple[int, list[str]]) -> Callable[..., int]:
    """A stand-in for running with privilege: each call says its lines and ends with its status."""
    left = list(answers)

    def run(command: tuple[str, ...], hear: Callable[[str], None]) -> int:
        status, lines = left.pop(0)
        for line in lines:
            hear(line)
        return status

    return run


@has_apt
def test_progress_and_waiting_are_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Apt, "_must_refresh", lambda self, names: False)
    monkeypatch.setattr(Apt, "_unknown", lambda self, names: [])
    heard: list[tuple[str, int]] = []
    run = spoken(
        (
            0,
            [
                (
                    "Waiting for cache lock: Could not get lock /var/lib/dpkg/lock-frontend. It is held by"
                    " process 7 (apt)..."
                ),
                "dlstatus:1:20.5:Retrieving file 1 of 2",
                "pmstatus:unzip:75.0:Installing unzip (amd64)",
                "Setting up unzip",
            ],
        )
    )
    Apt(os.environ).install(
        ["unzip"], run, lambda what, done, total: heard.append((what, done)), tmp_path / "log"
    )
    assert heard == [
        ("wait for the lock held by apt (7)", 0),
        ("Retrieving file 1 of 2", 20),
        ("Installing unzip (amd64)", 75),
    ]
    assert "Setting up unzip" in (tmp_path / "log").read_text()


@has_apt
def test_a_lock_is_waited_for_and_given_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lock = "E: Could not get lock /var/lib/apt/lists/lock. It is held by process 7 (apt)"
    monkeypatch.setattr(Apt, "_must_refresh", lambda self, names: False)
    monkeypatch.setattr(Apt, "_unknown", lambda self, names: [])
    monkeypatch.setattr(apt_module.time, "sleep", lambda seconds: None)
    Apt(os.environ).install(["x"], spoken((100, [lock]), (0, [])), lambda *_: None, tmp_path / "log")
    monkeypatch.setattr(apt_module, "LOCK_SECONDS", -1)
    with pytest.raises(Problem, match=r"apt \(7\)"):
        Apt(os.environ).install(["x"], spoken((100, [lock])), lambda *_: None, tmp_path / "log")


@pytest.mark.sees_system
@has_apt
def test_the_real_apt_knows_names_and_what_would_go() -> None:
    apt = Apt(os.environ)
    if not apt._unknown(["bash-nonesuch-x"]) or apt._unknown(["bash"]):
        pytest.skip("this machine has no package lists")
    problem = apt._no_such(["unzipp"])
    assert "unzip" in problem.advice
    size = apt.download_size(["bash"])
    assert size is not None and size >= 0
    going, holding = apt.removable(["libc6"])
    assert going == []
    assert holding["libc6"], "what would go with it is told"


@pytest.mark.parametrize(
    ("essential", "more"),
    [(b"", ("build-essential",)), (b"Essential: yes\n", None), (b"Protected: yes\n", None)],
)
def test_only_what_is_marked_so_is_essential(
    essential: bytes, more: tuple[str, ...] | None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Removing make takes build-essential with it, which is no more than a name."""
    status = tmp_path / "status"
    status.write_bytes(
        b"Package: make\nStatus: install ok installed\n" + essential
        + b"\nPackage: build-essential\nStatus: install ok installed\nDepends: make\n"
    )  # fmt: skip
    monkeypatch.setattr(apt_module, "STATUS", status)
    said = "Reading package lists...\nPurg build-essential [12.9]\nPurg make [4.3-4.1]\n"
    answer = subprocess.CompletedProcess([], 0, said, "")
    monkeypatch.setattr(Apt, "_ask", lambda self, *words: answer)
    assert Apt({}).goes_with(["make"]) == more
