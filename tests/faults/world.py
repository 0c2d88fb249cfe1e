"""A home, a person in it, and what must hold whatever is cut off."""

from __future__ import annotations

import hashlib
import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path

from tests.conftest import PROGRAM, SHELLS, Answer, Desk, until
from zesty_anchor.demo import home as demo_home
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import bollard_installer
from zesty_anchor.files.replace import content_of
from zesty_anchor.system.host import login_path
from zesty_anchor.system.process import lives

KILLED = Path(__file__).with_name("killed.py")
RECIPES = Path(demo_home.__file__).parent / "recipes"
OURS = (".local/state/zesty-anchor", ".cache/zesty-anchor")
INSTALLER = bollard_installer("0.9.4")
MANIFEST = """
as-root = "allowed"
[shells]
use = ["bash", "zsh", "fish"]
[feeds.harbour]
kind = "index"
url = "{url}"
[managers.bollard]
want = "0.9.4"
script = "{url}bollard-{{version}}-installer.sh"
reviewed = "sha256:{digest}"
[runtimes.kelp]
want = "lts"
also = ["3.6"]
extras = ["kelp-tidy@1.2"]
[runtimes.ebb]
want = "4.2.9"
through = "bollard"
[variables]
GAUGE = "north quay, $5 a day"
[path]
first = ["~/bin"]
[identity]
name = "Tide Desk"
email = "desk@tides.example"
key = "ed25519"
passphrase = "none"
[[settings]]
file = "~/.config/tide/settings.json"
key = "quay"
value = "north"
[[conflicts.remove]]
path = "~/old-kelp"
"""


def furnish(desk: Desk, url: str) -> None:
    """A home as after years."""
    desk.url = url
    shutil.copytree(RECIPES, desk.home / ".config/zesty-anchor/recipes")
    desk.write('alias t=ls\nexport PATH="$HOME/old-kelp/bin:$PATH"\nexport EDITOR=vi', ".bashrc")
    desk.write('export PATH="$HOME/old-kelp/bin:$PATH"\nsetopt no_beep\n', ".zshrc")
    desk.write("umask 022\n. ~/.bashrc\n", ".profile")
    desk.write("#!/bin/sh\necho kelp 3.1.0\n", "old-kelp/bin/kelp").chmod(0o755)
    desk.write("tables\n", "old-kelp/share/tables")
    desk.write("[user]\n\tname = Somebody\n", ".gitconfig")
    desk.write('{\n  // mine\n  "colour": "blue"\n}\n', ".config/tide/settings.json")
    desk.write("# mine\n", ".config/fish/config.fish")
    desk.write(MANIFEST.format(url=url, digest=hashlib.sha256(INSTALLER).hexdigest()))


