"""The real runtimes of the shipped recipes, from the registries that the user's configuration names.

Run with: pytest -m network"""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import SHELLS, is_root
from zesty_anchor.demo.home import likeness
from zesty_anchor.feeds.npm import registry_address
from zesty_anchor.feeds.pypi import index_address
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.network

MANIFEST = """\
[runtimes.node]
want = "24"
also = ["22"]

"""


@pytest.fixture
def stranger() -> Iterator[tuple[Path, list[str]]]:
    """A fresh home, and the words that run a command as a user who is not root."""
    home = Path(tempfile.mkdtemp(prefix="zesty-anchor-node-", dir="/var/tmp"))
    home.chmod(0o755)
    words: list[str] = []
    if is_root():
        os.chown(home, 65534, 65534)
        words = ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups"]
    yield home, words
    shutil.rmtree(home)


def environment_of(home: Path) -> dict[str, str]:
    return {
        "HOME": str(home),
        "PATH": login_path(superuser=False),
        "LANG": "C.UTF-8",
        "NPM_CONFIG_REGISTRY": registry_address(os.environ, Path.home()),
        "PIP_INDEX_URL": index_address(os.environ, Path.home()),
        **{k: v for k, v in os.environ.items() if k in ("REQUESTS_CA_BUNDLE", "HTTPS_PROXY", "https_proxy")},
    }


def program() -> str:
    """A zesty-anchor that another user may run too: this one may stand in a folder that is closed to others."""
    return os.environ.get("ZESTY_ANCHOR_PROGRAM") or shutil.which("zesty-anchor") or "zesty-anchor"


ALL = """\
[runtimes.node]
want = "24"
[runtimes.go]
want = "1.27"
also = ["1.26"]
[runtimes.zig]
want = "0.17"
also = ["0.16"]
[runtimes.java]
want = "25"
also = ["21"]
[runtimes.deno]
want = "2"
also = ["2.8"]
"""


def test_every_shipped_recipe_runs_its_program(stranger: tuple[Path, list[str]]) -> None:
    home, words = stranger
    (home / "workstation.toml").write_text(ALL)
    environment = environment_of(home)
    before = likeness(home)

    def run(*command: str) -> str:
        done = subprocess.run(
            [*words, *command], cwd=home, env=environment, capture_output=True, text=True, check=False, timeout=900
        )
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout

    said = run(program(), "provision")
    assert said.count("runs a program") == 9
    assert "every fresh shell answers" in said
    assert "Nothing to do" in run(program(), "provision")
    run(program(), "undo")
    assert likeness(home, (".local/state/zesty-anchor",)) == before


def test_two_majors_side_by_side(stranger: tuple[Path, list[str]]) -> None:
    home, words = stranger
    manifest = home / "workstation.toml"
    manifest.write_text(MANIFEST)
    environment = environment_of(home)
    before = likeness(home)

    def run(*command: str) -> str:
        done = subprocess.run(
            [*words, *command], cwd=home, env=environment, capture_output=True, text=True, check=False, timeout=300
        )
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout

    assert "every fresh shell answers" in run(program(), "provision")
    for shell in ("bash", "zsh"):
        answer = run(SHELLS[shell], "-l", "-i", "-c", "command -v node; node --version; node -p '6*7'").splitlines()
        assert answer[0].startswith(str(home))
        assert answer[1].startswith("v24.")
        assert answer[2] == "42"
    older = next((home / ".local/share/zesty-anchor/shelf/node").glob("22.*")) / "bin/node"
    assert run(str(older), "--version").startswith("v22.")
    settled = likeness(home)
    assert "Nothing to do" in run(program(), "provision")
    assert likeness(home) == settled
    run(program(), "undo")
    assert likeness(home, (".local/state/zesty-anchor",)) == before
