"""dnf and zypper, which both stand on rpm(8)."""

from __future__ import annotations

import re
from typing import ClassVar

from zesty_anchor.system.asked_manager import AskedManager
from zesty_anchor.system.package_manager import Command


class _OnRpm(AskedManager):
    list_installed = ("rpm", "-qa", "--qf", "%{NAME}\n")
    list_versions = ("rpm", "-q", "--qf", "%{NAME} %{VERSION}-%{RELEASE}\n")
    list_settings = ("rpm", "-qc")
    exact = "{name}-{version}"
    try_remove = ("rpm", "-e", "--test")
    needed_by = re.compile(r"is needed by \(installed\) (\S+)-[^-]+-[^-]+$", re.MULTILINE)

    def is_provided(self, name: str) -> bool:
        """Whether an installed package of another name provides this one."""
        return self.ask(("rpm", "-q", "--whatprovides", name)).returncode == 0


class Dnf(_OnRpm):
    """dnf(8), of Fedora and its family. It refreshes its lists by itself, when they are old."""

    name = "dnf"
    family = "fedora"
    install_words: ClassVar[Command] = ("dnf", "-y", "install")
    remove_words = ("dnf", "-y", "remove", "--noautoremove")
    list_known = ("dnf", "-q", "-C", "repoquery", "--qf", "%{name}\n")
    unknown = re.compile(r"^No match for argument: (\S+)", re.MULTILINE)
    locked = re.compile(r"Waiting for process with pid (\d+)|Failed to obtain the transaction lock.*")
    progress = re.compile(r"\b(\d+)/(\d+)\b")

    def at_root(self, command: Command) -> Command:
        """The command for the system at ``root``."""
        if str(self.root) == "/":
            return command
        options: Command = ("--root", str(self.root))
        if command[0] == "dnf":
            options = (
                "--installroot",
                str(self.root),
                f"--setopt=reposdir={self.root}/etc/yum.repos.d",
                "--releasever=1",
            )
        return (command[0], *options, *command[1:])


class Zypper(_OnRpm):
    """zypper(8), of openSUSE and its family. It refreshes its lists by itself, when they are old."""

    name = "zypper"
    exact = "{name}={version}"
    family = "suse"
    install_words: ClassVar[Command] = ("zypper", "--non-interactive", "install", "--no-recommends")
    remove_words = ("rpm", "-e")
    list_known = ("zypper", "--non-interactive", "--no-refresh", "--terse", "search", "-t", "package")
    unknown = re.compile(r"^(?:No provider of |')'?([^' ]+)'? (?:found|not found in package names)", re.MULTILINE)
    locked = re.compile(r"System management is locked by .*")
    progress = re.compile(r"\((\d+)/(\d+)\)")

    def at_root(self, command: Command) -> Command:
        """The command for the system at ``root``."""
        return command if str(self.root) == "/" else (command[0], "--root", str(self.root), *command[1:])
