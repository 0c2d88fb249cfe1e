"""The README's first commands, and whole runtimes, on an untouched Debian as its user: from the real
registries.

Run by scripts/fresh-machine first (or whole). The authority that vouches for the network here is known to the
system's store alone, as in a company.
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.feeds.test_trust import secured
from tests.fresh_machine.test_fresh_machine import PASSWORD, PROJECT, SCRATCH, Machine
from zesty_anchor.demo.home import likeness

__all__ = ["secured"]

pytestmark = [pytest.mark.scratch, pytest.mark.network]

AUTHORITIES = Path("/usr/local/share/ca-certificates")
WHOLE = """
[shells]
use = ["bash", "zsh"]

[runtimes.node]
want = "lts"
also = ["22"]
extras = ["cowsay", "json@11"]

[runtimes.java]
want = "17"
also = ["11"]

[runtimes.go]
want = "latest"

[runtimes.zig]
want = "latest"

[runtimes.deno]
want = "latest"
"""
ASKED = {
    "node": "node --version && npm --version && npx --version && command -v npm",
    "extras": "cowsay tide && json --version",
    "java": "javac -version && jar --version && command -v jshell javac && echo $JAVA_HOME",
    "others": "export XDG_CONFIG_HOME=$(mktemp -d); go version && zig version && deno --version",
    "compiled": (
        "cd $(mktemp -d) && printf '%s' 'public class T { public static void main(String[] a) {"
        " System.out.println(6 * 7); } }' >T.java && javac T.java && java -cp . T"
    ),
}
MEASURED = """
import re, subprocess, sys, time
child, peak = subprocess.Popen(sys.argv[1:]), "0"
while child.poll() is None:
    with open(f"/proc/{child.pid}/status") as status:
        peak = (re.findall(r"VmHWM:\\s+(\\d+)", status.read()) or [peak])[0]
    time.sleep(0.1)
print("peak memory of the program:", peak, "kB")
sys.exit(child.returncode)
"""
TLS = (
    "cd $(mktemp -d) && printf '%s' 'public class S {{ public static void main(String[] a) throws Exception"
    ' {{ System.out.println(new String(new java.net.URL("{}").openStream().readAllBytes())); }} }}\' >S.java'
    " && javac S.java && java -cp . S"
)


class Untouched(Machine):
    """The base as debootstrap made it, with a checkout of this repository in the user's home."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.home = root / "home/tide"
        self.desk = self.home / "desk"
        self.desk.mkdir()
        packed = subprocess.run(
            ["git", "archive", "HEAD"], cwd=PROJECT, capture_output=True, check=True
        ).stdout
        subprocess.run(["tar", "-x", "-C", str(self.desk)], input=packed, check=True)
        self.inside("chown", "-R", "tide:tide", "/home/tide")

    def knows_the_authority(self, own: Path) -> None:
        """As an administrator does: into the system's store, and pip, which has a bundle of its own, is told
        of it.
        """
        shutil.copy(own, self.root / "usr/local/share/ca-certificates/tides.crt")
        for file in AUTHORITIES.glob("*.crt"):
            shutil.copy(file, self.root / "usr/local/share/ca-certificates")
        self.inside("update-ca-certificates")
        (self.root / "etc/pip.conf").write_text("[global]\ncert = /etc/ssl/certs/ca-certificates.crt\n")

    def words(self, *command: str) -> list[str]:
        return [
            word.replace("/home/tide/env/bin", "/home/tide/.local/zesty-anchor/bin")
            for word in super().words(*command)
        ]


