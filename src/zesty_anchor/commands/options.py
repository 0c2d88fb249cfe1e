"""The options that commands share, and what they open with them."""

from __future__ import annotations

import functools
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, nullcontext, suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from zesty_anchor.show import paint
from zesty_anchor.system.host import program_path
from zesty_anchor.system.privilege import step_down

if TYPE_CHECKING:
    from zesty_anchor.operations.person import Person
    from zesty_anchor.planning.home import Home
    from zesty_anchor.planning.workstation import Workstation
    from zesty_anchor.system.root_hand import RootHand


def _absolute(path: Path | None) -> Path | None:
    """A path that means the same wherever the work is done."""
    return path.absolute() if path is not None else None


class Setting:
    """What the shared options say."""

    def __init__(self, given: dict[str, Any]) -> None:
        self.manifest: Path | None = _absolute(given.pop("manifest", None))
        self.trusted: Path | None = _absolute(given.pop("trust", None))
        self.jobs: int = given.pop("jobs", 4)
        self.offline: bool = given.pop("offline", False)
        self.yes: bool = given.pop("yes", False)
        self.quiet: bool = given.pop("quiet", False)
        self.as_json: bool = given.pop("as_json", False)
        self.colour: str = given.pop("colour", "auto")
        self.plain: bool = given.pop("plain", False)
        self.verbose: bool = given.pop("verbose", False)
        self.reads_password: bool = given.pop("password_stdin", False)
        self.hosts = False
        """Whether the work is on machines, a line for each."""

    @property
    def out(self) -> paint.Paint:
        """Where results go."""
        return paint.out(self.colour, os.environ, plain=self.plain)

    @property
    def err(self) -> paint.Paint:
        """Where all else goes."""
        return paint.err(self.colour, os.environ, plain=self.plain)

    @contextmanager
    def opened(self, there: str | None = None) -> Iterator[tuple[Workstation, Person]]:
        """The workstation with its manifest, and the person, with progress told meanwhile. ``there`` are
        words for another machine, which nothing was installed on yet.
        """
        from zesty_anchor.planning.workstation import on_another, with_manifest_here

        with self.bare() as (bare, person):
            workstation = with_manifest_here(on_another(bare, there) if there else bare, self.manifest)
            yield workstation, person
        if self.quiet or self.as_json or not workstation.environ.get("ZESTY_ANCHOR_LOADED"):
            return
        from zesty_anchor.operations.calling_shell import behind

        if line := behind(workstation):
            self.err.write(
                self.err.look("this shell was opened before the last provisioning; for it, run: ") + line
            )

    @contextmanager
    def either(self, *, also_wrong: bool = False) -> Iterator[tuple[Workstation, Person]]:
        """The workstation with the manifest that is here, else without one; with ``also_wrong`` also where
        the manifest has mistakes.
        """
        from zesty_anchor.manifest.read import NoManifest
        from zesty_anchor.planning.workstation import with_manifest_here
        from zesty_anchor.system.problem import UsageProblem

        with self.bare() as (workstation, person):
            with suppress(UsageProblem if also_wrong else NoManifest):
                workstation = with_manifest_here(workstation, self.manifest)
            yield workstation, person

    @contextmanager
    def bare(self) -> Iterator[tuple[Workstation, Person]]:
        """The workstation without a manifest, and the person."""
        from zesty_anchor.engine.reporter import Silent
        from zesty_anchor.operations.person import Person
        from zesty_anchor.planning.workstation import open_workstation

        if self.hosts:
            from zesty_anchor.show.hosts import reporter
        else:
            from zesty_anchor.show.progress import reporter
        from zesty_anchor.system.own_program import own_words

        environ, hand = self._environment()
        password = self._password() if self.reads_password else None
        asker = None
        if sys.stdin.isatty():
            from zesty_anchor.commands.asking import TerminalAsker

            asker = TerminalAsker(self.err)
        program = own_words(sys.argv[0], environ)
        with nullcontext(Silent()) if self.as_json else reporter(self.err, quiet=self.quiet) as telling:
            bare = open_workstation(environ, Path.cwd(), program, offline=self.offline)
            yield bare, Person(telling, asker, self.yes, self.jobs, hand, self.trusted, password=password)

    @staticmethod
    def _password() -> Callable[[], str]:
        """Sudo's password: the first line of standard input. Raises ``UsageProblem`` where there is none."""
        from zesty_anchor.system.problem import UsageProblem

        if sys.stdin.isatty():
            raise UsageProblem(
                "--password-stdin reads from a pipe or a file, and standard input is a terminal",
                advice="leave the option out: the password is asked for in the terminal",
            )
        line = sys.stdin.readline()
        if not line:
            raise UsageProblem(
                "no password came on standard input",
                advice="send it as one line, or leave out --password-stdin",
            )
        return lambda: line.rstrip("\n")

    def home(self) -> Home:
        """The home alone, for a command that asks nothing and needs no manifest."""
        from zesty_anchor.planning.home import open_home

        environ, _ = self._environment()
        return open_home(environ)

    def _environment(self) -> tuple[dict[str, str], RootHand | None]:
        """Ours; where we were started through sudo, that of the user who called, whom we then become for
        good.
        """
        stepped = step_down(os.environ)
        if stepped is None:
            environment = dict(os.environ)
            os.environ["PATH"] = program_path(environment)  # what we start ourselves is looked up there
            return environment, None
        environment, hand = stepped
        os.environ.clear()
        os.environ.update({**environment, "PATH": program_path(environment)})
        self.err.write(
            f"  started with privilege: the work is done as {environment['USER']}, in {environment['HOME']}; "
            "privilege is used only where it is shown"
        )
        return environment, hand

    def print_json(self, document: Any) -> None:
        """One document on standard output."""
        from zesty_anchor.show.document import encode

        click.echo(encode(document))


