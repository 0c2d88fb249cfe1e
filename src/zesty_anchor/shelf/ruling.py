"""Commands that are critical on a machine: a version that contains one undeclared would shadow the
system's.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterable
from pathlib import Path

from zesty_anchor.system.host import answering, login_path
from zesty_anchor.system.package_managers import package_programs

RULING = frozenset(
    [
        "sudo",
        "su",
        "doas",
        "pkexec",
        "sh",
        "bash",
        "dash",
        "zsh",
        "fish",
        "ksh",
        "mksh",
        "tcsh",
        "env",
        "login",
        "passwd",
        "ssh",
        "scp",
        "sftp",
        "ssh-add",
        "ssh-keygen",
        "git",
        "gpg",
        "curl",
        "wget",
        "ls",
        "cp",
        "mv",
        "rm",
        "ln",
        "cat",
        "chmod",
        "chown",
        "mkdir",
        "rmdir",
        "touch",
        "dd",
        "mount",
        "umount",
        "kill",
        "ps",
        "top",
        "grep",
        "sed",
        "awk",
        "find",
        "xargs",
        "tar",
        "gzip",
        "unzip",
        "make",
        "cc",
        "gcc",
        "ld",
        "dpkg-query",
        "systemctl",
        "service",
        "crontab",
        "update-alternatives",
        "id",
        "whoami",
        "test",
        "true",
        "false",
        "printf",
        "echo",
    ]
)
"""What people, scripts and this program itself start to change or to look at a machine, beside the package
managers' commands.
"""


def shadowing(folders: Iterable[Path], declared: Collection[str]) -> list[str]:
    """Return the critical commands in a version's folders of commands that are not declared and that the
    system has as well.
    """
    there = {entry.name for folder in folders for entry in _entries(folder)}
    undeclared = sorted((there & (RULING | set(package_programs()))) - set(declared))
    return [name for name in undeclared if answering(name, f"{login_path()}:/usr/sbin:/sbin")]


def _entries(folder: Path) -> list[os.DirEntry[str]]:
    try:
        return [entry for entry in os.scandir(folder) if entry.is_file() and os.access(entry.path, os.X_OK)]
    except OSError:
        return []