@pytest.fixture
def untouched(secured: tuple[str, Path]) -> Iterator[Untouched]:
    root = SCRATCH / "first"
    for place in ("dev", "proc"):
        subprocess.run(["umount", "-l", str(root / place)], capture_output=True, check=False)
    shutil.rmtree(root, ignore_errors=True)
    subprocess.run(["cp", "-a", "--reflink=auto", str(SCRATCH / "base"), str(root)], check=True)
    subprocess.run(["mount", "-t", "proc", "proc", str(root / "proc")], check=True)
    subprocess.run(["mount", "--rbind", "/dev", str(root / "dev")], check=True)
    made = Untouched(root)
    made.knows_the_authority(secured[1])
    made.inside("apt-get", "update", "-qq")
    yield made
    for place in ("dev", "proc"):
        subprocess.run(["umount", "-l", str(root / place)], capture_output=True, check=False)


def commands() -> list[str]:
    """Those of the README, as they stand there."""
    text = (PROJECT / "README.md").read_text("utf-8")
    block = re.search(r"## Install it.*?```sh\n(.*?)```", text, re.DOTALL)
    assert block
    return block[1].splitlines()


def test_first_the_readme_as_written(untouched: Untouched) -> None:
    before = untouched.packages()
    assert len(commands()) == 5
    for line in commands():
        code, shown, asked = untouched.person("bash", "-c", line, passwords=(PASSWORD, PASSWORD))
        assert code == 0, f"{line}\n{shown}"
        assert asked <= 1
    assert "verified in" in shown
    assert "libatomic1" in untouched.packages() - before, "what node needs of the system came by itself"
    asked_for = "node -e 'console.log(6 * 7)'; command -v npm; npm --version"
    told = untouched.fresh("bash", asked_for).split("\n")
    assert told[0] == "42" and told[1].startswith("/home/tide/.local/share/zesty-anchor/"), told
    assert not (untouched.home / ".zshrc").exists(), "zsh is installed, and is no shell of this person's"
    code, shown, _ = untouched.person("bash", "-c", commands()[-1])
    assert code == 0 and "Nothing to do" in shown


def test_first_with_every_shell_of_debian(untouched: Untouched) -> None:
    """As useradd makes a home once they are installed: each follows the folder, and nobody is stopped by what
    the system's files do.
    """
    untouched.inside(
        "apt-get", "install", "-y", "-qq", "--no-install-recommends", "ksh", "mksh", "tcsh", "fish"
    )
    untouched.inside("sh", "-c", "cp -n /etc/skel/.[a-z]* /home/tide/; chown -R tide: /home/tide")
    for line in commands()[:4]:
        code, shown, _ = untouched.person("bash", "-c", line, passwords=(PASSWORD, PASSWORD))
        assert code == 0, f"{line}\n{shown}"
    manifest = untouched.home / "workstation.toml"
    manifest.write_text('[shells]\nuse = "all"\n' + manifest.read_text())
    code, shown, _ = untouched.person("bash", "-c", commands()[-1], passwords=(PASSWORD,))
    assert code == 0 and re.search(r"verified in \d+ new shells", shown), shown
    for shell in ("bash", "zsh", "ksh", "mksh", "fish"):
        assert untouched.fresh(shell, "node -e 'console.log(6 * 7)'").strip() == "42", shell