class Person:
    """Edits, makes, deletes and saves in between, and remembers what."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._round = 0
        self.whole: dict[str, bytes] = {}
        self.lines: dict[str, list[bytes]] = {}
        self.lines[".gitconfig"] = [b"name = Somebody"]
        self.lines[".config/tide/settings.json"] = [b"// mine", b'"colour": "blue"']
        self.lines[".bashrc"] = [b"alias t=ls", b"export EDITOR=vi"]
        self.lines[".zshrc"] = [b"setopt no_beep"]
        self.whole["old-kelp/share/tables"] = b"tables\n"
        self.whole[".config/fish/config.fish"] = b"# mine\n"

    def acts(self) -> None:
        """Append to a startup file, make a file of each name that we were about to make, delete one, save the
        manifest.
        """
        self._round += 1
        home, mark = self._desk.home, f"# mine, {self._round}\n".encode()
        with (home / ".bashrc").open("ab") as file:
            file.write(b"\n" + mark)
        self.lines[".bashrc"].append(mark.strip())
        for name in (
            ".ssh/id_ed25519", ".zshenv", "bin/kelp", ".local/share/zesty-anchor/bin/kelp",
            ".config/fish/conf.d/zesty-anchor.fish",
        ):  # fmt: skip
            path = home / name
            if not os.path.lexists(path):
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_bytes(mark)
                self.whole[name] = mark
        if (home / ".bollard").is_dir():
            (home / ".bollard/notes").write_bytes(mark)
            self.whole[".bollard/notes"] = mark
        (home / "tides.txt").write_bytes(mark)
        self.whole["tides.txt"] = mark
        (home / ".config/fish/config.fish").unlink(missing_ok=True)
        self.whole.pop(".config/fish/config.fish", None)
        with self._desk.manifest.open("ab") as file:
            file.write(mark)

    def misses_nothing(self, when: str) -> None:
        lost = self.lost()
        assert not lost, f"{when} this is lost: {lost}"

    def lost(self) -> list[str]:
        """What of the person's is nowhere: a whole file must stand at its place, or among what we keep; lines
        must be in their file.
        """
        home = self._desk.home
        kept = {
            path.read_bytes()
            for top in (home / OURS[0] / "attic", *home.glob("kept-by-zesty-anchor*"))
            for path in top.rglob("*")
            if path.is_file() and not path.is_symlink()
        }
        missing = [
            name
            for name, content in self.whole.items()
            if content not in kept and content_of(home / name) != content
        ]
        for name, lines in self.lines.items():
            now = (home / name).read_bytes() if (home / name).is_file() else b""
            missing += [
                f"{name}: {line.decode()}"
                for line in lines
                if line not in now and not any(line in k for k in kept)
            ]
        return missing


def run_killed(desk: Desk, boundary: int, count: Path, *words: str) -> int:
    """Run the program, killed at a boundary. Returns its status."""
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"}
    return subprocess.run(
        [sys.executable, str(KILLED), str(boundary), str(count), str(PROGRAM), *words], cwd=desk.home,
        env=environment,
        stdin=subprocess.DEVNULL, capture_output=True, timeout=120, check=False,
    ).returncode  # fmt: skip


def run_until(desk: Desk, seconds: float, *words: str) -> int:
    """Run the program, killed after a time."""
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"}
    running = subprocess.Popen(
        [str(PROGRAM), *words], cwd=desk.home, env=environment, stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        running.wait(seconds)
    except subprocess.TimeoutExpired:
        running.send_signal(signal.SIGKILL)
    return running.wait()


def settle(desk: Desk) -> None:
    """Wait for the last look of whoever watched an installer."""
    for note in desk.home.glob(f"{OURS[0]}/attic/*/*/process"):
        process = note.read_text()
        assert not process.isdecimal() or until(lambda p=int(process): not lives(p))  # type: ignore[misc]


def shells_well(desk: Desk) -> list[str]:
    """What a shell complains of: its own -n over the startup files, and a start as a login and as an
    interactive shell.
    """
    said = []
    for shell, files in (("bash", (".bashrc", ".profile", ".bash_profile")), ("zsh", (".zshrc", ".zshenv"))):
        for name in files:
            if (desk.home / name).exists():
                done = subprocess.run(
                    [SHELLS[shell], "-n", str(desk.home / name)], capture_output=True, text=True, check=False
                )
                said += [f"{name}: {done.stderr}"] if done.returncode or done.stderr else []
    for shell in ("bash", "zsh", "fish"):
        for option in ("-l", "-i"):
            done = subprocess.run(
                [SHELLS[shell], option, "-c", "true"], capture_output=True, text=True, check=False,
                stdin=subprocess.DEVNULL,
                cwd=desk.home, env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8",
                "TERM": "dumb"},
            )  # fmt: skip
            noise = [
                line
                for line in (done.stdout + done.stderr).splitlines()
                if line and "job control" not in line and "ioctl" not in line
            ]
            said += [f"{shell} {option}: {noise or done.returncode}"] if noise or done.returncode else []
    return said


def ends_well(desk: Desk, person: Person) -> Answer:
    """The rerun finishes and proves, and loses nothing."""
    again = desk.run("provision", "--json")
    assert again.code == 0, failed_checks(again)
    person.misses_nothing("after the next run")
    assert desk.run("verify").code == 0
    return again


def failed_checks(answer: Answer) -> str:
    """What a provisioning that did not end well says, in short."""
    try:
        document = answer.json
    except ValueError:
        return answer.out + answer.err
    checks = [
        (shell["shell"], shell["context"], check["name"], check["expected"], check["observed"])
        for shell in (document.get("proof") or {"shells": ()})["shells"]
        for check in shell["checks"]
        if not check["ok"]
    ]
    changes = [change for change in document.get("changes", ()) if change["outcome"] != "done"]
    return f"{changes} {checks[:6]} {answer.err}"


def home_of(desk: Desk) -> dict[str, tuple[str, str]]:
    """The home, but for our state and for what shells make for themselves."""
    return likeness(desk.home, (*OURS, ".local/share/fish", ".cache", "kept-by-zesty-anchor"))
