"""A fresh shell under a pty with a clean environment, asked a list of questions."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.removal import discard
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.pty import under_pty, wait_for
from zesty_anchor.shells.shell import Context, Shell
from zesty_anchor.shells.together import Interrupted, never
from zesty_anchor.system.process import lives
from zesty_anchor.system.room import room as room_for

SECONDS = 60.0
"""How long one shell may take for all its answers."""

_NOTE = "shells-at-work-"
_OF_FISH = {"fish_history", "generated_completions"}
_HISTORY_MARK = 2
"""Bytes at the beginning of a history of ksh."""
_OURS = b"zesty-anchor-"
_STARTED = "zesty-anchor: the first command runs"


class Answer(msgspec.Struct, frozen=True):
    """What one command line printed (its standard output and errors), and its exit status; None: it never ended."""

    output: bytes
    status: int | None

    @property
    def text(self) -> str:
        """The output for a person, without line ends around it."""
        return self.output.decode("utf-8", "replace").strip("\r\n")


class Answers(msgspec.Struct, frozen=True):
    """All answers of one shell, in the order of the questions. ``startup_ms`` is None if it never began."""

    answers: tuple[Answer, ...]
    startup_ms: float | None


@contextmanager
def unlittered(leaves: Iterable[Path], state: Path) -> Iterator[None]:
    """Remove afterwards what the shells made for themselves, if it was not there before; folders only if empty of all
    but that. While they are at work that is written down in the ``state`` folder, for ``clear_litter``.
    """
    absent = [path for path in leaves if not os.path.lexists(path)]
    note = state / f"{_NOTE}{os.getpid()}-{threading.get_ident()}"
    noted = bool(absent) and state.is_dir()
    if noted:
        note.write_text("".join(f"{path}\n" for path in absent), "utf-8", "surrogateescape")
    try:
        yield
    finally:
        for path in _innermost_first(absent):
            _remove_litter(path)
        if noted:
            note.unlink(missing_ok=True)


def clear_litter(state: Path) -> None:
    """Do that for shells whose questioner was killed: what holds nothing of a person's goes."""
    for note in state.glob(f"{_NOTE}*"):
        process = note.name.removeprefix(_NOTE).partition("-")[0]
        if process.isdecimal() and lives(int(process)):
            continue
        for path in _innermost_first(map(Path, note.read_text("utf-8", "surrogateescape").splitlines())):
            if not _has_history(path):
                _remove_litter(path)
        note.unlink()


def _innermost_first(paths: Iterable[Path]) -> list[Path]:
    return sorted(paths, key=lambda path: len(path.parts), reverse=True)


def _remove_litter(path: Path) -> None:
    if path.name == "fish" and path.is_dir() and {p.name for p in path.iterdir()} <= _OF_FISH:
        discard(path)
    elif path.is_dir():
        with suppress(OSError):
            path.rmdir()
    else:
        path.unlink(missing_ok=True)


def _has_history(path: Path) -> bool:
    """Whether a shell has written down there what a person typed: a line that is not the start of our questions."""
    for file in (path, path / "fish_history"):
        content = file.read_bytes()[_HISTORY_MARK:] if file.is_file() else b""
        if any(line and _OURS not in line for line in content.replace(b"\0", b"").split(b"\n")):
            return True
    return False


def clean_environment(environ: Mapping[str, str], home: Path, program: str, user: str, path: str) -> dict[str, str]:
    """Only what a login gives: of ``environ``, which we ourselves run in, nothing but the language, and where XDG has
    things lie.
    """
    return {
        **{name: value for name, value in environ.items() if name.startswith("XDG_") and name.endswith("_HOME")},
        "HOME": str(home),
        "USER": user,
        "SHELL": program,
        "TERM": "xterm-256color",
        "LANG": environ.get("LANG", "C.UTF-8"),
        "PATH": path,
    }


def ask(
    shell: Shell,
    program: str,
    context: Context,
    environment: dict[str, str],
    questions: Sequence[str],
    *,
    seconds: float = SECONDS,
    harmless: Container[str] = (),
    interrupted: Interrupted = never,
) -> Answers:
    """Start a fresh shell and let it run each question, a command line in the language of sh: in a subshell, or in the
    shell itself if it is one of the ``harmless``, which change nothing there and end by themselves.

    Answers come back through files, so that greetings and prompts do not mix with them.
    """
    with room_for("proof") as room:
        script = [f"echo '{_STARTED}'"]
        for number, question in enumerate(questions):
            # mksh has no printf of its own, and would look for one in all of PATH each time.
            out = quote(str(room / str(number)))
            begin, end = "{}" if question in harmless else "()"
            script.append(f'{begin} {question}\n{end} >{out}.out 2>&1 </dev/null; echo "$?" >{out}.status')
        began = time.perf_counter()
        (room / "questions").write_text("\n".join(script) + "\n", "utf-8", "surrogateescape")
        words = [program, *context.options, "-c", shell.script(str(room / "questions"))]
        if context.login_name:
            # A shell whose own name begins with a hyphen logs in; tcsh takes no option for that beside -c.
            words = ["bash", "--norc", "-c", 'exec -a "-${0##*/}" "$0" "$@"', *words]
        startup_ms: float | None = None
        started = {**environment, **dict(context.variables)}
        with under_pty(words, started, Path(environment["HOME"]), seconds=seconds) as child:
            if wait_for(child, _STARTED.encode(), seconds, interrupted):
                startup_ms = (time.perf_counter() - began) * 1000
                wait_for(child, None, max(0.1, seconds - startup_ms / 1000), interrupted)
        return Answers(tuple(_read(room, number) for number in range(len(questions))), startup_ms)


def _read(room: Path, number: int) -> Answer:
    try:
        output = (room / f"{number}.out").read_bytes()
        status = int((room / f"{number}.status").read_bytes())
    except FileNotFoundError:
        return Answer(b"", None)
    except ValueError:
        return Answer(output, None)
    return Answer(output, status)