def test_whole_runtimes_in_one_go(untouched: Untouched, secured: tuple[str, Path]) -> None:
    """One manifest, an ordinary user: all of it proved, again nothing, a second home with the lock, offline,
    and back.
    """
    for line in commands()[:3]:
        code, shown, _ = untouched.person("bash", "-c", line, passwords=(PASSWORD,))
        assert code == 0, f"{line}\n{shown}"
    (untouched.root / "etc/pip.conf").unlink()
    manifest = untouched.home / "workstation.toml"
    manifest.write_text(WHOLE)
    state = (
        ".local/state/zesty-anchor",
        ".cache/zesty-anchor",
        "desk",
        ".local/zesty-anchor",
        ".sudo_as_admin_successful",
        ".cache",
    )
    before = likeness(untouched.home, state)
    began = time.monotonic()
    code, shown, asked = untouched.person(
        "python3", "-c", MEASURED, "zesty-anchor", "provision", passwords=(PASSWORD,)
    )
    print(f"provisioned in {time.monotonic() - began:.0f} s")
    assert code == 0, shown
    assert asked <= 1
    answers = {}
    for shell in ("bash", "zsh"):
        for what, script in ASKED.items():
            answers[shell, what] = untouched.fresh(shell, script)
            print(shell, what, answers[shell, what])
        assert re.search(r"^v24\.\d+\.\d+\n\d+\.\d+\.\d+\n", answers[shell, "node"], re.MULTILINE)
        assert "/.local/share/zesty-anchor/" in answers[shell, "node"].splitlines()[-1]
        assert "tide" in answers[shell, "extras"] and "json 11." in answers[shell, "extras"]
        assert re.search(r"^javac 17\.", answers[shell, "java"], re.MULTILINE)
        assert answers[shell, "compiled"].endswith("42\n")
        assert re.search(r"go version go1\.\d+", answers[shell, "others"])
    for version in ("11", "17"):
        code, shown, _ = untouched.person(
            "zesty-anchor", "with", f"java={version}", "--", "sh", "-c", TLS.format(secured[0])
        )
        assert code == 0 and "tide" in shown, "Java trusts what the system trusts"
    for version in ("22", "24"):
        code, shown, _ = untouched.person(
            "zesty-anchor",
            "with",
            f"node={version}",
            "--",
            "env",
            "npm_config_cache=/tmp/tide-npm",
            "npm",
            "exec",
            "--",
            "node",
            "--version",
        )
        assert code == 0 and f"v{version}." in shown
    code, shown, _ = untouched.person("zesty-anchor", "with", "java=11", "--", "javac", "-version")
    assert code == 0 and "javac 11." in shown
    code, shown, _ = untouched.person("zesty-anchor", "provision")
    assert code == 0 and "Nothing to do" in shown
    code, shown, _ = untouched.person("zesty-anchor", "verify")
    assert code == 0 and "checks passed" in shown
    assert untouched.person("zesty-anchor", "lock")[0] == 0
    _second_home(untouched)
    code, shown, _ = untouched.person("zesty-anchor", "provision", "--offline")
    assert code == 0 and "Nothing to do" in shown
    (untouched.home / "workstation.lock").unlink()
    code, shown, _ = untouched.person("zesty-anchor", "undo", passwords=(PASSWORD,))
    assert code == 0
    after = likeness(untouched.home, state)
    assert {name: after.get(name) for name in {*before, *after} if before.get(name) != after.get(name)} == {}


def _second_home(untouched: Untouched) -> None:
    """Another home of the same user, with the lock: the same digests, offline from what was kept."""
    script = """
mkdir ~/second && cp ~/workstation.toml ~/workstation.lock ~/second/ && mkdir -p ~/second/.cache && \
cp -R ~/.cache/zesty-anchor ~/second/.cache/ && cd ~/second && export HOME=~/second && zesty-anchor provision --offline --json
"""
    began = time.monotonic()
    done = untouched.alone("bash", "-c", script)
    print(f"the second home, offline: {time.monotonic() - began:.0f} s")
    assert done.returncode == 0, done.stdout + done.stderr
    assert json.loads(done.stdout)["proof"]["ok"]
    receipts = {}
    for home in (untouched.home, untouched.home / "second"):
        shelf = home / ".local/share/zesty-anchor/shelf"
        files = sorted(shelf.glob("*/*/.zesty-anchor.json"))
        receipts[home] = {str(f.relative_to(shelf)): json.loads(f.read_text()) for f in files}
    one, two = receipts.values()
    digests = [
        {name: (r["digest"], [p["digest"] for p in r["parts"]]) for name, r in each.items()}
        for each in (one, two)
    ]
    assert digests[0] == digests[1] and len(digests[0]) == 7
    shutil.rmtree(untouched.home / "second")
