"""pacman(8), of Arch Linux and its family."""

from __future__ import annotations

import re
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
    unreached = re.compile(r"^error: failed retrieving file '[^']+' from (?P<host>\S+)", re.MULTILINE)
    progress = re.compile(r"\((\d+)/(\d+)\)")

    def is_provided(self, name: str) -> bool:
        """``-T`` prints the needs that nothing installed meets."""
        return self.ask(("pacman", "-T", name)).returncode == 0

    def at_root(self, command: Command) -> Command:
        """The command for the system at ``root``."""
        if str(self.root) == "/":
            return command
        return (
            command[0],
            "--root",
            str(self.root),
            "--config",
            f"{self.root}/etc/pacman.conf",
            *command[1:],
        )
