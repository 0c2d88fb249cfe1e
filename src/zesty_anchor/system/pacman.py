"""pacman(8), of Arch Linux and its family."""

from __future__ import annotations

import re
from collections.abc import Sequence
from fnmatch import fnmatchcase
from typing import ClassVar

from zesty_anchor.system.asked_manager import AskedManager
from zesty_anchor.system.command import Command


class Pacman(AskedManager):
    """pacman. Its lists are not refreshed by us: a system of this family is only ever upgraded as a whole."""

    name = "pacman"
    family = "arch"
    package = "pacman package"
    programs = ("pacman",)
    list_owners = ("pacman", "-Qo")
    owned = re.compile(r"^(?P<file>/.*) is owned by (?P<package>\S+) \S+$", re.MULTILINE)
    list_installed = ("pacman", "-Qq")
    list_versions = ("pacman", "-Q")
    list_known = ("pacman", "-Slq")
    install_words: ClassVar[Command] = ("pacman", "-S", "--noconfirm", "--needed", "--noprogressbar")
    remove_words = ("pacman", "-Rn", "--noconfirm", "--noprogressbar")
    try_remove = ("pacman", "-R", "--print")
    try_install = ("pacman", "-Sp", "--needed", "--print-format", "%s")
    size = re.compile(r"^(?P<number>\d+)(?P<unit>)$", re.MULTILINE)
    list_unasked: ClassVar[Command] = ("pacman", "-Qqd")
    mark_words: ClassVar[Command] = ("pacman", "-D", "--asdeps")
    needed_by = re.compile(r"required by (\S+)")
    unknown = re.compile(r"^error: target not found: (\S+)", re.MULTILINE)
    locked = re.compile(r"unable to lock database")
    at_work: ClassVar[dict[str, str]] = {"pacman": "pacman"}
    unreached = re.compile(r"^error: failed retrieving file '[^']+' from (?P<host>\S+)", re.MULTILINE)
    progress = re.compile(r"\((\d+)/(\d+)\)")
    held_where = "/etc/pacman.conf, IgnorePkg or IgnoreGroup"

    def is_provided(self, name: str) -> bool:
        """``-T`` prints the needs that nothing installed meets."""
        return self.ask(("pacman", "-T", name)).returncode == 0

    def on_hold(self, names: Sequence[str]) -> dict[str, str]:
        """pacman.conf(5), IgnorePkg (patterns of glob(7)) and IgnoreGroup. ``--noconfirm`` has pacman install
        such a package without asking.
        """
        patterns = self.ask(("pacman-conf", "IgnorePkg")).stdout.split()
        held = {n: f"remove {p} from IgnorePkg" for n in names for p in patterns if fnmatchcase(n, p)}
        for group in self.ask(("pacman-conf", "IgnoreGroup")).stdout.split():
            members = self.ask(("pacman", "-Sgq", group)).stdout.split()
            held |= {name: f"remove {group} from IgnoreGroup" for name in names if name in members}
        return held

    def at_root(self, command: Command) -> Command:
        """The command for the system at ``root``."""
        if str(self.root) == "/":
            return command
        config = ("--config", f"{self.root}/etc/pacman.conf")
        root = () if command[0] == "pacman-conf" else ("--root", str(self.root))
        return (command[0], *root, *config, *command[1:])
