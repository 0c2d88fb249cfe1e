"""The demo: each command on the made-up home, run as a person would run it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from zesty_anchor.demo.home import furnish, likeness
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.system_copy import PACKAGE, PROGRAM, system_copy, why_not
from zesty_anchor.demo.wares import compiler, stock_feed
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.litter import unlittered
from zesty_anchor.shells.shell import Surroundings
from zesty_anchor.system.host import login_path, user_name
from zesty_anchor.system.problem import Problem, UsageProblem

_STATE = (".local/state/zesty-anchor", ".cache/zesty-anchor/builds")
"""What stays after undo: the journal, and what was built."""

Say = Callable[[str, str], None]
"""Says something: a kind (step, look, note, good) and the text."""

FOLDERS = ("walk",)
"""Not a command of ours: real shells that enter a project and leave it."""

_STEPS = (
    (("survey",), "What is here?", "an old kelp answers, in bash and in zsh; a folder on PATH does not exist"),
    (("trace", "kelp"), "Why does that one answer?", "the line of each startup file that put it there"),
    (("preview",), "What would change?", "every line of the startup files; the old kelp goes only after the proof"),
    (
        ("provision", "--trust", "workstation.toml"),
        "Make it so: it is our own, and may run what it names.",
        "the table at the end: fresh shells of each kind, asked one by one",
    ),
    (("verify",), "Does it hold?", "the same table, whenever you like"),
    (("provision",), "Once more.", "nothing changes, and it takes no time"),
    (("list",), "Which version is in effect, and what decided it?", "the file and the line"),
    (("with", "kelp=3.6", "--", "kelp", "--version"), "Run one command with another version.", "3.6, just this once"),
    (FOLDERS, "Walk about, in every shell.", "the project ~/soundings pins 3.6: it answers there, and only there"),
    (("trace", "kelp"), "And now?", "the new one first, in every shell; for scripts and editors its launcher"),
    (("attic",), "Where is the old one?", "kept, until you throw it away; a package that no archive holds, too"),
    (("undo",), "Take it back.", "the old kelp is where it was, and so is every line, and the package"),
)


def tell(say: Say, arguments: list[str], keep: Path | None) -> None:
    """Go through the whole example. Raises ``Problem`` where a step does not do what it should."""
    began = time.monotonic()
    with_c = compiler() is not None
    room = _room(keep)
    try:
        feed, home = room / "feed", room / "home"
        feed.mkdir()
        home.mkdir(mode=0o755)
        if not with_c:
            say("note", "there is no C compiler, so brine is left out (on Debian: apt-get install gcc)")
        stock_feed(feed)
        with Host(feed) as serving, system_copy() as packaged:
            manifest = furnish(home, serving.url, with_c=with_c, with_package=packaged)
            say("note", f"a throwaway home in {home}, a download host on {serving.url}")
            if packaged:
                say("note", f"as root: a small Debian package, {PACKAGE}, is installed, and taken out again at the end")
            else:
                say("note", f"the kelp of a Debian package is left out: {why_not() or 'dpkg would not install it'}")
            _steps(say, arguments, home, manifest)
            if packaged and not PROGRAM.exists():
                raise Problem(f"undo did not bring {PACKAGE} back", advice="please report this")
            if keep:
                _leave(say, room, manifest, serving.port)
        say("note", f"the demo took {time.monotonic() - began:.1f} s")
    finally:
        if keep is None:
            shutil.rmtree(room, ignore_errors=True)


def _steps(say: Say, arguments: list[str], home: Path, manifest: Path) -> None:
    before = likeness(home)
    environment = _environment(home)
    for number, (words, question, look) in enumerate(_STEPS, 1):
        title = "cd ~/soundings" if words is FOLDERS else f"zesty-anchor {' '.join(words)}"
        say("step", f"{number}. {question}   {title}")
        say("look", look)
        if words is FOLDERS:
            around = Surroundings(home, home / ".config", data=home / ".local/share", cache=home / ".cache")
            with unlittered([path for shell in SHELLS.values() for path in shell.leaves(around)], home / _STATE[0]):
                _walk(say, environment, home)
        else:
            _run([words[0], *arguments, *words[1:]], environment, manifest.parent)
    _same(before, likeness(home, _STATE), "undo")
    say("good", "the home is byte for byte as it was before (our journal apart)")
    say("step", f"{len(_STEPS) + 1}. Leave no trace.   zesty-anchor dismantle --yes")
    _run(["dismantle", "--yes", *arguments], environment, manifest.parent)
    _same(before, likeness(home), "dismantle")
    say("good", "the home is byte for byte as it was before, our journal included")


def _run(words: list[str], environment: dict[str, str], folder: Path) -> None:
    sys.stdout.flush()
    answer = subprocess.run([sys.executable, "-m", "zesty_anchor", *words], env=environment, cwd=folder, check=False)
    if answer.returncode != 0:
        raise Problem(
            f"the demo's step {words[0]!r} ended with {answer.returncode}",
            advice="this is a fault of zesty-anchor: please report what it printed",
        )


def _walk(say: Say, environment: dict[str, str], home: Path) -> None:
    """Enter the project in a fresh shell of each kind, and leave it again. Raises ``Problem`` where one goes wrong."""
    for name, shell in SHELLS.items():
        program = next((p for called in shell.programs if (p := shutil.which(called))), None)
        if program is None:
            say("note", f"{name} is not installed here")
            continue
        # sh and tcsh are set up at login, or always; the others where a person types.
        options = ["-l"] if name == "sh" else ["-i"]
        script = "cd ~/soundings; kelp --version; cd ..; kelp --version"
        answer = subprocess.run(
            [program, *options, "-c", script], env=environment, cwd=home, capture_output=True, text=True,
            stdin=subprocess.DEVNULL, check=False,
        )  # fmt: skip
        inside, outside, *_ = [*answer.stdout.split("\n"), "", ""]
        say("note", f"{name:5} in ~/soundings: {inside}    back in ~: {outside}")
        if (inside, outside) != ("kelp 3.6.2", "kelp 4.2.1"):
            raise Problem(f"{name} did not follow the folder", advice="please report this, with what it printed above")


def _same(before: dict[str, tuple[str, str]], after: dict[str, tuple[str, str]], step: str) -> None:
    differing = sorted(p for p in before.keys() | after.keys() if before.get(p) != after.get(p))
    if differing:
        raise Problem(f"after {step} the home differs: {', '.join(differing[:8])}", advice="please report this")


def _environment(home: Path) -> dict[str, str]:
    kept = {k: v for k, v in os.environ.items() if k in ("TERM", "LANG", "LC_ALL", "COLUMNS", "NO_COLOR", "PYTHONPATH")}
    shell = shutil.which("bash") or "/bin/sh"
    return {**kept, "HOME": str(home), "USER": user_name(), "SHELL": shell, "PATH": login_path()}


def _room(keep: Path | None) -> Path:
    if keep is None:
        import tempfile

        return Path(tempfile.mkdtemp(prefix="zesty-anchor-demo-"))
    room = keep.absolute()
    if room.exists() and any(room.iterdir()):
        raise UsageProblem(f"{room} is not empty", advice="name a new folder for --keep: nothing in it is overwritten")
    room.mkdir(parents=True, exist_ok=True)
    return room


def _leave(say: Say, room: Path, manifest: Path, port: int) -> None:
    """Write the script that opens a shell in the kept home, with its host running."""
    enter = room / "enter"
    home, python = room / "home", sys.executable
    from zesty_anchor.shells.posix import quote

    programs = str(Path(python).parent)
    enter.write_text(
        f"""#!/bin/sh
# Opens a shell in the demo's home, with the download host of its manifest running meanwhile.
{quote(python)} -m zesty_anchor.demo.host {quote(str(room / "feed"))} {port} &
host=$!
trap 'kill $host' EXIT
cd {quote(str(manifest.parent))} || exit 1
env -i HOME={quote(str(home))} USER="$(id -un)" TERM="${{TERM:-dumb}}" LANG="${{LANG:-C.UTF-8}}" \\
  SHELL="${{SHELL:-/bin/sh}}" PATH={quote(programs)}:"$PATH" "${{SHELL:-/bin/sh}}"
"""
    )
    enter.chmod(0o755)
    say("note", f"the home is kept; to play with it: sh {quote(str(enter))}")
