"""Machines for tests: real sshd's, each with a home of its own, and a configuration for the real ssh."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
from pathlib import Path

from tests.conftest import PROGRAMS, Answer, Desk


class Fleet:
    """Machines, each an sshd for itself with a home of its own; ssh's configuration leads to them."""

    def __init__(self, folder: Path, desk: Desk) -> None:
        self.folder, self.desk = folder, desk
        for name in ("host", "other", "user"):
            subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", folder / name], check=True)
        shutil.copy(folder / "user.pub", folder / "authorized")
        self.config = folder / "ssh_config"
        self.config.write_text(
            f"IdentityFile {folder}/user\nUserKnownHostsFile {folder}/known\nStrictHostKeyChecking yes\n"
            "LogLevel ERROR\n"
        )
        Path("/run/sshd").mkdir(exist_ok=True)

    def add(self, *names: str, user: str = "root") -> None:
        """More machines, on which one logs in as that user."""
        public = " ".join((self.folder / "host.pub").read_text().split()[:2])
        for name in names:
            home = self.home(name)
            home.mkdir()
            shutil.chown(home, user)
            server = self.folder / f"sshd-{name}"
            server.write_text(
                f"HostKey {self.folder}/host\nAuthorizedKeysFile {self.folder}/authorized\nStrictModes no\n"
                "Subsystem sftp internal-sftp\nUsePAM no\nPermitRootLogin prohibit-password\nPidFile none\n"
                f"SetEnv HOME={home}\n"
            )
            proxy = f"{PROGRAMS['sshd']} -i -f {server} -E {self.folder}/log"
            with self.config.open("a") as config:
                config.write(f"Host {name}\n  User {user}\n  ProxyCommand {proxy}\n")
            with (self.folder / "known").open("a") as known:
                known.write(f"{name} {public}\n")

    def home(self, name: str) -> Path:
        return self.folder / f"home-{name}"

    def run(self, hosts: str, *words: str) -> Answer:
        return self.desk.run("across", "--ssh-config", str(self.config), hosts, *words)

    def well(self, hosts: str, *words: str) -> str:
        done = self.run(hosts, *words)
        assert done.code == 0, done.out + done.err
        return done.out

    def told(self, name: str, command: str) -> str:
        """What a new shell on a machine prints."""
        environment = {"HOME": str(self.home(name)), "PATH": "/usr/bin:/bin"}
        return subprocess.run(
            [PROGRAMS["bash"], "-lic", command], env=environment, capture_output=True, text=True, check=False
        ).stdout

    def cut(self, name: str) -> None:
        """Cut each connection to a machine."""
        for process in Path("/proc").glob("[0-9]*"):
            try:
                words = (process / "cmdline").read_bytes().split(b"\0")
            except OSError:
                continue
            if f"{self.folder}/sshd-{name}".encode() in words:
                os.kill(int(process.name), signal.SIGKILL)
