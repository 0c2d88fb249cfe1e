"""A fresh shell under a pty with a clean environment, asked a list of questions."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

import msgspec

from zesty_anchor.files.removal import discard
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.pty import under_pty
from zesty_anchor.shells.shell import Context, Shell

SECONDS = 60.0
"""How long one shell may take for all its answers."""

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
def unlittered(leaves: Iterable[Path]) -> Iterator[None]:
    """Remove afterwards what the shells made for themselves, if it was not there before; folders only if empty of all
    but that.
    """
    absent = [path for path in leaves if not os.path.lexists(path)]
    yield
    for path in sorted(absent, key=lambda p: len(p.parts), reverse=True):
        if (
            path.name == "fish"
            and path.is_dir()
            and {p.name for p in path.iterdir()} <= {"fish_history", "generated_completions"}
        ):
            discard(path)
        elif path.is_dir():
            with suppress(OSError):
                path.rmdir()
        else:
            path.unlink(missing_ok=True)


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
) -> Answers:
    """Start a fresh shell and let it run each question, a command line in the language of sh: in a subshell, or in the
    shell itself if it is one of the ``harmless``, which change nothing there and end by themselves.

    Answers come back through files, so that greetings and prompts do not mix with them.
    """
    import pexpect

    with tempfile.TemporaryDirectory(prefix="zesty-anchor-proof-") as name:
        room = Path(name)
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
            if child.expect_exact([_STARTED.encode(), pexpect.EOF, pexpect.TIMEOUT]) == 0:
                startup_ms = (time.perf_counter() - began) * 1000
                child.expect([pexpect.EOF, pexpect.TIMEOUT], timeout=max(0.1, seconds - startup_ms / 1000))
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
