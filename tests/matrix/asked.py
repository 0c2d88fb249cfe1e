"""What a person types in each shell, and what a right answer is."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from tests.matrix.place import USER, Place, Window
from zesty_anchor.demo.home import likeness

LITTER = (
    ".cache",
    ".config/fish",
    ".local/share/fish",
    ".zcompdump",
    ".zsh_history",
    ".bash_history",
    ".sh_history",
    ".history",
)
"""What shells write of their own accord."""


@dataclass(frozen=True)
class Shell:
    """``words`` open it for a login at a terminal, ``runs`` begin one command as a login would; ``packages``
    are Debian's names for it. ``checked`` is its name in what ``verify`` says; empty where that knows none.
    """

    name: str
    packages: tuple[str, ...]
    words: tuple[str, ...]
    runs: tuple[str, ...]
    checked: str


PLATFORMS = ("linux-x86_64", "linux-aarch64")
SHELLS = (
    Shell("bash", ("bash",), ("bash", "-l"), ("bash", "-l", "-c"), "bash"),
    Shell("zsh", ("zsh",), ("zsh", "-l"), ("zsh", "-l", "-c"), "zsh"),
    Shell("fish", ("fish",), ("fish", "-l"), ("fish", "-l", "-c"), "fish"),
    Shell("ksh", ("ksh93u+m", "ksh"), ("ksh", "-l"), ("ksh", "-l", "-c"), "ksh"),
    Shell("mksh", ("mksh",), ("mksh", "-l"), ("mksh", "-l", "-c"), "mksh"),
    Shell("tcsh", ("tcsh",), ("tcsh", "-l"), ("tcsh", "-c"), "tcsh"),
    Shell("dash", ("dash",), ("dash", "-l"), ("dash", "-l", "-c"), "sh"),
    Shell("busybox sh", ("busybox",), ("busybox", "sh", "-l"), ("busybox", "sh", "-l", "-c"), ""),
)


@dataclass(frozen=True)
class Subject:
    """The runtime: the ``manifest`` that asks for it, what is in the answer of the ``default`` version and
    of the ``pinned`` one, and a small program (``works``) with its ``answer``. A ``lock`` was made elsewhere.
    """

    name: str
    manifest: str
    default: str
    pinned: str
    works: str
    answer: str
    lock: str = ""


@dataclass
class Row:
    """What one program showed in one place. ``failures`` is empty if nothing went wrong. ``lock`` is
    what it locked, for both machines.
    """

    place: str
    program: str
    seconds: float = 0.0
    versions: dict[str, str] = field(default_factory=dict)
    asked: dict[str, int] = field(default_factory=dict)
    failures: dict[str, list[str]] = field(default_factory=dict)
    lock: str = ""

    def expect(self, shell: str, what: str, right: bool, seen: str) -> None:
        """Count one question; keep what was seen if the answer is wrong."""
        self.asked[shell] = self.asked.get(shell, 0) + 1
        if not right:
            self.failures.setdefault(shell, []).append(f"{what}: {seen.strip()[-400:] or 'nothing'}")


def proved(place: Place, program: str, subject: Subject, shells: tuple[Shell, ...], row: Row) -> Row:
    """Provision, ask each shell, verify, undo: as the user of ``place``, by the program at a path in it."""
    began = time.monotonic()
    before = likeness(place.home, LITTER)
    files = {"workstation.toml": subject.manifest, f"pinned/.{subject.name}-version": f"{subject.pinned}\n"}
    if subject.lock:
        files["workstation.lock"] = subject.lock
    for name, text in files.items():
        file = place.home / name
        file.parent.mkdir(exist_ok=True)
        file.write_text(text)
    place.inside("chown", "-R", f"{USER}:{USER}", f"/home/{USER}")

    def well(*words: str) -> str:
        done = place.run(program, *words)
        row.expect("all", " ".join(words), done.returncode == 0, done.stdout + done.stderr)
        return done.stdout + done.stderr

    well("provision", "--yes", "--trust", "workstation.toml", "-m", "workstation.toml")
    if row.failures:
        return row
    for shell in shells:
        row.versions[shell.name] = place.version(*shell.packages)
        _ask(place, subject, shell, row)
    _checks(place, program, shells, row)
    well("lock", *(f"--platform={each}" for each in PLATFORMS))
    lock = place.home / "workstation.lock"
    row.lock = lock.read_text()
    row.expect("all", "the lock is for both", all(each in row.lock for each in PLATFORMS), row.lock)
    row.expect("all", "the lock that was there stays", subject.lock in ("", row.lock), row.lock)
    again = well("provision", "--offline")
    row.expect("all", "provision again", "Nothing to do" in again, again)
    _open_while(place, shells, row, lambda: well("undo", "--yes"))
    well("dismantle", "--yes")
    for file in (lock, place.home / "workstation.toml", place.home / f"pinned/.{subject.name}-version"):
        file.unlink()
    (place.home / "pinned").rmdir()
    after = likeness(place.home, LITTER)
    differ = {name for name in before.keys() | after.keys() if before.get(name) != after.get(name)}
    row.expect("all", "the home is as it was", not differ, ", ".join(sorted(differ)))
    row.seconds = time.monotonic() - began
    return row


def _ask(place: Place, subject: Subject, shell: Shell, row: Row) -> None:
    """A command of a login, a small program, entering and leaving a folder, a choice for the session."""
    tells = f"{subject.name} --version"
    done = place.run(*shell.runs, tells)
    row.expect(shell.name, "login", subject.default in done.stdout, done.stdout + done.stderr)
    window = Window(place, *shell.words)
    try:
        for first, line, right in (
            ("", subject.works, subject.answer),
            ("cd ~/pinned", tells, subject.pinned),
            ("cd", tells, subject.default),
            (f"za switch {subject.name} {subject.pinned}", tells, subject.pinned),
            (f"za switch {subject.name} --forget", tells, subject.default),
        ):
            window.type(first)
            seen = window.ask(line)
            row.expect(shell.name, f"{first}; {line}", right in seen, seen or window.shown)
    except TimeoutError as problem:
        row.expect(shell.name, "the terminal", False, str(problem))
    finally:
        window.close()


def _checks(place: Place, program: str, shells: tuple[Shell, ...], row: Row) -> None:
    """What ``verify`` found, check by check."""
    document = json.loads(place.run(program, "verify", "--json").stdout)
    for shell in shells:
        if not shell.checked:
            continue
        found = [each for each in document["shells"] if each["shell"] == shell.checked]
        row.expect(shell.name, "verify", bool(found), "it was not checked")
        for each in found:
            for check in each["checks"]:
                row.expect(shell.name, f"{each['context']}: {check['name']}", check["ok"], check["observed"])


def _open_while(place: Place, shells: tuple[Shell, ...], row: Row, act: Callable[[], object]) -> None:
    """A shell that was open while ``act`` took all away goes on working."""
    windows = {}
    for shell in shells:
        windows[shell.name] = Window(place, *shell.words)
        windows[shell.name].type("echo open")
    act()
    for name, window in windows.items():
        try:
            window.type("cd /tmp")
            seen = window.ask("echo still here")
            row.expect(name, "a shell that is open", seen == "still here", window.shown)
        except TimeoutError as problem:
            row.expect(name, "a shell that is open", False, str(problem))
        finally:
            window.close()
