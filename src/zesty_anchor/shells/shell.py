"""What every shell can tell us."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import ClassVar

from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.reading import Context, Reading, Site, Surroundings
from zesty_anchor.shells.tracing import FileLine, Started, TracePrompt, TraceStart

HIDING = "ZESTY_ANCHOR_HIDING"
"""The variable that a shell whose language is apart tells the names of its functions and aliases by."""


class Shell(ABC):
    """One shell. A subclass says all that the rest of the program knows of it.

    ``name`` is its word in the manifest, and the name of the language that its generated file is written in.
    ``programs`` are what its program may be called, the best first. ``contexts`` are the ways of starting it
    in which it reads something of ours: they are verified. ``check`` is the option with which it reads a file
    and runs nothing of it.

    Of its language: ``like_sh`` tells that it reads lines written for sh where there are none in its own;
    ``source_word`` is the word that reads a file, ``nothing`` a command that does nothing; ``at_terminal``
    are the words before a command that let it run only where its output goes to a terminal; ``endings`` are
    those of names of files in it; ``read_only`` are variables that it lets nobody set, and ``names_error``
    that its message for a syntax error names the line of the error and not that where it gave up.
    ``aliases_always`` tells that aliases count in a shell that is not interactive as well,
    ``ignores_cr`` that a CR at the end of a line is white space to it.

    Of what we generate: ``follows`` tells that it follows the current folder with builtins alone (then it has
    ``on_demand``; ``variables_file`` is the ending of the file with a project's variables), and ``completes``
    that functions can complete a command's words there (then it has ``completion``).

    Of its trace: ``prompt`` is what its PS4 must say; ``channel`` is the descriptor that it is written to.
    ``profiles`` tells that it writes a profile instead, which has the costs without those of telling,
    ``traces_at_terminal`` that it shows the trace on its terminal, ``lags`` that the prompt shows what is
    there after the line, and ``names_lines`` that the line of a command is exact. ``clock`` defines za_mark,
    which keeps the time of a statement; empty where it has no clock of its own.
    """

    name: ClassVar[str]
    programs: ClassVar[tuple[str, ...]]
    contexts: ClassVar[tuple[Context, ...]]
    check: ClassVar[str] = "-n"
    like_sh: ClassVar[bool] = False
    source_word: ClassVar[str] = "."
    nothing: ClassVar[str] = ":"
    at_terminal: ClassVar[str] = "[ -t 1 ] && "
    endings: ClassVar[tuple[str, ...]] = ()
    read_only: ClassVar[str] = ""
    names_error: ClassVar[bool] = False
    aliases_always: ClassVar[bool] = False
    ignores_cr: ClassVar[bool] = False
    follows: ClassVar[bool] = False
    completes: ClassVar[bool] = False
    prompt: ClassVar[TracePrompt | None] = None
    channel: ClassVar[int] = 2
    profiles: ClassVar[bool] = False
    variables_file: ClassVar[str] = ".sh"
    traces_at_terminal: ClassVar[bool] = False
    lags: ClassVar[bool] = False
    names_lines: ClassVar[bool] = False
    clock: ClassVar[str] = ""

    @abstractmethod
    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """Every file of the person's that it reads, in the order in which it reads them. Pure."""

    @abstractmethod
    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """The startup files that get the block. Pure."""

    @abstractmethod
    def quote(self, text: str) -> str:
        """``text`` as one word of its language, byte for byte."""

    def exported(self, name: str, value: str) -> str:
        """The line that gives an environment variable its value."""
        return f"export {name}={self.quote(value)}"

    @abstractmethod
    def block(self, generated: Path, home: Path, *, early: bool = False) -> str:
        """The one line, without a line end, that sources the generated file."""

    @abstractmethod
    def environment(self, environment: Environment, file: str) -> str:
        """The text of the generated file, which will stand at ``file``."""

    @abstractmethod
    def reload(self, generated: Path, home: Path) -> str:
        """The line that a person types to bring an open shell up to date."""

    @abstractmethod
    def script(self, file: str, *, here: bool = False) -> str:
        """A command line of its own that runs a file in the language of sh, in the shell itself where it can.

        Where it cannot, the variable HIDING holds the names of its functions and aliases, which the file
        cannot see. It runs in the root, or ``here`` where the shell was started.
        """

    @abstractmethod
    def traced(self, start: TraceStart) -> Started:
        """How it is started so that it tells each line that it executes."""

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """What it makes in a home when it starts there for the first time, the outermost first."""
        return ()

    def folders(self, around: Surroundings) -> tuple[Path, ...]:
        """Those folders of it over which several that start at once for the first time stumble, and say
        so.
        """
        return ()

    def unfit(self, home: Path) -> str:
        """Why it cannot be set up in this home; empty where it can. Pure."""
        return ""

    def own_file(self, config: Path) -> Path | None:
        """Where its generated file stands if that is a folder of the shell's, which it reads by itself: no
        startup file gets a line then. ``config`` is what XDG_CONFIG_HOME names. Pure.
        """
        return None

    def greets(self, file: Path, home: Path) -> str:
        """A line with which an interactive shell prints on its terminal what ``file`` holds, and empties
        it: with builtins alone as long as it is empty, and not where this program started the shell
        (ASKED). Empty where the shell cannot.
        """
        return ""

    def behind(self, lines: str) -> str:
        """``lines`` such that folders which they put first on PATH end up behind those that are there."""
        return lines

    def further_files(self) -> Mapping[str, Generate]:
        """Generated files of its own beside those that shells have in common, by name."""
        return {}

    def on_demand(self, environment: Environment, file: str) -> str:
        """The text of the second file, read when something is to be chosen; ``file`` is the first one."""
        raise NotImplementedError

    def completion(self, environment: Environment, file: str) -> str:
        """The text of the file that completes our own commands, read when that is first asked for; it will
        stand at ``file``.
        """
        raise NotImplementedError

    def path_forms(self) -> tuple[Callable[[str], str], ...]:
        """The ways in which its generated files write a path: inside the language's quotes, and in its
        patterns.
        """
        return (lambda text: self.quote(text)[1:-1],)

    def functions(self, rows: Sequence[str]) -> dict[str, FileLine | None]:
        """The functions of what the probe ``ready`` lists, with their places where the shell tells them.
        Pure.
        """
        return {row.split("(")[0].split()[-1]: None for row in rows if row.strip()}

    def code(self, probe: str) -> str:
        """The lines in its language that tell what it has: ``ready`` (in five parts with END between them:
        aliases, functions, builtins, PATH, environment) or ``state`` (into files of ROOM). ENV stands for
        env(1), NAMES for the functions that are asked about.
        """
        own = _FILES / f"{probe}.{self.name}"
        return (own if own.exists() else _FILES / f"{probe}.sh").read_text("utf-8")


_FILES = Path(__file__).with_name("code")

Generate = Callable[[Environment, str], str]
"""Makes the text of a generated file, given the environment and where the file will stand."""
