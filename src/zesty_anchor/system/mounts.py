"""Which disk a folder lies on, and what disks of other systems do not keep: owners and permissions."""

from __future__ import annotations

import os
import re
from pathlib import Path

import msgspec

from zesty_anchor.system.problem import UsageProblem

_MOUNTS = Path("/proc/self/mounts")
_OF_OTHERS = {
    "9p", "drvfs", "virtiofs", "vboxsf", "prl_fs", "vfat", "msdos", "exfat", "ntfs", "ntfs3", "fuse",
    "fuseblk", "cifs", "smb3",
    "smbfs", "nfs", "nfs4", "afs",
}  # fmt: skip
"""Kinds of file system that another system, or another machine, stands behind: each look at a file takes its
time there.
"""


class Mount(msgspec.Struct, frozen=True):
    """Where a file system is mounted, and its kind (proc(5), ``/proc/pid/mounts``)."""

    point: str
    kind: str

    @property
    def of_others(self) -> bool:
        """Whether another system or machine stands behind it."""
        return self.kind in _OF_OTHERS or self.kind.startswith("fuse.")


def mounts(text: str | None = None) -> list[Mount]:
    """What is mounted, the innermost first; nothing where the system does not tell. Blanks in names are octal
    there.
    """
    if text is None:
        try:
            text = _MOUNTS.read_text("utf-8", "surrogateescape")
        except OSError:
            return []
    rows = [row.split(" ") for row in text.splitlines()]
    found = [
        Mount(re.sub(r"\\([0-7]{3})", lambda m: chr(int(m[1], 8)), row[1]), row[2])
        for row in rows
        if len(row) > 2
    ]
    return sorted(found, key=lambda mount: -len(mount.point))


def mount_of(path: str, among: list[Mount]) -> Mount | None:
    """The mount that a path lies on. Pure."""
    return next((m for m in among if path == m.point or path.startswith(m.point.rstrip("/") + "/")), None)


def mounted_at(path: str) -> Mount | None:
    """The mount of which a path is the very point: a file there can be written, and not replaced (rename(2),
    EBUSY).
    """
    return next((mount for mount in mounts() if mount.point == path), None)


def beside_windows() -> bool:
    """Whether this Linux runs inside Windows, whose kernel for that says so in its release (uname(2))."""
    return "microsoft" in os.uname().release.lower()


def advice_on_permissions() -> str:
    """What to do about a disk that keeps no permissions."""
    other = (
        "or name folders on a disk of this system: XDG_DATA_HOME, XDG_STATE_HOME, XDG_CACHE_HOME,"
        " XDG_CONFIG_HOME"
    )
    if beside_windows():
        return (
            f'have it keep them: options = "metadata,umask=022" under [automount] in /etc/wsl.conf; {other}'
        )
    return f"mount it such that it keeps them; {other}"


def advice_where_open(path: Path) -> str:
    """What to do about a path that others may write, where that comes from its disk: there modes are as the
    mount says (mount(8), umask=), and chmod(1) does nothing. Empty where the disk is one of this system.
    """
    mount = mount_of(os.path.realpath(path), mounts())
    if mount is None or not mount.of_others:
        return ""
    return f"{mount.point} ({mount.kind}) may be a disk that keeps no permissions: {advice_on_permissions()}"


def check_kept(folder: Path) -> None:
    """Raises ``UsageProblem`` where a folder of ours would stand on a disk that keeps no permissions:
    whatever is written there anybody may change, so it would not be believed again. A folder that is there
    already is not looked at.
    """
    if folder.exists():
        return
    above = next(each for each in folder.parents if each.exists())
    import tempfile  # made once in a home's life

    try:
        probe = Path(tempfile.mkdtemp(prefix=".zesty-anchor-", dir=above))
    except OSError:
        return  # what cannot be written is told where it is tried
    try:
        kept = not probe.stat().st_mode & 0o077
    finally:
        probe.rmdir()
    if not kept:
        mount = mount_of(os.path.realpath(above), mounts())
        where = f" on {mount.point} ({mount.kind})" if mount else ""
        raise UsageProblem(
            f"the disk that {above} lies on keeps no permissions{where}: whoever uses this machine could"
            " change what runs for you",
            where=str(folder),
            advice=advice_on_permissions(),
        )
