"""What a real service manager of a user starts: services, timers, and the entries of a menu."""

from __future__ import annotations

import os
import subprocess
import textwrap
from contextlib import suppress
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS, Desk, is_root
from zesty_anchor.system.host import login_path

MANAGER = Path("/lib/systemd/systemd")
GROUPS = tuple(
    each for each in map(Path, ("/sys/fs/cgroup/systemd", "/sys/fs/cgroup/unified", "/sys/fs/cgroup"))
    if (each / "cgroup.procs").exists()
)  # fmt: skip
IN_ITS_OWN_ROOM = r"""
set -e
mount --make-rprivate /
mount -t tmpfs none /run
mkdir -p /run/systemd/system "$XDG_RUNTIME_DIR"
chmod 700 "$XDG_RUNTIME_DIR"
for group in $GROUPS; do
  mkdir -p "$group/tide-desk"
  echo $$ >"$group/tide-desk/cgroup.procs"
done
cd "$HOME"
"$MANAGER" --user --unit=basic.target &
tries=0
until systemctl --user is-active --quiet basic.target; do
  [ $((tries = tries + 1)) -lt 400 ]
  sleep 0.05
done
for unit in $UNITS; do systemctl --user start "$unit" || :; done
for file in $FILES; do
  tries=0
  until [ -s "$file" ] || [ $((tries = tries + 1)) = 100 ]; do sleep 0.05; done
done
systemctl --user show -p ExecStart -p Result app-gauge@autostart.service >from-menu
systemctl --user exit
wait
"""
"""A namespace in which the system looks as if systemd had started it: sd_booted(3), user@.service(5)."""


def managed(desk: Desk, units: str, files: str) -> None:
    """Start units by the person's own systemd, and wait until they wrote their files."""
    environment = {
        "HOME": str(desk.home), "USER": "root", "LOGNAME": "root", "SHELL": PROGRAMS["bash"],
        "PATH": login_path(superuser=True), "XDG_RUNTIME_DIR": "/run/user/0", "SYSTEMD_LOG_TARGET": "console",
        "GROUPS": " ".join(map(str, GROUPS)), "MANAGER": str(MANAGER), "UNITS": units, "FILES": files,
    }  # fmt: skip
    done = subprocess.run(
        [PROGRAMS["unshare"], "--mount", "--pid", "--fork", "--kill-child", "--mount-proc", "sh", "-c", IN_ITS_OWN_ROOM],
        env=environment, stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    for group in GROUPS:
        for folder, _, _ in os.walk(group / "tide-desk", topdown=False):
            with suppress(OSError):
                os.rmdir(folder)
    assert done.returncode == 0, done.stdout + done.stderr


def settled_service(desk: Desk, name: str, text: str) -> None:
    desk.write(textwrap.dedent(text), f".config/systemd/user/{name}")


@pytest.mark.needs("bash", "systemctl", "unshare")
@pytest.mark.skipif(
    not is_root() or not GROUPS or not os.access(GROUPS[0], os.W_OK) or not MANAGER.exists(),
    reason="a service manager needs control groups that may be written",
)
def test_services_and_the_menu_run_what_the_manifest_says(settled: Desk) -> None:
    settled_service(settled, "tide.service", """\
        [Service]
        Type=oneshot
        ExecStart=/bin/sh -c 'kelp --version >from-service; printenv GAUGE >>from-service'
        WorkingDirectory=%h
        """)  # fmt: skip
    settled_service(settled, "pinned.service", """\
        [Service]
        Type=oneshot
        ExecStart=/usr/bin/env kelp --version
        StandardOutput=file:%h/from-pinned
        WorkingDirectory=%h/project/deep
        """)  # fmt: skip
    settled.write(
        "[Desktop Entry]\nType=Application\nName=Gauge\nExec=kelp gauge.kelp\nTerminal=false\n",
        ".config/autostart/gauge.desktop",
    )
    settled.write("say low water\n", "gauge.kelp")
    managed(settled, "tide.service pinned.service app-gauge@autostart.service", "from-service from-pinned")
    assert (settled.home / "from-service").read_text() == "kelp 4.2.1\nnorth quay, $5 a day\n"
    assert (settled.home / "from-pinned").read_text() == "kelp 3.6.2\n"
    menu = (settled.home / "from-menu").read_text()
    launcher = settled.home / ".local/share/zesty-anchor/bin/kelp"
    assert f"path={launcher} ;" in menu and "Result=success" in menu and "status=0" in menu
