"""The first new shell after a run prints once what is new."""

from __future__ import annotations

import pytest

from tests.conftest import SHELLS, Desk, packed_runtime
from zesty_anchor.shells.pty import under_pty
from zesty_anchor.system.host import login_path

NEW = "kelp 4.2.1 is new here; `za list` shows all"


def typed(desk: Desk, shell: str) -> str:
    """What an interactive shell prints on a terminal until somebody types something."""
    environment = {"HOME": str(desk.home), "PATH": login_path(), "TERM": "dumb"}
    with under_pty([SHELLS[shell], "-i"], environment, desk.home, seconds=30, columns=120) as child:
        child.sendline("echo low''water; exit")
        child.expect_exact(b"lowwater")
        return (child.before or b"").decode()


@pytest.mark.parametrize(
    "shell",
    [
        pytest.param(name, marks=pytest.mark.needs(name))
        for name in ("bash", "zsh", "fish", "ksh", "mksh", "tcsh")
    ],
)
def test_one_line_once_and_only_to_a_person(desk: Desk, shell: str) -> None:
    desk.wants(f'[shells]\nuse = ["{shell}"]\n')
    desk.well("provision")
    desk.well("verify")
    desk.well("trace", "kelp")
    assert NEW not in desk.shell(shell, "echo tide") + desk.shell(shell, "echo tide", "-i"), "no terminal"
    assert NEW in typed(desk, shell)
    assert NEW not in typed(desk, shell)
    desk.well("provision")
    desk.wants(f'[shells]\nuse = ["{shell}"]\n[variables]\nGAUGE = "north"\n')
    desk.well("provision")
    assert NEW not in typed(desk, shell), "no version is new"


def test_it_is_forgotten_with_its_run_and_where_the_manifest_says_so(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    desk.well("undo")
    assert "new here" not in typed(desk, "bash")
    desk.wants('[shells]\nuse = ["bash"]\ngreeting = false\n')
    desk.well("provision")
    assert "new here" not in typed(desk, "bash")
    (desk.home / "feed").mkdir()
    for name in ("oar", "tidy"):
        (desk.home / f"feed/{name}-1.0.tar.gz").write_bytes(packed_runtime(name, "1.0"))
    both = "".join(
        f'[recipes.{name}]\ncommands = ["{name}"]\n[runtimes.{name}]\nwant = "1.0"\nfeed = "other"\n'
        'unpinned = "accepted"\n'
        for name in ("oar", "tidy")
    )
    feed = f'[feeds.other]\nkind = "folder"\nurl = "{desk.home}/feed"\n'
    kelp = '[runtimes.kelp]\nwant = "4.2.1"\nfeed = "harbour"\n'
    desk.wants('[shells]\nuse = ["bash"]\n' + feed + both, kelp)
    desk.well("provision")
    assert "oar 1.0 and tidy 1.0 are new here;" in typed(desk, "bash")
