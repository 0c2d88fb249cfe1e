"""On a scratch Debian root, as its user, under a pty. Run by scripts/fresh-machine."""

from __future__ import annotations

import fcntl
import hashlib
import os
import re
import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pexpect
import pytest

from zesty_anchor.demo.home import furnish, likeness
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import bollard_installer, stock_feed

pytestmark = pytest.mark.scratch

PROJECT = Path(__file__).parents[2]
SCRATCH = Path(os.environ.get("ZESTY_ANCHOR_SCRATCH", "/nonexistent"))
PASSWORD = "low water"
PROMPT = "Password of tide, asked once: "
ENVIRONMENT = ["HOME=/home/tide", "USER=tide", "SHELL=/bin/bash", "TERM=dumb", "LANG=C.UTF-8"]
PATH = "PATH=/home/tide/env/bin:/usr/local/bin:/usr/bin:/bin"
MORE = """
[prerequisites]
packages.debian = ["unzip", "cowsay"]

[variables.system]
TIDE_ZONE = "north quay"
"""
STATE = (
    ".local/state/zesty-anchor",
    ".cache",
    "env",
    ".zcompdump",
    ".sudo_as_admin_successful",
)


class Machine:
    """The scratch machine: a copy of the base root, with its mounts."""

    def __init__(self, root: Path, url: str) -> None:
        self.root = root
        self.home = root / "home/tide"
        self.desk = self.home / "desk"
        furnish(self.home, url, with_c=True)
        manifest = self.desk / "workstation.toml"
        manifest.write_text(manifest.read_text().replace('as-root = "allowed"', "#") + MORE)
        self.inside("chown", "-R", "tide:tide", "/home/tide")

    def inside(self, *words: str) -> str:
        """Run as the scratch machine's root."""
        done = subprocess.run(
            ["/usr/sbin/chroot", str(self.root), *words], capture_output=True, text=True, check=True,
            env={"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL": "C", "DEBIAN_FRONTEND": "noninteractive"},
        )  # fmt: skip
        return done.stdout

    def words(self, *command: str) -> list[str]:
        """A command of the user's, in their desk's folder."""
        script = 'cd ~/desk && exec "$@"'
        who = [
            "/usr/sbin/chroot",
            "--userspec=tide:tide",
            "--groups=tide,sudo",
            str(self.root),
            "/usr/bin/env",
            "-i",
        ]
        return [*who, *ENVIRONMENT, PATH, "sh", "-c", script, "sh", *command]

    def person(
        self, *command: str, passwords: tuple[str, ...] = (), patience: float = 300
    ) -> tuple[int, str, int]:
        """Run a command at a terminal; type the passwords as they are asked for; wait that many seconds for
        words.

        Returns the exit status, all that was shown, and how often a password was asked.
        """
        words = self.words(*command)
        child = pexpect.spawn(words[0], words[1:], timeout=patience, encoding="utf-8", dimensions=(50, 160))
        shown, asked, left = "", 0, list(passwords)
        while True:
            index = child.expect(
                [re.escape(PROMPT), r"\[sudo\] password|doas \([^)]*\) password", pexpect.EOF]
            )
            shown += child.before + (child.after if index < 2 else "")
            if index == 2:
                break
            asked += 1
            time.sleep(0.2)
            child.sendline(left.pop(0))
        child.close()
        print(f"\n$ {' '.join(command)}\n" + re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", shown).replace("\r", ""))
        return child.exitstatus, shown, asked

    def alone(self, *command: str) -> subprocess.CompletedProcess[str]:
        """Run a command with no terminal."""
        return subprocess.run(
            self.words(*command), stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False,
            start_new_session=True,
        )  # fmt: skip

    def programs_of(self, *command: str) -> list[str]:
        """The programs that a command starts, seen by strace."""
        trace = self.root / "tmp/trace"
        subprocess.run(
            ["strace", "-f", "-qq", "-e", "trace=execve", "-o", str(trace), *self.words(*command)],
            stdin=subprocess.DEVNULL, capture_output=True, check=True,
        )  # fmt: skip
        return [Path(found).name for found in re.findall(r'execve\("([^"]+)".*= 0', trace.read_text())]

    def packages(self) -> set[str]:
        lines = self.inside("dpkg-query", "-W", "-f", "${db:Status-Status} ${Package}\n").splitlines()
        return {line.split()[1] for line in lines if line.startswith("installed ")}

    def likeness(self) -> dict[str, tuple[str, str]]:
        return likeness(self.home, STATE)

    def fresh(self, shell: str, script: str) -> str:
        return subprocess.run(
            self.words(shell, "-l", "-i", "-c", script),
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            check=False,
        ).stdout


@pytest.fixture(scope="module")
def furnished(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The base with the wheel installed for the user."""
    base = SCRATCH / "furnished"
    shutil.rmtree(base, ignore_errors=True)
    subprocess.run(["cp", "-a", "--reflink=auto", str(SCRATCH / "base"), str(base)], check=True)
    shutil.copytree(PROJECT / ".work/wheels", base / "wheels")
    for words in (
        ["python3", "-m", "venv", "/home/tide/env"],
        ["/home/tide/env/bin/pip", "install", "-q", "--no-index", "--find-links=/wheels", "zesty-anchor"],
    ):
        subprocess.run(
            ["/usr/sbin/chroot", str(base), *words],
            check=True,
            env={"PATH": "/usr/bin:/bin", "HOME": "/root"},
        )
    return base


@pytest.fixture
def machine(furnished: Path, tmp_path: Path) -> Iterator[Machine]:
    root = SCRATCH / "run"
    for place in ("dev/pts", "dev", "proc"):
        subprocess.run(["umount", "-l", str(root / place)], capture_output=True, check=False)
    shutil.rmtree(root, ignore_errors=True)
    subprocess.run(["cp", "-a", "--reflink=auto", str(furnished), str(root)], check=True)
    subprocess.run(["mount", "-t", "proc", "proc", str(root / "proc")], check=True)
    subprocess.run(["mount", "--rbind", "/dev", str(root / "dev")], check=True)
    feed = tmp_path / "feed"
    feed.mkdir()
    stock_feed(feed)
    with Host(feed) as serving:
        yield Machine(root, serving.url)
    for place in ("dev", "proc"):
        subprocess.run(["umount", "-l", str(root / place)], capture_output=True, check=False)


PLANT = """
import json, os, pathlib, sqlite3
state = pathlib.Path.home() / ".local/state/zesty-anchor"
base = sqlite3.connect(state / "journal.db")
for number, text in base.execute("SELECT change, record FROM changes").fetchall():
    if "cowsay" in text:
        text = text.replace(chr(34) + "cowsay" + chr(34), chr(34) + "cowsay" + chr(34) + ", " + chr(34) + "zsh" + chr(34))
        base.execute("UPDATE changes SET record = ? WHERE change = ?", (text, number))
base.commit()
for copy in (state / "attic").rglob("*environment*"):
    if copy.is_file():
        copy.write_text("LD_PRELOAD=/tmp/planted.so\\n")
"""


def test_nothing_that_was_planted_is_believed(machine: Machine) -> None:
    """A row in the journal and a file in the attic that another program of the user wrote; a folder of ours
    that is root's.
    """
    packages, environment = machine.packages(), (machine.root / "etc/environment").read_bytes()
    code, _, _ = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert code == 0
    assert (machine.root / "var/lib/zesty-anchor").stat().st_uid == 0
    print(machine.inside("su", "-", "tide", "-c", f"python3 -c '{PLANT}'"))
    machine.person("zesty-anchor", "undo", passwords=(PASSWORD,))
    assert machine.packages() == packages, "zsh was there before, and stays"
    assert (machine.root / "etc/environment").read_bytes() == environment
    assert not (machine.root / "var/lib/zesty-anchor").exists()
    cache = machine.home / ".cache/zesty-anchor"
    cache.mkdir(parents=True, exist_ok=True)
    os.chown(cache, 0, 0)
    cache.chmod(0o755)
    refused = machine.alone("zesty-anchor", "verify")
    assert refused.returncode == 2 and "belongs to another user" in refused.stderr


def test_one_password_at_the_start_and_none_after(machine: Machine) -> None:
    before, packages = machine.likeness(), machine.packages()
    environment = (machine.root / "etc/environment").read_bytes()
    code, shown, asked = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert (code, asked) == (0, 1)
    assert (
        shown.index(PROMPT) < shown.index("no more questions") < shown.index("with privilege: sudo apt-get")
    )
    assert {"unzip", "cowsay"} <= machine.packages()
    for shell in ("bash", "zsh"):
        assert "kelp 4.2.1" in machine.fresh(shell, "kelp --version")
    assert "north quay" in machine.inside("su", "-", "tide", "-c", "printenv TIDE_ZONE"), "as PAM reads it"

    code, shown, asked = machine.person("zesty-anchor", "provision", "--trust", "workstation.toml")
    assert (code, asked) == (0, 0)
    assert "Nothing to do" in shown
    started = machine.programs_of("zesty-anchor", "provision")
    assert "zesty-anchor" in started
    assert not {"sudo", "apt-get", "apt-cache", "dpkg"} & set(started), started

    machine.inside("rm", "-rf", "/run/sudo")
    code, shown, asked = machine.person("zesty-anchor", "undo", passwords=(PASSWORD,))
    assert (code, asked) == (0, 1)
    assert machine.packages() == packages
    assert machine.likeness() == before
    assert (machine.root / "etc/environment").read_bytes() == environment


WHOLE = """
[prerequisites]
packages.debian = ["fish", "git", "openssh-client"]

[managers.fairlead]
want = "2.0"

[runtimes.flood]
want = "5"
through = "fairlead"

[identity]
name = "Tide Desk"
email = "desk@harbour.example"
key = "ed25519"
passphrase = "none"

[[settings]]
file = "~/.config/editor/settings.json"
key = ["terminal", "shell"]
value = "fish"
"""


def test_all_that_a_team_insists_on(machine: Machine) -> None:
    """Packages, both managers, a runtime through each, one from the shelf, one built, a licence, an identity,
    a setting.
    """
    settings = machine.home / ".config/editor/settings.json"
    settings.parent.mkdir(parents=True)
    settings.write_text('{\n  // by hand\n  "terminal": { "shell": "bash", "rows": 40 },\n}\n')
    machine.inside("chown", "-R", "tide:tide", "/home/tide/.config")
    manifest = machine.desk / "workstation.toml"
    digests = {v: hashlib.sha256(bollard_installer(v)).hexdigest() for v in ("0.9.4", "0.9.5")}
    text = manifest.read_text().split("[prerequisites]")[0]
    text = text.replace('want = "0.9.5"', 'want = "0.9.4"').replace(digests["0.9.5"], digests["0.9.4"])
    without = (".zcompdump", ".sudo_as_admin_successful", "env", "desk/workstation.toml", ".local/share/fish")
    before, packages = likeness(machine.home, without), machine.packages()
    assert not {"git", "fish", "openssh-client", "gcc"} & packages

    manifest.write_text(text + WHOLE)
    code, shown, asked = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert (code, asked) == (0, 1)
    assert {"git", "fish", "openssh-client", "gcc"} <= machine.packages()
    answers = (
        "bollard version; fairlead --version; ebb --version; flood --version; kelp --version; brine"
        " --version; coral --version"
    )
    expected = [
        "bollard 0.9.4",
        "fairlead 2.0",
        "ebb 4.2.9",
        "flood 5.1",
        "kelp 4.2.1",
        "brine 1.7.2",
        "coral 11.0.4",
    ]
    for shell in ("bash", "zsh", "fish"):
        said = machine.fresh(shell, answers).split("\n")
        assert said[: len(expected)] == expected, shell
    assert "Tide Desk" in machine.fresh("bash", "git config --global user.name")
    assert (machine.home / ".ssh/id_ed25519").stat().st_mode & 0o777 == 0o600
    assert settings.read_text() == '{\n  // by hand\n  "terminal": { "shell": "fish", "rows": 40 },\n}\n'
    code, shown, asked = machine.person("zesty-anchor", "verify", "-v")
    assert (code, asked) == (0, 0)
    assert re.search(r"new shell +bash +zsh +fish", re.sub(r"\x1b\[[0-9;]*m", "", shown))

    code, shown, asked = machine.person("zesty-anchor", "provision", "--trust", "workstation.toml")
    assert (code, asked) == (0, 0)
    assert "Nothing to do" in shown

    text = text.replace('want = "0.9.4"', 'want = "0.9.5"').replace(digests["0.9.4"], digests["0.9.5"])
    manifest.write_text(text + WHOLE.replace('want = "2.0"', 'want = "2.1"'))
    code, shown, asked = machine.person("zesty-anchor", "provision", "--trust", "workstation.toml")
    assert (code, asked) == (0, 0)
    expected[:2] = ["bollard 0.9.5", "fairlead 2.1"]
    assert machine.fresh("fish", answers).split("\n")[: len(expected)] == expected

    rest = re.sub(r"\[managers.fairlead\].*?(?=\[identity\])", "", WHOLE, flags=re.DOTALL)
    manifest.write_text(text + rest)
    code, shown, asked = machine.person("zesty-anchor", "provision", "--trust", "workstation.toml", "--yes")
    assert (code, asked) == (0, 0)
    assert "found" not in machine.fresh("bash", "command -v flood fairlead && echo found")

    machine.inside("rm", "-rf", "/run/sudo")
    code, shown, asked = machine.person("zesty-anchor", "dismantle", "--yes", passwords=(PASSWORD,))
    assert (code, asked) == (0, 1)
    assert likeness(machine.home, without) == before
    assert machine.packages() == packages


def test_a_wrong_password_three_times_changes_nothing(machine: Machine) -> None:
    before, packages = machine.likeness(), machine.packages()
    code, shown, asked = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=("a", "b", "c")
    )
    assert (code, asked) == (1, 3)
    assert "3 incorrect password attempts" in shown
    assert "nothing was changed" in shown
    assert (machine.likeness(), machine.packages()) == (before, packages)


def test_without_sudo_the_administrators_commands_are_printed(machine: Machine) -> None:
    (machine.root / "usr/bin/sudo").unlink()
    code, shown, asked = machine.person("zesty-anchor", "provision", "--trust", "workstation.toml")
    assert (code, asked) == (1, 0)
    assert "An administrator must still run:" in shown
    assert "apt-get install unzip cowsay" in shown
    assert "verified in" in shown
    assert "kelp 4.2.1" in machine.fresh("zsh", "kelp --version")


@pytest.mark.parametrize("rule", ["permit persist :sudo", "permit nopass :sudo"])
def test_doas_does_as_well(machine: Machine, rule: str) -> None:
    machine.inside("apt-get", "update", "-q")
    machine.inside("apt-get", "install", "-y", "-q", "doas")
    (machine.root / "etc/doas.conf").write_text(rule + "\n")
    (machine.root / "usr/bin/sudo").unlink()
    needed = 1 if "persist" in rule else 0
    code, shown, asked = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,) * needed
    )
    assert (code, asked) == (0, needed)
    assert "with privilege: doas apt-get install" in shown
    assert {"unzip", "cowsay"} <= machine.packages()


def test_one_who_may_not_use_sudo_is_like_one_without(machine: Machine) -> None:
    machine.inside("gpasswd", "-d", "tide", "sudo")
    (machine.root / "etc/sudoers.d/none").write_text("")
    words = machine.words("zesty-anchor", "provision", "--trust", "workstation.toml")
    words[2] = "--groups=tide"
    machine.words = lambda *command: words  # type: ignore[method-assign]
    code, shown, asked = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert (code, asked in (0, 1)) == (1, True), "sudo may say so before it asks"
    assert "apt-get install unzip cowsay" in shown
    assert "verified in" in shown


def test_without_a_terminal_it_ends_with_five(machine: Machine) -> None:
    before = machine.likeness()
    done = machine.alone("zesty-anchor", "provision", "--yes", "--trust", "workstation.toml")
    print(done.stderr)
    assert done.returncode == 5
    assert "sudo wants the password" in done.stderr
    assert "allow sudo without a password" in done.stderr
    assert machine.likeness() == before


def test_packages_that_are_all_there_need_nobody(machine: Machine) -> None:
    manifest = machine.desk / "workstation.toml"
    text = re.sub(r"\[runtimes\.brine\].*?\n\n", "", manifest.read_text(), flags=re.DOTALL)
    manifest.write_text(text.replace('"unzip", "cowsay"', '"sudo", "awk"').split("[variables.system]")[0])
    done = machine.alone("zesty-anchor", "provision", "--trust", "workstation.toml")
    assert done.returncode == 0, done.stderr
    machine.alone("zesty-anchor", "undo")
    assert not {"sudo", "apt-get", "apt-cache"} & set(machine.programs_of("zesty-anchor", "provision"))


def test_what_was_there_stays_and_what_is_needed_elsewhere_too(machine: Machine) -> None:
    machine.person("zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,))
    machine.inside("apt-get", "install", "-y", "-q", "cowsay-off")
    code, shown, _ = machine.person("zesty-anchor", "undo", passwords=(PASSWORD,))
    assert code == 0
    assert "the package cowsay stays: cowsay-off would go with it" in re.sub(r"\s+", " ", shown)
    assert "unzip" not in machine.packages()
    assert {"cowsay", "cowsay-off"} <= machine.packages()


def test_started_through_sudo_the_work_is_the_callers(machine: Machine) -> None:
    before = likeness(machine.root / "root")
    code, shown, asked = machine.person(
        "sudo",
        "/home/tide/env/bin/zesty-anchor",
        "provision",
        "-m",
        "/home/tide/desk/workstation.toml",
        "--trust",
        "/home/tide/desk/workstation.toml",
        passwords=(PASSWORD,),
    )
    assert (code, asked) == (0, 1)
    assert "the work is done as tide, in /home/tide" in shown
    assert likeness(machine.root / "root") == before
    owners = {(p.lstat().st_uid) for p in (machine.home / ".local").rglob("*")}
    assert owners == {machine.home.stat().st_uid}


def test_an_unknown_name_is_told_with_the_nearest(machine: Machine) -> None:
    manifest = machine.desk / "workstation.toml"
    manifest.write_text(manifest.read_text().replace('"cowsay"', '"cowsayy"'))
    code, shown, _ = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert code == 1
    assert "knows no package 'cowsayy'" in shown
    assert "for cowsayy: cowsay" in shown
    assert "kelp 4.2.1" in machine.fresh("bash", "kelp --version"), "what does not need it is done"


def test_a_lock_is_waited_for(machine: Machine) -> None:
    machine.inside("apt-get", "update", "-q")
    with (machine.root / "var/lib/dpkg/lock-frontend").open("w") as lock:
        fcntl.lockf(lock, fcntl.LOCK_EX)
        words = machine.words("zesty-anchor", "provision", "--trust", "workstation.toml")
        child = pexpect.spawn(words[0], words[1:], timeout=120, encoding="utf-8", dimensions=(50, 160))
        child.expect_exact(PROMPT)
        child.sendline(PASSWORD)
        child.expect("wait for the lock held by .*[0-9]+")
        print(child.after)
        fcntl.lockf(lock, fcntl.LOCK_UN)
    child.expect(pexpect.EOF)
    child.close()
    assert child.exitstatus == 0
    assert "cowsay" in machine.packages()


def test_an_interrupted_dpkg_and_a_held_package(machine: Machine) -> None:
    status = machine.root / "var/lib/dpkg/status"
    whole = status.read_text()
    status.write_text(whole.replace("Status: install ok installed", "Status: install ok half-configured", 1))
    code, shown, _ = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert code == 1
    assert "dpkg was interrupted" in shown
    assert "sudo dpkg --configure -a" in shown
    status.write_text(whole)
    machine.inside("apt-get", "update", "-q")
    machine.inside("apt-mark", "hold", "cowsay")
    code, shown, _ = machine.person(
        "zesty-anchor", "provision", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert code == 1
    assert "on hold" in shown
