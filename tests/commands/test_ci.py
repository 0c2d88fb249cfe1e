"""A build machine or an image: no shell, no terminal, and only what the lock holds."""

from __future__ import annotations

import os
import shutil
import subprocess

import pytest

from tests.conftest import Desk
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash")
NONE = """\
[shells]
use = []
[variables]
GAUGE = "north quay, $5 a day"
KELP_AT = "{kelp}"
[[checks]]
name = "the bulletin"
run = "kelp --version && echo $GAUGE"
expect = "kelp 4.2.1*north quay, $5 a day*"
"""


def test_no_shell_is_set_up_and_all_is_checked_all_the_same(desk: Desk) -> None:
    before = desk.write("alias tide='tide -v'\n", ".bashrc").read_bytes()
    desk.wants(NONE, '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6"]\n')
    done = desk.well("provision")
    assert "To update this shell" not in done.out and "3 checks passed" in done.out, done.out
    assert (desk.home / ".bashrc").read_bytes() == before and not (desk.home / ".config").exists()
    assert "Nothing to do" in desk.well("provision").out
    assert "All 3 checks passed" in desk.well("verify").out
    launched = subprocess.run(
        [desk.home / ".local/share/zesty-anchor/bin/kelp", "--version"],
        env={"HOME": str(desk.home), "PATH": login_path()},
        capture_output=True,
        text=True,
        check=True,
    )
    assert launched.stdout == "kelp 4.2.1\n"
    assert "GAUGE='north quay, $5 a day'" in desk.well("export").out
    (desk.shelf / "kelp/4.2.1/bin/kelp").write_text("#!/bin/sh\necho kelp 9\n")
    broken = desk.run("verify")
    assert broken.code == 4 and "kelp is 4.2.1" in broken.out, broken.out
    desk.well("provision", "--yes")
    desk.well("dismantle", "--yes")
    assert not (desk.home / ".local").exists()


def test_what_the_lock_does_not_hold_is_refused(desk: Desk) -> None:
    desk.wants(NONE, '[runtimes.kelp]\nwant = "4.2.1"\n')
    refused = desk.run("provision", "--locked")
    assert refused.code == 2 and "the lock does not hold kelp '4.2.1'" in refused.err
    assert "workstation.toml:" in refused.err and not (desk.home / ".local").exists()
    assert desk.run("lock", "--digest").code == 2
    desk.well("lock")
    key = desk.well("lock", "--digest").out
    assert len(key.strip()) > 30 and key == desk.well("lock", "--digest").out
    desk.well("provision", "--locked", "--yes")
    desk.write("3.6\n", "project/.kelp-version")
    pinned = desk.run("provision", "--locked", "-m", str(desk.manifest), cwd=desk.home / "project")
    assert pinned.code == 2 and "project/.kelp-version:1" in pinned.err
    desk.wants(NONE, '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6"]\n')
    assert "kelp '3.6'" in desk.run("provision", "--locked").err
    desk.well("lock")
    assert desk.well("lock", "--digest").out != key


def test_lock_writes_what_is_installed_and_not_the_newest(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.1.0"\n')
    desk.well("provision")
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = ">=4 <5"\n')
    desk.well("provision")
    seen = desk.well("lock", "--json").json["releases"]
    here = desk.shell("bash", "kelp --version", "-i").strip()
    assert [f"kelp {each['version']}" for each in seen] == [here]
    assert desk.well("lock", "--upgrade", "kelp", "--json").json["releases"][0]["version"] == "4.2.1"


def test_the_environment_reaches_the_later_steps_of_a_job(desk: Desk) -> None:
    desk.wants(NONE + '[path]\nfirst = ["~/tools"]\n', '[runtimes.kelp]\nwant = "4.2.1"\n')
    assert "kelp is not installed: zesty-anchor provision installs it" in desk.well("export").err
    desk.well("provision")
    assert "not installed" not in desk.well("export").err
    assert desk.run("export", "--github").code == 2
    files = {
        name: desk.write("A=1\n" if name == "GITHUB_ENV" else "", name)
        for name in ("GITHUB_ENV", "GITHUB_PATH")
    }
    desk.environment |= {name: str(file) for name, file in files.items()}
    desk.well("export", "--github")
    lines = files["GITHUB_ENV"].read_text().splitlines()
    assert lines[0] == "A=1"
    values = {}
    for place, line in enumerate(lines):
        name, mark, end = line.partition("<<")
        if mark:
            values[name] = "\n".join(lines[place + 1 : lines.index(end, place)])
    assert values["GAUGE"] == "north quay, $5 a day" and values["KELP_AT"].endswith("kelp/4.2.1")
    path = files["GITHUB_PATH"].read_text().splitlines()
    assert path == [f"{desk.shelf}/kelp/4.2.1/bin", f"{desk.home}/tools"], "the last line comes first on PATH"


def test_an_image_of_the_same_lock_is_the_same_bytes_twice(desk: Desk) -> None:
    data, trees = desk.home / ".local/share/zesty-anchor", []
    desk.wants(NONE, '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6"]\n')
    desk.well("lock")
    desk.environment["SOURCE_DATE_EPOCH"] = "soon"
    wrong = desk.run("provision", "--locked", "--yes")
    assert wrong.code == 2 and "SOURCE_DATE_EPOCH is 'soon'" in wrong.err
    assert not data.exists(), "it is told before anything is installed"
    desk.environment["SOURCE_DATE_EPOCH"] = "1700000000"
    for _ in range(2):
        desk.well("provision", "--locked", "--yes")
        trees.append(
            {
                str(path.relative_to(data)): (
                    path.lstat().st_mode,
                    path.lstat().st_mtime_ns,
                    os.readlink(path) if path.is_symlink() else path.read_bytes() if path.is_file() else b"",
                )
                for path in data.rglob("*")
            }
        )
        for folder in (".local", ".cache"):
            shutil.rmtree(desk.home / folder)
    assert trees[0] == trees[1] and len(trees[0]) > 8
    assert max(time for _, time, _ in trees[0].values()) <= 1_700_000_000 * 10**9
