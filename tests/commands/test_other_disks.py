"""Disks of other systems: which they are, what PATH on them costs, and that nothing is begun where
permissions do not hold.
"""

from __future__ import annotations

import os
import subprocess
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from tests.conftest import PROGRAMS, SHELLS, Desk
from zesty_anchor.survey.disk_troubles import disk_troubles
from zesty_anchor.system import mounts
from zesty_anchor.system.mounts import Mount, mount_of

BESIDE_WINDOWS = r"""
none / ext4 rw 0 0
C:\134 /mnt/c 9p rw,aname=drvfs;path=C:\;uid=1000 0 0
D:\134 /mnt/tide\040tables drvfs rw 0 0
sshfs /srv/quay fuse.sshfs rw 0 0
tmpfs /run tmpfs rw 0 0
"""


def test_what_is_mounted_is_read_with_its_blanks() -> None:
    found = mounts.mounts(BESIDE_WINDOWS)
    assert mount_of("/mnt/tide tables/x", found) == Mount("/mnt/tide tables", "drvfs")
    assert mount_of("/mnt/c", found) == Mount("/mnt/c", "9p")
    assert mount_of("/mnt/cellar", found) == Mount("/", "ext4")
    assert [m.point for m in found if m.of_others] == ["/mnt/tide tables", "/srv/quay", "/mnt/c"]


def test_folders_on_such_a_disk_are_counted_and_measured(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    machine: Any = SimpleNamespace(locations=SimpleNamespace(home=tmp_path))
    path = "/usr/bin:/bin:" + ":".join(f"/mnt/c/Program Files/Tide Tools {n:04}/bin" for n in range(2000))
    among = mounts.mounts(BESIDE_WINDOWS)
    (found,) = disk_troubles(machine, path, among)
    assert "2002 folders are on PATH, 2000 of them on a disk of another system (/mnt/c)" in found.what
    assert " ms" in found.what and found.file == "PATH"
    assert "[path]" not in found.fix
    monkeypatch.setattr(mounts.os, "uname", lambda: SimpleNamespace(release="6.6.87.2-microsoft-standard"))
    (found,) = disk_troubles(machine, path, among)
    assert "appendWindowsPath = false" in found.fix and "[path] last" in found.fix
    assert list(disk_troubles(machine, "/usr/bin:/bin", among)) == []
    home = SimpleNamespace(locations=SimpleNamespace(home=Path("/mnt/c/Users/ines")))
    (found,) = disk_troubles(home, "/usr/bin", among)  # type: ignore[arg-type]
    assert "the home lies on /mnt/c (9p)" in found.what and "metadata" in found.fix


@pytest.mark.needs("ntfs-3g", "mkfs.ntfs")
@pytest.mark.system
def test_nothing_is_begun_on_a_disk_that_keeps_no_permissions(desk: Desk, tmp_path: Path) -> None:
    """A real one of that kind: whatever chmod(1) says, everybody may write there."""
    image, point, work = tmp_path / "disk", tmp_path / "mnt", tmp_path / "work"
    point.mkdir()
    work.mkdir()
    with image.open("wb") as file:
        file.truncate(32 << 20)
    subprocess.run([PROGRAMS["mkfs.ntfs"], "-q", "-F", "-f", str(image)], check=True, capture_output=True)
    mounted = subprocess.run(
        [PROGRAMS["ntfs-3g"], "-o", "umask=000", str(image), str(point)],
        check=False,
        capture_output=True,
        text=True,
    )
    if mounted.returncode:
        pytest.skip(f"no such disk can be mounted here: {mounted.stderr}")
    try:
        home = point / "ines"
        home.mkdir()
        (home / ".bashrc").write_text("# mine\n")
        desk.wants('[shells]\nuse = ["bash"]\n')
        there = Desk(home, "")
        (work / "workstation.toml").write_text(desk.manifest.read_text())
        answer = there.run(
            "provision", "-m", str(work / "workstation.toml"), "--trust", str(work / "workstation.toml")
        )
        assert answer.code == 2, answer
        assert "keeps no permissions" in answer.err and "XDG_DATA_HOME" in answer.err
        assert [path.name for path in home.rglob("*")] == [".bashrc"]
        elsewhere = {f"XDG_{name}_HOME": str(work / name) for name in ("DATA", "STATE", "CACHE", "CONFIG")}
        words = ("-m", str(work / "workstation.toml"), "--trust", str(work / "workstation.toml"))
        there.environment.update(elsewhere)
        for command in ("provision", "verify", "undo"):
            answer = there.run(command, *(words if command != "undo" else ()))
            assert answer.code == 0, answer
        assert sorted(path.name for path in home.rglob("*")) == [".bashrc"]
        assert (home / ".bashrc").read_text() == "# mine\n"
    finally:
        subprocess.run(["umount", str(point)], check=True)


@pytest.mark.parametrize(
    "shell",
    [pytest.param(n, marks=pytest.mark.needs(n)) for n in ("bash", "zsh", "fish", "ksh", "mksh", "tcsh")],
)
def test_thousands_of_entries_with_blanks_on_path_break_nothing(settled: Desk, shell: str) -> None:
    """A shell in a shell too; none takes the square of what is there: tcsh took 400 s."""
    many = ":".join(f"/mnt/c/Program Files/Tide Tools {n:04}/bin" for n in range(2000))
    environment = {
        "HOME": str(settled.home),
        "PATH": f"/usr/bin:/bin:{many}",
        "TERM": "dumb",
        "LANG": "C.UTF-8",
    }
    inner = f"{SHELLS[shell]} -i -c 'kelp --version; env'"
    done = subprocess.run(
        [SHELLS[shell], "-i", "-c", f"kelp --version; {inner}"], env=environment, cwd=settled.home,
        stdin=subprocess.DEVNULL,
        capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    assert done.stdout.count("kelp 4.2.1") == 2, done
    path = (
        next(row for row in done.stdout.splitlines() if row.startswith("PATH="))
        .removeprefix("PATH=")
        .split(":")
    )
    assert len(path) == len(set(path)) and [e for e in path if e.startswith("/mnt/c/")] == many.split(":")
    assert os.path.basename(os.path.dirname(path[0])) in ("4.2.1", "home", "zesty-anchor")
