"""A new shell with a clean environment, and the command lines that it runs. What it answers is read while
it works.
"""

from __future__ import annotations

import os
import re
import selectors
import time
from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.shells.marked_start import MarkedStart, Watch, marked_start
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.reading import ASKED, Context
from zesty_anchor.shells.shell import Shell
from zesty_anchor.shells.together import Interrupted, never
from zesty_anchor.system.room import room as room_for

START_SECONDS = 15.0
"""How long a shell may take to start."""
SECONDS = 60.0
"""How long a command line may take, where nothing else is said."""
LARGEST = 1_000_000
"""As many bytes of what a command line prints are read; one that prints more is ended."""

_TOLD = re.compile(r"(start|first|end|\d+) (\d+)$", re.MULTILINE)
"""What the shell reports; an echo of the person's own may put something before it."""
_CHUNK = 1 << 16
_ENDING_SECONDS = 5.0
"""How long a shell may take to go on, once what it waited for was ended."""
_DEEPEST = 3
"""How often one shell may hand over to the next."""
_LOOK_SECONDS = 0.1
"""How often it is looked whether the run was interrupted."""


class Line(msgspec.Struct, frozen=True):
    """A command line in the language of sh, and how many seconds it may take.

    One that is ``harmless`` changes nothing and ends by itself: the shell runs it itself, any other in a
    subshell. A ``later`` one is run only if ``decide`` says so. What a ``guarded`` one started is ended
    before the next begins, and its errors are told apart.
    """

    run: str
    seconds: float = SECONDS
    harmless: bool = False
    later: bool = False
    guarded: bool = False


class Answer(msgspec.Struct, frozen=True):
    """What one command line printed (its standard output, and its errors, which a guarded one has apart), and
    its exit status; None: it never ended. ``ended`` says why it was ended: ``time`` or ``output``.
    """

    output: bytes
    status: int | None
    errors: bytes = b""
    ended: str = ""

    @property
    def text(self) -> str:
        """The output for a person, without line ends around it."""
        return self.output.decode("utf-8", "replace").strip("\r\n")


NO_ANSWER = Answer(b"", None)


class Answers(msgspec.Struct, frozen=True):
    """All answers of one shell, in the order of the lines (None: it was not asked). ``startup_ms`` is None if
    it never began; ``said`` is what it printed until then. ``landed`` is the shell that answered, where the
    start handed its terminal over to that one; ``waits`` tells that it waited for somebody to type, ``gone``
    that it had ended by then.
    """

    answers: tuple[Answer | None, ...]
    startup_ms: float | None
    said: bytes = b""
    landed: str = ""
    waits: bool = False
    gone: bool = False


Decide = Callable[[Sequence[Answer | None]], Collection[int]]
"""From the answers to the first lines to the numbers of the later ones that are to be run."""


def clean_environment(
    environ: Mapping[str, str], login: Mapping[str, str], home: Path, program: str, user: str, path: str
) -> dict[str, str]:
    """Only what a ``login`` gives: of ``environ``, which we ourselves run in, nothing but the language, and
    where XDG has things lie.
    """
    return {
        **login,
        **{
            name: value
            for name, value in environ.items()
            if name.startswith("XDG_") and name.endswith("_HOME")
        },
        "HOME": str(home),
        "USER": user,
        "SHELL": program,
        "TERM": "xterm-256color",
        "LANG": environ.get("LANG", "C.UTF-8"),
        "PATH": path,
        ASKED: "1",
    }


