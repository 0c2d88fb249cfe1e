"""dnf, zypper and pacman, each for real on a scratch root with a made-up repository."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS, is_root
from zesty_anchor.system import asked_manager
from zesty_anchor.system.asked_manager import AskedManager
from zesty_anchor.system.pacman import Pacman
from zesty_anchor.system.privilege import Access, Hands
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.rpm_managers import Dnf, Zypper

SPEC = """\
Name: {name}
Version: 1.2
Release: 1
Summary: made up
License: MIT
BuildArch: noarch
AutoReqProv: no
{more}
%description
made up
%install
mkdir -p %{{buildroot}}/usr/share; echo {name} >%{{buildroot}}/usr/share/{name}
%files
/usr/share/{name}
"""
WARES = {"tide-glass": "Provides: looking-glass", "tide-log": "Requires: tide-glass"}


def rpm_root(folder: Path) -> None:
    """A root with a repository of the wares, for dnf and for zypper."""
    for name, more in WARES.items():
        (folder / f"{name}.spec").write_text(SPEC.format(name=name, more=more))
        quietly("rpmbuild", "--define", f"_topdir {folder}/build", "-bb", str(folder / f"{name}.spec"))
    quietly("createrepo_c", "-q", str(folder / "build/RPMS"))
    entry = f"[tide]\nname=tide\nbaseurl=file://{folder}/build/RPMS\nenabled=1\ngpgcheck=0\nautorefresh=1\n"
    for place in ("etc/yum.repos.d", "etc/zypp/repos.d"):
        (folder / "root" / place).mkdir(parents=True)
        (folder / "root" / place / "tide.repo").write_text(entry)


def pacman_root(folder: Path) -> None:
    """A root with a repository of the wares, for pacman."""
    names = {"tide-glass": "provides=(looking-glass)", "tide-log": "depends=(tide-glass)"}
    repository, root = folder / "repository", folder / "root"
    repository.mkdir()
    for name, more in names.items():
        made = folder / name
        (made / "usr/share").mkdir(parents=True)
        (made / "usr/share" / name).write_text(name)
        kind, _, what = more.partition("=(")
        words = {"provides": "provides", "depends": "depend"}[kind]
        info = (
            f"pkgname = {name}\npkgver = 1.2-1\narch = any\nsize = 10\nbuilddate = 1\npackager ="
            f" desk\n{words} = {what[:-1]}\n"
        )
        (made / ".PKGINFO").write_text(info)
        archive = repository / f"{name}-1.2-1-any.pkg.tar.gz"
        quietly("tar", "-C", str(made), "-czf", str(archive), ".PKGINFO", "usr")
    quietly(
        "repo-add", str(repository / "tide.db.tar.gz"), *map(str, sorted(repository.glob("*.pkg.tar.gz")))
    )
    for place in ("var/lib/pacman/sync", "var/cache/pacman/pkg", "etc", "var/log"):
        (root / place).mkdir(parents=True)
    (root / "etc/pacman.conf").write_text(
        f"[options]\nArchitecture = auto\nSigLevel = Never\nCacheDir = {root}/var/cache/pacman/pkg\n"
        f"[tide]\nServer = file://{repository}\n"
    )
    quietly("pacman", "--root", str(root), "--config", str(root / "etc/pacman.conf"), "-Sy")


def quietly(*words: str) -> None:
    done = subprocess.run(words, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


CASES = [
    pytest.param(Dnf, rpm_root, marks=pytest.mark.needs("dnf", "rpmbuild", "createrepo_c"), id="dnf"),
    pytest.param(
        Zypper, rpm_root, marks=pytest.mark.needs("zypper", "rpmbuild", "createrepo_c"), id="zypper"
    ),
    pytest.param(Pacman, pacman_root, marks=pytest.mark.needs("pacman"), id="pacman"),
]


@pytest.mark.skipif(not is_root(), reason="a package manager on a scratch root needs root")
@pytest.mark.parametrize(("kind", "make_root"), CASES)
def test_for_real_on_a_scratch_root(
    kind: type[AskedManager], make_root: Callable[[Path], None], tmp_path: Path
) -> None:
    (tmp_path / "root").mkdir()
    make_root(tmp_path)
    manager = kind(os.environ, tmp_path / "root")
    shown: list[str] = []
    hands = Hands(Access("root"), shown.append)
    told: list[str] = []

    def tell(what: str, done: int, total: int) -> None:
        told.append(what)

    assert manager.facts(["tide-glass", "looking-glass"]).installed == frozenset()
    with pytest.raises(Problem, match="knows no package 'tide-glas'") as caught:
        manager.install(["tide-glas"], hands.run, tell, tmp_path / "log")
    assert "tide-glass" in caught.value.advice

    files = [file for file in tmp_path.rglob("tide-*") if file.name.endswith((".rpm", ".pkg.tar.gz"))]
    size = manager.download_size(["tide-log"])
    assert size == pytest.approx(sum(file.stat().st_size for file in files), rel=0.05)
    assert manager.download_size(["tide-glas"]) is None

    manager.install(["tide-log"], hands.run, tell, tmp_path / "log")
    assert manager.download_size(["tide-log"]) in (None, 0)
    assert manager.all_installed() == {"tide-log", "tide-glass"}
    assert (tmp_path / "root/usr/share/tide-glass").exists()
    assert manager.facts(["looking-glass", "tide-log", "other"]).installed == {"looking-glass", "tide-log"}
    assert any("install" in line or "-S" in line for line in shown)

    inside, other = "/usr/share/tide-glass", str(tmp_path / "log")
    assert manager.owners_of([inside, other, "/nowhere"]) == {inside: "tide-glass", other: "", "/nowhere": ""}

    going, holding = manager.removable(["tide-glass"])
    assert (going, list(holding)) == ([], ["tide-glass"])
    assert holding["tide-glass"] == ["tide-log"]
    going, _ = manager.removable(["tide-glass", "tide-log"])
    assert sorted(going) == ["tide-glass", "tide-log"]
    assert hands.run(manager.removal(going), told.append) == 0
    assert manager.all_installed() == frozenset()


HELD_OPEN = {
    Pacman: ["pacman", "--root", "{}", "--config", "{}/etc/pacman.conf", "-S", "tide-glass"],
    Zypper: ["zypper", "--root", "{}", "shell"],
}


@pytest.mark.skipif(not is_root(), reason="a package manager on a scratch root needs root")
@pytest.mark.parametrize(("kind", "make_root"), CASES[1:])
def test_a_lock_is_waited_for_while_somebody_has_it(
    kind: type[AskedManager],
    make_root: Callable[[Path], None],
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Another one of them waits for the answer of a person, and is left after a while."""
    root = tmp_path / "root"
    root.mkdir()
    make_root(tmp_path)
    manager, hands, told = kind(os.environ, root), Hands(Access("root"), print), list[str]()
    words = [word.format(root) for word in HELD_OPEN[kind]]
    lock = {Pacman: "var/lib/pacman/db.lck", Zypper: "run/zypp.pid"}[kind]
    with subprocess.Popen(
        words, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.STDOUT
    ) as other:
        for _ in range(600):
            if (root / lock).exists():
                break
            time.sleep(0.05)

        def tell(what: str, done: int, total: int) -> None:
            told.append(what)
            if "lock" in what and other.stdin is not None and not other.stdin.closed:
                other.stdin.close()

        manager.install(["tide-log"], hands.run, tell, tmp_path / "log")
    assert told[0] == f"wait for the lock of {manager.name}"
    assert "tide-log" in manager.all_installed()
    if kind is Pacman:
        (root / lock).touch()  # as one that was killed leaves it
        monkeypatch.setattr(asked_manager.time, "sleep", lambda seconds: pytest.fail("nobody has it"))
        with pytest.raises(Problem, match="lock"):
            manager.install(["tide-log", "tide-glass"], hands.run, tell, tmp_path / "log")


