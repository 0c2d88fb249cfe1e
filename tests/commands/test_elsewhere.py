"""What a command runs where no shell of the person's is started, and what to write there."""

from __future__ import annotations

import shutil
import subprocess

import pytest

from tests.conftest import Desk
from zesty_anchor.planning import elsewhere
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate

pytestmark = [pytest.mark.needs("bash"), pytest.mark.sees_system]


def test_cron_and_sudo_are_named_with_what_to_write(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.2.1"\n')
    assert desk.run("trace", "kelp", "--json").json["elsewhere"] == [], "it is not installed yet"
    desk.well("provision")
    launcher = "~/.local/share/zesty-anchor/bin/kelp"
    cron, *sudo = desk.well("trace", "kelp", "--json").json["elsewhere"]
    assert cron == {"where": "cron", "path": "", "instead": launcher}
    assert [each["where"] for each in sudo] == (["sudo"] if shutil.which("sudo", path=login_path()) else [])
    shown = desk.well("trace", "kelp").out
    assert "Where no shell of yours is started" in shown and f"cron not found {launcher}" in " ".join(
        shown.split()
    )
    as_cron = subprocess.run(
        ["/bin/sh", "-c", f"{launcher} --version"],
        env={"HOME": str(desk.home), "PATH": "/usr/bin:/bin", "SHELL": "/bin/sh", "LOGNAME": "desk"},
        capture_output=True,
        text=True,
        check=True,
        cwd="/",
    )
    assert as_cron.stdout == "kelp 4.2.1\n"
    assert desk.well("trace", "$HOME", "--json").json["elsewhere"] == []


def test_sudo_has_a_path_of_its_own(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(elsewhere.shutil, "which", lambda name, path: f"/usr/bin/{name}")
    monkeypatch.setattr(elsewhere, "_SUDO", str(desk.home / "bin"))
    system = desk.write("#!/bin/sh\n", "bin/kelp")
    system.chmod(0o755)
    machine = Machine(locate({"HOME": str(desk.home)}), {})
    assert list(elsewhere.elsewhere("kelp", machine)) == [], "there is no launcher"
    desk.write("#!/bin/sh\n", ".local/share/zesty-anchor/bin/kelp")
    assert [(each.where, each.path, each.instead) for each in elsewhere.elsewhere("kelp", machine)] == [
        ("cron", "", "~/.local/share/zesty-anchor/bin/kelp"),
        ("sudo", str(system), "sudo ~/.local/share/zesty-anchor/bin/kelp"),
    ]