def ask(
    shell: Shell,
    program: str,
    context: Context,
    environment: Mapping[str, str],
    lines: Sequence[Line],
    *,
    decide: Decide = lambda answers: (),
    start_seconds: float = START_SECONDS,
    interrupted: Interrupted = never,
    folder: Path | None = None,
    depth: int = 0,
) -> Answers:
    """Start a new shell, in a ``folder`` (None: in the home), and let it run command lines.

    Answers come back through pipes of their own, so that greetings and prompts do not mix with them. One that
    is not interactive has no terminal, as over ssh. Where a startup file hands the terminal over to another
    shell, or to a program that starts one in a terminal of its own, that shell is started once more in the
    same way, with the environment that it was given, and is asked; ``depth`` counts that.
    """
    with room_for("proof") as room, _Pipes(room, lines) as pipes:
        (room / "questions").write_text(_script(room, lines, folder), "utf-8", "surrogateescape")
        words = [
            program,
            *context.options,
            "-c",
            shell.script(str(room / "questions"), here=folder is not None),
        ]
        if context.login_name:
            # A shell whose own name begins with a hyphen logs in; tcsh takes no option for that beside -c.
            words = ["bash", "--norc", "-c", 'exec -a "-${0##*/}" "$0" "$@"', *words]
        started = {**environment, **dict(context.variables)}
        # What is not interactive has no terminal: what prints there would spoil what scp(1) copies.
        silent = {0: Path(os.devnull), 1: room / "noise", 2: room / "noise"}
        began = time.perf_counter()
        with marked_start(
            words,
            started,
            folder or Path(environment["HOME"]),
            room,
            seconds=start_seconds,
            channels={} if "-i" in context.options else silent,
        ) as start:
            talk = _Talk(start, pipes, lines, decide, interrupted, began + start_seconds)
            if "-i" in context.options:
                talk.landing = Watch(start)
            talk.follow()
            landed = talk.landing.found if talk.landing is not None else None
            if landed is not None and depth < _DEEPEST:
                from zesty_anchor.shells.known import SHELLS

                inner = ask(
                    SHELLS[landed.shell], landed.program, landed.context(context.name), landed.environment,
                    lines, decide=decide, start_seconds=start_seconds, interrupted=interrupted, folder=folder,
                    depth=depth + 1,
                )  # fmt: skip
                said = (talk.said + inner.said)[:LARGEST]
                found = msgspec.structs.replace(inner, landed=inner.landed or landed.shell, said=said)
            else:
                startup = (talk.began - began) * 1000 if talk.began else None
                waits = talk.landing is not None and talk.landing.asks
                found = Answers(tuple(talk.answers), startup, talk.said, waits=waits, gone=talk.gone)
        return found


def _script(room: Path, lines: Sequence[Line], folder: Path | None) -> str:
    """The file that the shell runs. Each command line is followed by its number and status, each guarded one
    waits to go on.

    A shell starts in the home, and what is asked is asked in the root: a pin in the home decides for the
    home, and not by default. Where it starts in another ``folder``, it is asked there.
    """
    told, go = quote(str(room / "told")), quote(str(room / "go"))
    rows = [f'echo "start $$" >{told}', "{ set +x +v; } 2>/dev/null"]
    rows += [] if folder else ["cd / >/dev/null 2>&1"]
    later = [number for number, line in enumerate(lines) if line.later]
    for number, line in enumerate(lines):
        if number == next(iter(later), None):
            rows.append(f'echo "first 0" >{told}; read -r za_go <{go}')
        begin, end = "{}" if line.harmless else "()"
        errors = f"2>{quote(str(room / f'{number}.errors'))}" if line.guarded else "2>&1"
        run = (
            f'{begin} {line.run}\n{end} >{quote(str(room / str(number)))} {errors} </dev/null; echo "{number}'
            f' $?" >{told}'
        )
        if line.guarded:
            run += f"; read -r za_next <{go}"
        rows.append(f"case $za_go in *,{number},*) {run} ;; esac" if line.later else run)
    rows.append(f'echo "end 0" >{told}')
    return "\n".join(rows) + "\n"


class _Pipes:
    """The named pipes of one shell (fifo(7)), open for reading as long as it is asked."""

    def __init__(self, room: Path, lines: Sequence[Line]) -> None:
        names = ["told", "go", "noise"]
        for number, line in enumerate(lines):
            names += [str(number)] + ([f"{number}.errors"] if line.guarded else [])
        self.open: dict[str, int] = {}
        for name in names:
            os.mkfifo(room / name, 0o600)
            # Open for both, so that none that writes waits, and the end of one writer is not the end.
            self.open[name] = os.open(room / name, os.O_RDWR | os.O_NONBLOCK | os.O_CLOEXEC)
        self.read: dict[str, bytearray] = {name: bytearray() for name in names}
        self.over: set[str] = set()
        """Those out of which more came than is kept."""

    def __enter__(self) -> _Pipes:
        return self

    def __exit__(self, *error: object) -> None:
        for opened in self.open.values():
            os.close(opened)

    def drain(self, name: str) -> bytes:
        """All that is in a pipe now; what is more than is kept is thrown away."""
        read = self.read[name]
        while (more := _more(self.open[name])) is not None:
            room = LARGEST - len(read)
            read += more[: max(0, room)]
            if len(more) > room:
                self.over.add(name)
                break
        return bytes(read)

    def take(self, name: str) -> bytes:
        """The same, and forget it."""
        found = self.drain(name)
        self.read[name].clear()
        return found

    def go(self, numbers: Collection[int] = ()) -> None:
        """Let the shell go on."""
        os.write(
            self.open["go"], (f",{','.join(map(str, sorted(numbers)))},\n" if numbers else ",\n").encode()
        )


def _more(opened: int) -> bytes | None:
    try:
        return os.read(opened, _CHUNK) or None
    except (BlockingIOError, OSError):
        return None