def put_on_hold(root: Path, pattern: str) -> None:
    """As an administrator does: an exclude, a lock, a line of pacman.conf."""
    if (root / "etc/pacman.conf").exists():
        file = root / "etc/pacman.conf"
        file.write_text(file.read_text().replace("[options]\n", f"[options]\nIgnorePkg = other {pattern}\n"))
        return
    file = root / "etc/yum.repos.d/tide.repo"
    file.write_text(file.read_text() + f"excludepkgs=other,{pattern}\n")
    if PROGRAMS.get("zypper"):
        quietly("zypper", "--root", str(root), "--non-interactive", "addlock", pattern)


@pytest.mark.skipif(not is_root(), reason="a package manager on a scratch root needs root")
@pytest.mark.parametrize("pattern", ["tide-log", "tide-l*"])
@pytest.mark.parametrize(("kind", "make_root"), CASES)
def test_a_package_on_hold_is_not_installed(
    kind: type[AskedManager], make_root: Callable[[Path], None], pattern: str, tmp_path: Path
) -> None:
    root = tmp_path / "root"
    root.mkdir()
    make_root(tmp_path)
    manager = kind(os.environ, root)
    manager.ask(("dnf", "makecache") if kind is Dnf else ("true",))
    assert manager.facts(["tide-log", "tide-glass"]).held == frozenset()
    put_on_hold(root, pattern)
    facts = manager.facts(["tide-log", "tide-glass"])
    assert facts.held == {"tide-log"}
    assert facts.held_where and set(facts.release) == {"tide-log"}
    assert pattern in facts.release["tide-log"] or kind is Dnf
    if kind is Zypper:
        words = shlex.split(facts.release["tide-log"].removeprefix("as root: "))
        quietly(words[0], "--root", str(root), *words[1:])
        assert manager.facts(["tide-log"]).held == frozenset()


@pytest.mark.skipif(not is_root(), reason="a package manager on a scratch root needs root")
@pytest.mark.parametrize(("kind", "make_root"), CASES)
def test_a_source_that_cannot_be_reached_is_named_as_that(
    kind: type[AskedManager], make_root: Callable[[Path], None], tmp_path: Path
) -> None:
    root = tmp_path / "root"
    root.mkdir()
    make_root(tmp_path)
    for file in (*root.rglob("tide.repo"), *root.glob("etc/pacman.conf")):
        file.write_text(re.sub(r"file:///\S+", "http://127.0.0.1:9/tide", file.read_text()))
    with pytest.raises(Problem, match=f"{kind.name} cannot reach the source of packages") as caught:
        kind(os.environ, root).install(
            ["tide-log"], Hands(Access("root"), print).run, lambda what, done, total: None, tmp_path / "log"
        )
    assert "ailed to connect" in caught.value.what or "ouldn't connect" in caught.value.what
    assert "knows no package" not in caught.value.what and "check the network" in caught.value.advice


@pytest.mark.skipif(shutil.which("pacman") is None, reason="pacman is not installed")
def test_a_lock_has_its_message(tmp_path: Path) -> None:
    problem = Pacman({}).problem(
        ["error: failed to init transaction (unable to lock database)"], tmp_path / "log"
    )
    assert "lock" in problem.what
