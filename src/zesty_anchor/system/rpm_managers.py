"""dnf and zypper, which both stand on rpm(8)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from fnmatch import fnmatchcase
from shlex import quote
from typing import ClassVar

from zesty_anchor.system.asked_manager import AskedManager
from zesty_anchor.system.command import Command
from zesty_anchor.system.package_manager import OWNER_SECONDS
from zesty_anchor.system.package_source import PackageSource, SourceForm
from zesty_anchor.system.problem import Problem

_AT_ONCE = 4


class _OnRpm(AskedManager):
    package = "rpm package"
    list_installed = ("rpm", "-qa", "--qf", "%{NAME}\n")
    list_versions = ("rpm", "-q", "--qf", "%{NAME} %{VERSION}-%{RELEASE}\n")
    list_settings = ("rpm", "-qc")
    exact = "{name}-{version}"
    try_remove = ("rpm", "-e", "--test")
    sources: ClassVar[str]
    source_rows: ClassVar[str] = ""
    needed_by = re.compile(r"is needed by \(installed\) (\S+)-[^-]+-[^-]+$", re.MULTILINE)

    def is_provided(self, name: str) -> bool:
        """Whether an installed package of another name provides this one."""
        return self.ask(("rpm", "-q", "--whatprovides", name)).returncode == 0

    def owners_of(self, files: Sequence[str]) -> dict[str, str]:
        """An answer does not name the file that it is about, so each is asked for alone, several at a
        time.
        """
        named = self.recorded(files)
        every = list(dict.fromkeys(name for names in named.values() for name in names))
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            found = dict(zip(every, pool.map(self._owner, every), strict=True))
        return {
            file: next((found[name] for name in names if found[name]), "") for file, names in named.items()
        }

    def _owner(self, file: str) -> str:
        try:
            answer = self.ask(("rpm", "-q", "--path", "--qf", "%{NAME}\n", file), OWNER_SECONDS)
        except Problem:
            return ""
        return answer.stdout.split("\n")[0] if answer.returncode == 0 else ""

    def source_form(self, source: PackageSource) -> SourceForm:
        """A repository's file, in the folder that this manager reads (dnf.conf(5), "Repo options";
        zypper(8)).
        """
        key_file, file = f"/etc/pki/rpm-gpg/{source.own}.asc", f"{self.sources}/{source.own}.repo"
        rows = f"[{source.own}]\nname={source.name}\nbaseurl={source.url}\nenabled=1\ngpgcheck=1\ngpgkey=file://{key_file}\n"
        files = ((key_file, source.key), (file, source.head + rows + self.source_rows))
        return SourceForm(files, self.refresh(source))

    def refresh(self, source: PackageSource) -> Command:
        """The command that reads the lists of a source."""
        raise NotImplementedError


class Dnf(_OnRpm):
    """dnf(8), of Fedora and its family. It refreshes its lists by itself, when they are old."""

    name = "dnf"
    family = "fedora"
    programs = ("dnf", "yum", "rpm")
    sources = "/etc/yum.repos.d"
    install_words: ClassVar[Command] = ("dnf", "-y", "install")
    remove_words = ("dnf", "-y", "remove", "--noautoremove")
    try_install = ("dnf", "-C", "--assumeno", "install")
    size = re.compile(r"^Total (?:download )?size: (?P<number>[\d.]+) (?P<unit>[kMGT]?)\s*$", re.MULTILINE)
    list_known = ("dnf", "-q", "-C", "repoquery", "--qf", "%{name}\n")
    unknown = re.compile(r"^No match for argument: (\S+)", re.MULTILINE)
    unreached = re.compile(
        r"Failed to download metadata for repo '(?P<repo>[^']+)'"
        r'|Failed to download metadata .*for repository "(?P<repository>[^"]+)"'
    )
    locked = re.compile(r"Waiting for process with pid (\d+)|Failed to obtain the transaction lock.*")
    progress = re.compile(r"\b(\d+)/(\d+)\b")
    held_where = "excludepkgs (or exclude) in /etc/dnf/dnf.conf, or in a file of /etc/yum.repos.d"

    def on_hold(self, names: Sequence[str]) -> dict[str, str]:
        """What the lists on this machine have only with the excludes switched off (dnf.conf(5))."""
        query = ("repoquery", "--qf", "%{name}\n", *names)
        every = set(self.ask(("dnf", "-q", "-C", "--disableexcludes=all", *query)).stdout.split())
        allowed = set(self.ask(("dnf", "-q", "-C", *query)).stdout.split()) if every else set()
        return {name: f"remove the entry for {name} from excludepkgs" for name in every - allowed}

    def refresh(self, source: PackageSource) -> Command:
        """The command that reads the lists of a source."""
        return ("dnf", "-y", "makecache", f"--repo={source.own}")

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
    programs = ("zypper", "rpm")
    sources = "/etc/zypp/repos.d"
    source_rows = "autorefresh=1\ntype=rpm-md\n"
    exact = "{name}={version}"
    family = "suse"
    install_words: ClassVar[Command] = ("zypper", "--non-interactive", "install", "--no-recommends")
    remove_words = ("rpm", "-e")
    try_install: ClassVar[Command] = (
        "zypper", "--non-interactive", "--no-refresh", "install", "--no-recommends", "--dry-run",
    )  # fmt: skip
    size = re.compile(r"^Overall download size: (?P<number>[\d.]+) (?P<unit>[KMGT]?)i?B", re.MULTILINE)
    list_known = ("zypper", "--non-interactive", "--no-refresh", "--terse", "search", "-t", "package")
    unknown = re.compile(
        r"^(?:No provider of |')'?([^' ]+)'? (?:found|not found in package names)", re.MULTILINE
    )
    locked = re.compile(r"System management is locked by .*")
    unreached = re.compile(r"Skipping repository '(?P<repo>[^']+)' because of the above error")
    progress = re.compile(r"\((\d+)/(\d+)\)")
    held_where = "the locks of zypper"

    def on_hold(self, names: Sequence[str]) -> dict[str, str]:
        """zypper(8), "Package Lock Management"; a lock may be a pattern."""
        shown = self.ask(("zypper", "--non-interactive", "--xmlout", "locks")).stdout
        locks = re.findall(r"<name>([^<]+)</name>", shown)
        return {
            name: f"as root: zypper removelock {quote(lock)}"
            for name in names
            for lock in locks
            if fnmatchcase(name, lock)
        }

    def refresh(self, source: PackageSource) -> Command:
        """The command that reads the lists of a source."""
        return ("zypper", "--non-interactive", "--gpg-auto-import-keys", "refresh", source.own)

    def at_root(self, command: Command) -> Command:
        """The command for the system at ``root``."""
        return command if str(self.root) == "/" else (command[0], "--root", str(self.root), *command[1:])