_MANIFEST = click.option(
    "-m", "--manifest", type=click.Path(path_type=Path), metavar="FILE", help="The manifest to use."
)
_OFFLINE = click.option("--offline", is_flag=True, help="Work offline, using cached version lists.")
_JOBS = click.option(
    "-j", "--jobs", type=click.IntRange(1, 64), default=4, show_default=True, help="Parallel jobs."
)
_TRUST = click.option(
    "--trust",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Trust this manifest until it changes.",
)
_YES = click.option("-y", "--yes", is_flag=True, help="Assume yes for safe questions.")
_PASSWORD = click.option(
    "--password-stdin", is_flag=True, help="Read the password for sudo from standard input."
)
_COMMON = (
    click.option("-q", "--quiet", is_flag=True, help="Print only results and errors."),
    click.option("--json", "as_json", is_flag=True, help="Print one JSON document."),
    click.option(
        "--colour",
        type=click.Choice(["auto", "always", "never"]),
        default="auto",
        show_default=True,
        help="When to colour the output.",
    ),
    click.option("--plain", is_flag=True, help="Print one fact a line, without colours or columns."),
)


def _verbose(what: str) -> Callable[..., Any]:
    return click.option("-v", "--verbose", is_flag=True, help=what)


def parted(runtime: str, version: str | None) -> tuple[str, str | None]:
    """A runtime and a version, also where they come as one word: ``kelp@4.2``. Pure."""
    name, at, given = runtime.partition("@")
    return (name, given) if at and given and name and not version else (runtime, version)


def pairs(words: Sequence[str]) -> tuple[list[tuple[str, str]], list[str]]:
    """Runtimes with their wants (NAME=WANT), and the words after them, without the ``--`` between. Pure."""
    chosen: list[tuple[str, str]] = []
    rest = list(words)
    while rest and rest[0] != "--" and "=" in rest[0]:
        name, _, want = rest.pop(0).partition("=")
        chosen.append((name, want))
    return chosen, rest[1:] if rest[:1] == ["--"] else rest


def with_setting(
    *,
    manifest: bool = True,
    jobs: bool = False,
    yes: bool = False,
    trust: bool = False,
    password: bool = False,
    verbose: str = "",
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Give a command the shared options, as a ``Setting`` in its first argument. ``verbose`` is what it shows
    more of.
    """
    wanted = [_verbose(verbose or "Show the traceback of an unexpected error."), *_COMMON]
    wanted += [_MANIFEST, _OFFLINE] if manifest else []
    wanted += [_JOBS] if jobs else []
    wanted += [_YES] if yes else []
    wanted += [_TRUST] if trust else []
    wanted += [_PASSWORD] if password else []

    def decorate(function: Callable[..., Any]) -> Callable[..., Any]:
        @functools.wraps(function)
        def called(**given: Any) -> Any:
            setting = Setting(given)
            return function(setting, **given)

        for option in reversed(wanted):
            called = option(called)
        return called

    return decorate
