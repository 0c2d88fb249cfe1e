"""What disks of other systems cost: folders on PATH that every command that is not found is looked for in,
and a home there.
"""

from __future__ import annotations

import os
import time
from collections.abc import Iterator

from zesty_anchor.survey.findings import Trouble
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.mounts import Mount, advice_on_permissions, beside_windows, mount_of, mounts

_MISSING = "zesty-anchor-looks-for-nothing"
_MANY = 100
"""As many folders on PATH are no matter."""
_LONG = 0.005
"""Seconds to look for a command in all of them that nobody notices."""
_MOST = 2.0
"""Seconds that are spent on measuring; the rest is reckoned."""


def disk_troubles(machine: Machine, path: str, among: list[Mount] | None = None) -> Iterator[Trouble]:
    """What stands on PATH in the shell that called us, measured: how long it takes to see that a command is
    in none of it.
    """
    among = mounts() if among is None else among
    home = mount_of(os.path.realpath(machine.locations.home), among)
    if home is not None and home.of_others:
        what = (
            f"the home lies on {home.point} ({home.kind}), a disk of another system: slow, and it may keep no"
            " permissions"
        )
        yield Trouble(str(machine.locations.home), 0, what, (), advice_on_permissions(), weight=60)
    folders = [each for each in dict.fromkeys(path.split(":")) if each.startswith("/")]
    foreign = [m for each in folders if (m := mount_of(each, among)) is not None and m.of_others]
    if not foreign and len(folders) <= _MANY:
        return
    took = _seconds(folders)
    if took < _LONG and len(folders) <= _MANY:
        return
    parts = [f"{len(folders)} folders are on PATH"]
    if foreign:
        points = ", ".join(sorted({m.point for m in foreign}))
        parts.append(f"{len(foreign)} of them on a disk of another system ({points})")
    what = (
        f"{', '.join(parts)}: to see that a command is in none takes {took * 1000:.1f} ms, at each one that"
        " is mistyped"
    )
    fix = "take out those that you need no command of"
    if foreign and beside_windows():
        fix = (
            "in /etc/wsl.conf, under [interop]: appendWindowsPath = false; then name the folders that you"
            " need in [path] last"
        )
    yield Trouble("PATH", 0, what, (), fix, weight=40 if took > 10 * _LONG else 8)


def _seconds(folders: list[str]) -> float:
    """How long it takes to look for a name that is nowhere, as a shell does (execvp(3))."""
    begun = time.perf_counter()
    for number, folder in enumerate(folders, 1):
        os.access(f"{folder}/{_MISSING}", os.X_OK)
        passed = time.perf_counter() - begun
        if passed > _MOST:
            return passed / number * len(folders)
    return time.perf_counter() - begun
