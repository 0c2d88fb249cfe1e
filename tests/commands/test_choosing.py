"""Choosing a version from a list on the terminal."""

from __future__ import annotations

import re
import subprocess
from typing import Any

import pexpect
import pytest

from tests.conftest import PROGRAM, Desk
from zesty_anchor.planning.choosable import choosable, matching
from zesty_anchor.planning.listing import Active, Available, Listing
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash")
TODAY = "2026-06-30"


def offer(version: str, *channels: str, ends: str = "", lacking: str = "") -> Available:
    return Available(version, channels, "", "harbour", lacking, ends)


def listed() -> Listing:
    return Listing(
        "kelp",
        Active("4.1.0", "default", "~/workstation.toml:3"),
        ("3.6.2", "4.1.0"),
        (
            offer("5.1.0-rc.1"), offer("5.0.1"), offer("5.0.0"), offer("4.2.1", "lts", ends="2027-06-30"),
            offer("4.2.0", "lts"), offer("4.1.0"), offer("3.6.2", ends="2020-01-31"), offer("3.5.0", lacking="x"),
        ),
    )  # fmt: skip


def test_the_likeliest_come_first_and_all_by_typing() -> None:
    rows = choosable(listed(), TODAY)
    assert [(row.version, row.notes) for row in rows][:3] == [
        ("4.1.0", ("active",)),
        ("3.6.2", ("installed", "not supported since 2020-01-31")),
        ("4.2.1", ("lts", "supported until 2027-06-30")),
    ]
    assert [row.version for row in matching(rows, "")] == ["4.1.0", "3.6.2", "4.2.1", "5.0.1"]
    assert [(row.version, row.notes) for row in matching(rows, "5.1")] == [("5.1.0-rc.1", ("pre-release",))]
    assert [row.version for row in matching(rows, " 4.2")] == ["4.2.1", "4.2.0"]
    assert [row.version for row in matching(rows, "lts")] == ["4.2.1"]
    assert matching(rows, "nothing") == [] and "3.5.0" not in [row.version for row in rows]


def opened(desk: Desk, *words: str) -> Any:
    """``switch kelp`` on a terminal, in the folder tides."""
    return pexpect.spawn(
        str(PROGRAM), ["switch", "kelp", "--colour", "never", *words], cwd=str(desk.home / "tides"),
        env={"HOME": str(desk.home), "PATH": login_path(), "TERM": "xterm", "LANG": "C.UTF-8"},
        encoding="utf-8", dimensions=(40, 100), timeout=30,
    )  # fmt: skip


@pytest.fixture
def choosing(desk: Desk) -> Any:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.1.0"\nalso = ["3.6.2"]\n')
    desk.well("provision")
    (desk.home / "tides").mkdir()
    child = opened(desk, "--choose", "--project")
    child.expect("arrow keys move")
    yield child
    child.close()


def test_what_is_typed_filters_and_enter_takes(desk: Desk, choosing: Any) -> None:
    choosing.send("3.6")
    choosing.expect("installed")
    choosing.send("\r")
    choosing.expect("kelp 3.6.2 is active here: project")
    choosing.expect(pexpect.EOF)
    assert (desk.home / "tides/.kelp-version").read_text() == "3.6.2\n"


def test_arrow_keys_move_and_escape_leaves_all_as_it_is(desk: Desk, choosing: Any) -> None:
    choosing.send("\x1b[B\x1b[B\x1b[A")
    choosing.expect("> 3.6.2")
    choosing.send("\x1b")
    choosing.expect(pexpect.EOF)
    assert not (desk.home / "tides/.kelp-version").exists()


def test_the_list_opens_by_itself_and_asks_where_it_holds(desk: Desk, choosing: Any) -> None:
    choosing.send("\x1b")
    choosing.expect(pexpect.EOF)
    child = opened(desk)
    child.expect("arrow keys move")
    child.send("3.6\r")
    child.expect("kelp 3.6.2: where should it be active")
    child.send("project\r")
    child.expect("kelp 3.6.2 is active here: project")
    child.expect(pexpect.EOF)
    assert (desk.home / "tides/.kelp-version").read_text() == "3.6.2\n"
    child = opened(desk)
    child.expect("arrow keys move")
    child.send("\x1b")  # nothing is taken: what is active is shown
    child.expect("3.6.2 .*by .*kelp-version")
    child.expect(pexpect.EOF)
    child = opened(desk, "-q")
    child.expect("3.6.2 .*by .*kelp-version")
    child.expect(pexpect.EOF)
    assert (desk.home / "tides/.kelp-version").read_text() == "3.6.2\n"


def test_a_window_that_has_not_read_our_file_is_given_one_line(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.1.0"\nalso = ["3.6.2"]\n')
    desk.well("provision")
    refused = desk.run("switch", "kelp", "3.6", "--session")
    line = re.search(r"next: +(.*?)   \(or", refused.err)
    assert refused.code == 2 and line is not None, refused.err
    done = subprocess.run(
        ["bash", "--norc", "-ic", f"{line[1]}\nkelp --version"], capture_output=True, text=True, check=False,
        env={"HOME": str(desk.home), "PATH": f"{PROGRAM.parent}:{login_path()}", "LANG": "C.UTF-8"},
    )  # fmt: skip
    assert done.stdout.splitlines()[-1] == "kelp 3.6.2", done


def test_without_a_terminal_the_version_must_be_named(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.1.0"\n')
    desk.well("provision")
    none = desk.run("switch", "kelp", "--choose", "--project")
    assert none.code == 2 and "zesty-anchor list kelp" in none.err
    assert desk.run("switch", "kelp", "4.1", "--choose", "--project").code == 2
