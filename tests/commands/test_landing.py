"""What is there is in use at once: a build that takes long keeps nothing else back."""

from __future__ import annotations

import os
import signal
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, Desk, kelp, until
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.system.host import login_path

pytestmark = [pytest.mark.needs("bash"), pytest.mark.sees_system]
RECIPES = """
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {version}"
[recipes.ebb]
commands = ["ebb"]
[recipes.ebb.build]
steps = ['while [ ! -e "$GATE" ]; do sleep 0.1; done; mkdir -p "$OUT/bin"; printf "#!/bin/sh\\necho ebb\\n" >"$OUT/bin/ebb"; chmod 755 "$OUT/bin/ebb"']
"""


@pytest.fixture
def both(desk: Desk, tmp_path: Path) -> Iterator[Desk]:
    """A manifest with kelp, which is fetched, and ebb, whose build ends once there is a file called gate."""
    folder = tmp_path / "wares"
    folder.mkdir()
    fetched = pack("kelp-4.2.1", kelp("4.2.1"), "tar.gz")
    source = pack("ebb-1.0", {"README": (b"low water\n", 0o644)}, "tar.gz")
    write_runtime(folder, "kelp", [("4.2.1", "2026-06-30", ("lts",), "any", "kelp-4.2.1.tgz", fetched)])
    write_runtime(folder, "ebb", [("1.0", "2026-06-30", ("lts",), "source", "ebb-1.0.tgz", source)])
    write_index(folder, ["kelp", "ebb"])
    with Host(folder) as serving:
        desk.write(
            'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[feeds.harbour]\nkind = "index"\n'
            f'url = "{serving.url}"\n{RECIPES}environment = {{ GATE = "{tmp_path}/gate" }}\n'
            '[runtimes.kelp]\nwant = "lts"\n[runtimes.ebb]\nwant = "lts"\n'
        )
        yield desk


@pytest.fixture
def provisioning(both: Desk) -> Iterator[Callable[[], subprocess.Popen[str]]]:
    started: list[subprocess.Popen[str]] = []

    def start() -> subprocess.Popen[str]:
        started.append(
            subprocess.Popen(
                [str(PROGRAM), "provision"],
                cwd=both.home,
                env={"HOME": str(both.home), "PATH": login_path(), "LANG": "C.UTF-8"},
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                text=True,
                start_new_session=True,
            )
        )
        return started[-1]

    yield start
    for each in started:
        if each.poll() is None:
            os.killpg(each.pid, signal.SIGKILL)
        each.communicate()


def without_cache(desk: Desk) -> dict[str, tuple[str, str]]:
    """All of the home but builds that are kept."""
    return {name: each for name, each in desk.likeness().items() if not name.startswith(".cache")}


def answers(desk: Desk, command: str) -> bool:
    return desk.shell("bash", command, "-l") != ""


def test_the_first_answers_while_the_other_is_built(
    both: Desk, provisioning: Callable[[], subprocess.Popen[str]], tmp_path: Path
) -> None:
    before = without_cache(both)
    run = provisioning()
    assert until(lambda: (both.shelf / "kelp/4.2.1/bin/kelp").exists(), 20)
    landed = time.monotonic()
    assert until(lambda: answers(both, "kelp --version"), 10)
    assert time.monotonic() - landed < 8
    assert run.poll() is None
    assert not answers(both, "ebb")
    (tmp_path / "gate").touch()
    out, _ = run.communicate(timeout=60)
    assert run.returncode == 0, out
    assert "ready in new shells: kelp 4.2.1" in out
    assert both.shell("bash", "kelp --version; ebb", "-l") == "kelp 4.2.1\nebb\n"
    both.well("verify")
    assert "Nothing to do" in both.well("provision").out
    both.well("undo")
    assert without_cache(both) == before


def test_a_run_that_is_killed_leaves_what_was_ready_in_use(
    both: Desk, provisioning: Callable[[], subprocess.Popen[str]], tmp_path: Path
) -> None:
    before = without_cache(both)
    run = provisioning()
    assert until(lambda: answers(both, "kelp --version"), 30)
    time.sleep(1.5)  # verified, too
    os.killpg(run.pid, signal.SIGKILL)
    run.wait()
    assert answers(both, "kelp --version")
    assert both.run("verify").code == 3, "ebb is asked for, and not there"
    (tmp_path / "gate").touch()
    both.well("provision")
    assert answers(both, "kelp --version") and answers(both, "ebb")
    both.well("undo")
    both.run("undo")
    assert without_cache(both) == before


def test_what_fails_later_keeps_nothing_back(both: Desk, tmp_path: Path) -> None:
    text = both.manifest.read_text()
    both.manifest.write_text(text.replace('while [ ! -e "$GATE" ]; do sleep 0.1; done;', "sleep 2; exit 3;"))
    answer = both.run("provision")
    assert answer.code == 1
    assert "ready in new shells: kelp 4.2.1" in answer.err
    assert answers(both, "kelp --version")


def test_a_version_that_shells_use_stays_until_all_is_there(
    both: Desk, provisioning: Callable[[], subprocess.Popen[str]], tmp_path: Path
) -> None:
    """The default moves from one that is there to one that is built: nothing changes before that."""
    (tmp_path / "gate").touch()
    both.well("provision")
    (tmp_path / "gate").unlink()
    environment = (both.home / ".local/share/zesty-anchor/shell/environment.bash").read_bytes()
    more = '\nalso = ["4"]\n[variables]\nGAUGE = "north"\n'
    both.manifest.write_text(both.manifest.read_text().replace('[runtimes.ebb]\nwant = "lts"\n',
                             f'[runtimes.ebb]\nwant = "lts"\nbuild.options = ["--more"]\n{more}'.replace('also = ["4"]\n', "")))  # fmt: skip
    run = provisioning()
    time.sleep(2.5)
    assert run.poll() is None
    assert answers(both, "ebb"), "the one that is there is used as long as another is built"
    (tmp_path / "gate").touch()
    out, _ = run.communicate(timeout=60)
    assert run.returncode == 0, out
    assert environment != (both.home / ".local/share/zesty-anchor/shell/environment.bash").read_bytes()