class _Talk:
    """What goes on between one shell and us."""

    def __init__(
        self,
        start: MarkedStart,
        pipes: _Pipes,
        lines: Sequence[Line],
        decide: Decide,
        interrupted: Interrupted,
        until: float,
    ) -> None:
        self._child = start.child
        self._start_of = start
        self._pipes = pipes
        self._lines = lines
        self._decide = decide
        self._interrupted = interrupted
        self._until = until
        """The moment at which what is under way has taken too long."""
        self._spared = start.spared
        """What must not be ended: what was there before the shell, the shell, and what it needs."""
        self._open = [number for number, line in enumerate(lines) if not line.later]
        """The lines that are still to be answered, in order."""
        self._why = ""
        self._guards = any(line.guarded for line in lines)
        self.answers: list[Answer | None] = [None if line.later else NO_ANSWER for line in lines]
        self.began = 0.0
        self.said = b""
        self.over = self.gone = False
        self.landing: Watch | None = None
        """Where the start of an interactive one ends up."""

    def follow(self) -> None:
        """Read until the shell has answered, has ended, or takes too long."""
        os.set_blocking(self._child.child_fd, False)
        with selectors.DefaultSelector() as selector:
            for name, opened in self._pipes.open.items():
                if name != "go":
                    selector.register(opened, selectors.EVENT_READ, name)
            selector.register(self._child.child_fd, selectors.EVENT_READ, "terminal")
            while not self.over and not self._interrupted():
                left = self._until - time.perf_counter()
                if left <= 0 and not self._end_line("time"):
                    return
                ended = not self._child.isalive()
                for key, _ in selector.select(0 if ended else min(max(left, 0.0), _LOOK_SECONDS)):
                    if key.data == "told":
                        self._told(self._pipes.take("told"))
                    elif key.data == "terminal":
                        if not self._terminal():
                            selector.unregister(self._child.child_fd)
                    else:
                        self._pipes.drain(key.data)
                        if key.data in self._pipes.over and key.data != "noise":
                            self._end_line("output")
                if ended:
                    self.gone = not self.began
                    return
                if self.landing is not None and not self.began and self.landing.look():
                    return

    def _terminal(self) -> bool:
        """Read what came on the terminal. Returns whether there is more to come."""
        try:
            more = os.read(self._child.child_fd, _CHUNK)
        except BlockingIOError:  # what was there was read when the shell told that it had begun
            return True
        except OSError:
            return False
        if not self.began:
            self.said = (self.said + more)[:LARGEST]
        return bool(more)

    def _told(self, rows: bytes) -> None:
        for what, value in _TOLD.findall(rows.decode("utf-8", "replace")):
            if what == "start":
                self._start(int(value))
            elif what == "first":
                chosen = self._decide(self.answers)
                self._open = [
                    number for number, line in enumerate(self._lines) if line.later and number in chosen
                ]
                for number in self._open:
                    self.answers[number] = NO_ANSWER
                self._pipes.go(self._open)
                self._next()
            elif what == "end":
                self.over = True
            else:
                self._answer(int(what), int(value))

    def _start(self, runner: int) -> None:
        self.began = time.perf_counter()
        self._spared |= {runner, *self._start_of.processes(self._spared)} if self._guards else {runner}
        self.said = (self.said + self._pipes.drain("noise"))[:LARGEST]
        while (more := _more(self._child.child_fd)) is not None:
            self.said = (self.said + more)[:LARGEST]
        self._next()

    def _answer(self, number: int, status: int) -> None:
        line = self._lines[number]
        if line.guarded:
            self._end_processes()
        output = self._pipes.drain(str(number))
        errors = self._pipes.drain(f"{number}.errors") if line.guarded else b""
        over = str(number) in self._pipes.over or f"{number}.errors" in self._pipes.over
        why = self._why or ("output" if over else "")
        self.answers[number] = Answer(output, None if why else status, errors, why)
        self._why = ""
        if number in self._open:
            self._open.remove(number)
        if line.guarded:
            self._pipes.go()
        self._next()

    def _next(self) -> None:
        """From now on the next line is under way."""
        seconds = self._lines[self._open[0]].seconds if self._open else SECONDS
        self._until = time.perf_counter() + seconds

    def _end_line(self, why: str) -> bool:
        """End what the line that is under way has started. Returns whether the shell can go on then."""
        if not self.began or not self._open:
            return False
        if self._why:  # it was ended before, and is still there
            return False
        self._why = why
        self._end_processes()
        self.answers[self._open[0]] = Answer(self._pipes.drain(str(self._open[0])), None, ended=why)
        self._until = time.perf_counter() + _ENDING_SECONDS
        return True

    def _end_processes(self) -> None:
        self._start_of.end(self._spared)
