"""The demo: each command on the made-up home, run as a person would run it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path
from typing import NamedTuple

from zesty_anchor.demo.home import furnish, likeness
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.system_copy import PACKAGE, PROGRAM, system_copy, why_not
from zesty_anchor.demo.wares import compiler, stock_feed
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.litter import unlittered
from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.shells.reading import Surroundings
from zesty_anchor.system.host import login_path, user_name
from zesty_anchor.system.problem import Problem, UsageProblem

_STATE = (".local/state/zesty-anchor", ".cache")
"""What stays after undo: the journal, and the cache: what was fetched and built."""

Say = Callable[[str, str], None]
"""Says something: a kind (step, look, note, good) and the text."""
Pause = Callable[[], None]
"""Waits until the person wants to go on."""

FOLDERS = ("walk",)
BREAK = ("break",)
"""Not commands of ours: real shells that enter a project and leave it; and what a bad day does to a home."""

_TITLES: dict[tuple[str, ...], str] = {FOLDERS: "cd ~/soundings", BREAK: "rm, sed, chmod"}


class Step(NamedTuple):
    """One step: the command's words, the question that it answers, what to look at, and the exit status that
    it ends with.
    """

    words: tuple[str, ...]
    question: str
    look: str
    code: int = 0


_PROVISION = Step(
    ("provision", "--trust", "workstation.toml"),
    "Provision: the manifest is our own, so trust it.",
    "the summary: what is new, the checks in new shells, and the line that updates this shell",
)
_UNDO = Step(("undo",), "Undo it.", "the old kelp and every line are back")

TOUR = (
    Step(
        ("survey",),
        "What is on this machine?",
        "an old kelp is active in bash and zsh; a folder on PATH does not exist",
    ),
    Step(("trace", "kelp"), "Why that one?", "the line of each startup file that decides it"),
    Step(
        ("preview",),
        "What would change?",
        "your startup files line by line; the old kelp is removed only after the new one is verified",
    ),
    _PROVISION,
    Step(("provision",), "Again.", "nothing to do"),
    Step(("list",), "Which version is active, and why?", "the file and the line that decide it"),
    Step(
        ("with", "kelp=3.6", "--", "kelp", "--version"),
        "Run one command with another version.",
        "3.6, for this command only",
    ),
    Step(
        FOLDERS,
        "Enter a project, in every shell.",
        "~/soundings pins 3.6: it is active there, and only there",
    ),
    Step(("history",), "What was done?", "the run, what it installed, and how many checks passed"),
    _UNDO,
)
BROKEN = (
    _PROVISION,
    Step(
        BREAK,
        "A bad day.",
        "a command of kelp is gone, our line in ~/.bashrc too, and coral may not be run any more",
    ),
    Step(
        ("verify",), "What is wrong?", "each cause once, with its file, the checks that fail, and the fix", 4
    ),
    Step(("provision",), "Fix it.", "only what is broken is repaired, then verified"),
    Step(("verify",), "Is everything fine again?", "all checks passed"),
)
SCENARIOS = {"tour": TOUR, "broken": BROKEN}


class Telling(NamedTuple):
    """How the demo is told: who says it, options for each command, where the home is kept (None: nowhere),
    whether the system's packages may be touched, and what waits between the steps.
    """

    say: Say
    arguments: list[str]
    keep: Path | None = None
    system: bool = False
    pause: Pause = lambda: None


def tell(scenario: str, telling: Telling) -> None:
    """Go through a whole example. Raises ``Problem`` where a step does not do what it should."""
    began = time.monotonic()
    say, keep = telling.say, telling.keep
    with_c = compiler() is not None
    room = _room(keep)
    try:
        feed, home = room / "feed", room / "home"
        feed.mkdir()
        home.mkdir(mode=0o755)
        if not with_c:
            say("note", "there is no C compiler, so brine is left out (on Debian: apt-get install gcc)")
        stock_feed(feed)
        with Host(feed) as serving, system_copy() if telling.system else nullcontext(False) as packaged:
            manifest = furnish(home, serving.url, with_c=with_c, with_package=packaged)
            say("note", f"a throwaway home in {home}, a download host on {serving.url}")
            if packaged:
                say(
                    "note",
                    f"as root: a small Debian package, {PACKAGE}, is installed, and taken out again at"
                    " the end",
                )
            elif telling.system:
                say(
                    "note",
                    f"the kelp of a Debian package is left out: {why_not() or 'dpkg would not install it'}",
                )
            waited = _steps(telling, SCENARIOS[scenario], home, manifest)
            if packaged and not PROGRAM.exists():
                raise Problem(f"undo did not bring {PACKAGE} back", advice="please report this")
            if keep:
                _leave(say, room, manifest, serving.port)
        say("note", f"the demo took {time.monotonic() - began - waited:.1f} s")
        others = [name for name in SCENARIOS if name != scenario]
        say("note", f"another one: zesty-anchor demo {others[0]}")
    finally:
        if keep is None:
            shutil.rmtree(room, ignore_errors=True)


def _steps(telling: Telling, steps: tuple[Step, ...], home: Path, manifest: Path) -> float:
    """Go through the steps. Returns how long the person looked."""
    say = telling.say
    before = likeness(home)
    environment = _environment(home)
    waited = 0.0
    for number, step in enumerate(steps, 1):
        if number > 1:
            began = time.monotonic()
            telling.pause()
            waited += time.monotonic() - began
        title = _TITLES.get(step.words, f"zesty-anchor {' '.join(step.words)}")
        say("step", f"{number}. {step.question}   {title}")
        say("look", step.look)
        if step.words == FOLDERS:
            around = Surroundings(home, home / ".config", data=home / ".local/share", cache=home / ".cache")
            with unlittered(
                [path for shell in SHELLS.values() for path in shell.leaves(around)], home / _STATE[0]
            ):
                _walk(say, environment, home)
        elif step.words == BREAK:
            _break(say, home)
        else:
            _run(
                [step.words[0], *telling.arguments, *step.words[1:]], environment, manifest.parent, step.code
            )
    if _UNDO in steps:
        _same(before, likeness(home, _STATE), "undo")
        say("good", "the home is byte for byte as it was before (our journal apart)")
    say("step", f"{len(steps) + 1}. Leave no trace.   zesty-anchor dismantle --yes")
    _run(["dismantle", "--yes", *telling.arguments], environment, manifest.parent)
    _same(before, likeness(home), "dismantle")
    say("good", "the home is byte for byte as it was before, our journal included")
    return waited


def _run(words: list[str], environment: dict[str, str], folder: Path, code: int = 0) -> None:
    sys.stdout.flush()
    answer = subprocess.run(
        [sys.executable, "-m", "zesty_anchor", *words], env=environment, cwd=folder, check=False
    )
    if answer.returncode != code:
        raise Problem(
            f"the demo's step {words[0]!r} ended with {answer.returncode}, and not with {code}",
            advice="this is a fault of zesty-anchor: please report what it printed",
        )


def _break(say: Say, home: Path) -> None:
    """Three things that go wrong in a home: a version loses a command, a person takes our line out, and a
    program may not be run any more.
    """
    data = home / ".local/share/zesty-anchor"
    (data / "shelf/kelp/4.2.1/bin/kelp").unlink()
    say("note", "removed:    ~/.local/share/zesty-anchor/shelf/kelp/4.2.1/bin/kelp")
    bashrc = home / ".bashrc"
    rows = bashrc.read_bytes().splitlines(keepends=True)
    bashrc.write_bytes(b"".join(row for number, row in enumerate(rows) if number not in marked_rows(rows)))
    say("note", "taken out:  our line in ~/.bashrc")
    (data / "shelf/coral/11.0.4/bin/coral").chmod(0o644)
    say("note", "chmod -x:   ~/.local/share/zesty-anchor/shelf/coral/11.0.4/bin/coral")


def _walk(say: Say, environment: dict[str, str], home: Path) -> None:
    """Enter the project in a new shell of each kind, and leave it again. Raises ``Problem`` where one goes
    wrong.
    """
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
            stdin=subprocess.DEVNULL, check=False, start_new_session=True,  # it may not take the terminal
        )  # fmt: skip
        inside, outside, *_ = [*answer.stdout.split("\n"), "", ""]
        say("note", f"{name:5} in ~/soundings: {inside}    back in ~: {outside}")
        if (inside, outside) != ("kelp 3.6.2", "kelp 4.2.1"):
            raise Problem(
                f"{name} did not follow the folder", advice="please report this, with what it printed above"
            )


def _same(before: dict[str, tuple[str, str]], after: dict[str, tuple[str, str]], step: str) -> None:
    differing = sorted(p for p in before.keys() | after.keys() if before.get(p) != after.get(p))
    if differing:
        raise Problem(
            f"after {step} the home differs: {', '.join(differing[:8])}", advice="please report this"
        )


def _environment(home: Path) -> dict[str, str]:
    kept = {
        k: v
        for k, v in os.environ.items()
        if k in ("TERM", "LANG", "LC_ALL", "COLUMNS", "NO_COLOR", "PYTHONPATH")
    }
    shell = shutil.which("bash") or "/bin/sh"
    return {**kept, "HOME": str(home), "USER": user_name(), "SHELL": shell, "PATH": login_path()}


def _room(keep: Path | None) -> Path:
    if keep is None:
        import tempfile

        return Path(tempfile.mkdtemp(prefix="zesty-anchor-demo-"))
    room = keep.absolute()
    if room.exists() and any(room.iterdir()):
        raise UsageProblem(
            f"{room} is not empty", advice="name a new folder for --keep: nothing in it is overwritten"
        )
    room.mkdir(parents=True, exist_ok=True)
    return room


def _leave(say: Say, room: Path, manifest: Path, port: int) -> None:
    """Write the script that opens a shell in the kept home, with its host running."""
    enter = room / "enter"
    home, python = room / "home", sys.executable
    from zesty_anchor.shells.posix import quote

    programs = str(Path(python).parent)
    enter.write_text(f"""#!/bin/sh
# Opens a shell in the demo's home, with the download host of its manifest running meanwhile.
{quote(python)} -m zesty_anchor.demo.host {quote(str(room / "feed"))} {port} &
host=$!
trap 'kill $host' EXIT
cd {quote(str(manifest.parent))} || exit 1
env -i HOME={quote(str(home))} USER="$(id -un)" TERM="${{TERM:-dumb}}" LANG="${{LANG:-C.UTF-8}}" \\
  SHELL="${{SHELL:-/bin/sh}}" PATH={quote(programs)}:"$PATH" "${{SHELL:-/bin/sh}}"
""")
    enter.chmod(0o755)
    say("note", f"the home is kept; to play with it: sh {quote(str(enter))}")
