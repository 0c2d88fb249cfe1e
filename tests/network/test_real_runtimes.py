"""The real runtimes of the shipped recipes, from the registries that the user's configuration names.

Run with: pytest -m network"""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, SHELLS, is_root
from zesty_anchor.demo.home import likeness
from zesty_anchor.feeds.npm import registry_address
from zesty_anchor.feeds.pypi import index_address
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.network

NODE = """\
[runtimes.node]
want = "24"
also = ["22"]

"""


ALL = """\
[runtimes.node]
want = "24"
also = ["22"]
[runtimes.go]
want = "1.27"
also = ["1.26"]
[runtimes.zig]
want = "0.17"
also = ["0.16"]
[runtimes.java]
want = "17"
also = ["11"]
[runtimes.deno]
want = "2.9"
also = ["2.8"]
"""


BY_NPM = """\
[shells]
use = ["bash"]
[feeds.npm]
kind = "npm"
[runtimes.node]
want = "24"
also = ["22"]
feed = "npm"
companions = { npm = "11" }
[runtimes.deno]
want = "2.9"
feed = "npm"
extras = ["npm:cowsay@1.6.0"]
[runtimes.java-runtime]
want = "25"
[runtimes.go]
want = "latest"
extras = ["tides.example/bell"]
"""


class Stranger:
    """A user who is not root, in a fresh home."""

    def __init__(self, home: Path, manifest: str) -> None:
        self.home = home
        (home / "workstation.toml").write_text(manifest)
        self.words = ["setpriv", "--reuid=4242", "--regid=4242", "--clear-groups"] if is_root() else []
        if is_root():
            os.chown(home, 4242, 4242)
        # A zesty-anchor that another user may run too: this one may stand in a folder that is closed to
        # others.
        self.program = os.environ.get("ZESTY_ANCHOR_PROGRAM") or str(PROGRAM)
        self.environment = {
            "HOME": str(home),
            "PATH": login_path(superuser=False),
            "LANG": "C.UTF-8",
            "NPM_CONFIG_REGISTRY": registry_address(os.environ, Path.home()),
            "PIP_INDEX_URL": index_address(os.environ, Path.home()),
            **{
                k: v
                for k, v in os.environ.items()
                if k in ("REQUESTS_CA_BUNDLE", "HTTPS_PROXY", "https_proxy")
            },
        }

    def run(self, *command: str) -> str:
        done = subprocess.run(
            [*self.words, *command], cwd=self.home, env=self.environment, capture_output=True, text=True,
            check=False,
            timeout=900,
        )  # fmt: skip
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout

    def likeness(self) -> dict[str, tuple[str, str]]:
        return likeness(self.home, (".local/state/zesty-anchor", ".cache"))


@pytest.fixture
def stranger(request: pytest.FixtureRequest) -> Iterator[Stranger]:
    home = Path(tempfile.mkdtemp(prefix="zesty-anchor-real-", dir="/var/tmp"))
    home.chmod(0o755)
    yield Stranger(home, request.param)
    shutil.rmtree(home)


@pytest.mark.parametrize("stranger", [NODE], indirect=True)
def test_two_majors_side_by_side(stranger: Stranger) -> None:
    before = stranger.likeness()
    assert "verified in" in stranger.run(stranger.program, "provision")
    for shell in ("bash", "zsh"):
        script = "command -v node; node --version; node -p '6*7'"
        answer = stranger.run(SHELLS[shell], "-l", "-i", "-c", script).splitlines()
        assert answer[0].startswith(str(stranger.home))
        assert answer[1].startswith("v24.")
        assert answer[2] == "42"
    older = next((stranger.home / ".local/share/zesty-anchor/shelf/node").glob("22.*")) / "bin/node"
    assert stranger.run(str(older), "--version").startswith("v22.")
    settled = stranger.likeness()
    assert "Nothing to do" in stranger.run(stranger.program, "provision")
    assert stranger.likeness() == settled
    stranger.run(stranger.program, "undo")
    assert stranger.likeness() == before


@pytest.mark.parametrize("stranger", [ALL], indirect=True)
def test_every_shipped_recipe_runs_its_program(stranger: Stranger) -> None:
    before = stranger.likeness()
    said = stranger.run(stranger.program, "provision")
    assert "verified in" in said
    assert stranger.run(stranger.program, "verify", "-v").count("runs a program") == 10
    assert "Nothing to do" in stranger.run(stranger.program, "provision")
    stranger.run(stranger.program, "undo")
    assert stranger.likeness() == before


@pytest.mark.parametrize("stranger", [BY_NPM], indirect=True)
def test_the_other_feeds_and_the_package_tools_of_go_and_deno(stranger: Stranger) -> None:
    """Node's binary with npm as its companion, a module by way of a Go proxy in a folder, a script of
    deno's.
    """
    proxy = stranger.home / "proxy"
    module_proxy(proxy)
    settings = stranger.home / ".config/go/env"
    settings.parent.mkdir(parents=True)
    settings.write_text(f"GOPROXY=file://{proxy}\nGOSUMDB=off\n")
    if is_root():
        subprocess.run(["chown", "-R", "4242:4242", str(stranger.home)], check=True)
    before = stranger.likeness()
    assert "verified in" in stranger.run(stranger.program, "provision")
    told = stranger.run(
        SHELLS["bash"],
        "-l",
        "-c",
        "npm --version; command -v npm; bell; command -v cowsay; java -version 2>&1",
    )
    rows = told.splitlines()
    assert rows[0].startswith("11.") and rows[1].startswith(str(stranger.home)) and rows[2] == "ding"
    assert rows[3].endswith("/bin/cowsay") and 'version "25' in rows[4]
    shutil.rmtree(stranger.home / ".npm", ignore_errors=True)  # npm's own, by the question above
    assert "Nothing to do" in stranger.run(stranger.program, "provision")
    stranger.run(stranger.program, "undo")
    assert stranger.likeness() == before


def module_proxy(folder: Path) -> None:
    """A module in the form of the Go proxy protocol (the Go Modules Reference, "GOPROXY protocol")."""
    place = folder / "tides.example/bell/@v"
    place.mkdir(parents=True)
    module = "module tides.example/bell\n\ngo 1.20\n"
    (place / "list").write_text("v1.0.0\n")
    (place / "v1.0.0.info").write_text('{"Version": "v1.0.0", "Time": "2026-01-01T00:00:00Z"}')
    (place / "v1.0.0.mod").write_text(module)
    with zipfile.ZipFile(place / "v1.0.0.zip", "w") as packed:
        packed.writestr("tides.example/bell@v1.0.0/go.mod", module)
        packed.writestr(
            "tides.example/bell@v1.0.0/main.go",
            'package main\n\nimport "fmt"\n\nfunc main() { fmt.Println("ding") }\n',
        )
