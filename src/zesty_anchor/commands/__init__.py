"""The command line. One Click command a file, each fetched only when it is called."""

from __future__ import annotations

import contextlib
import gc
import importlib
import os
import signal
import sys

# A command lives for a moment and makes few circles: looking for them costs a tenth of its start.
gc.set_threshold(50_000)

import click  # noqa: E402
from click import termui  # noqa: E402

from zesty_anchor import __version__  # noqa: E402
from zesty_anchor.system.own_commands import COMMANDS, OTHER_OPTIONS, OTHER_WORDS  # noqa: E402
from zesty_anchor.system.signals import end_on_signals  # noqa: E402

_OTHERS_MAY_NOT_WRITE = 0o022
UMASK: list[int] = []
"""What the caller lets others do with new files (umask(2)): for a program of theirs that takes our place."""

_FOR_SHELLS = ("pins",)
"""Called by what we write for the shells, not by a person."""
_FILES = {"with": "with_versions"}
"""Where a command's word is one of Python's own."""


def _read_line(prompt: str) -> str:
    """Read an answer. Python's ``input`` drops what a signal's handler raises while it looks at the streams
    (bltinmodule.c clears the error of each call), so that Ctrl-C in that moment would be lost.
    """
    sys.stdout.write(prompt)
    sys.stdout.flush()
    line = sys.stdin.readline()
    if not line:
        raise EOFError
    return line.rstrip("\n")


termui.visible_prompt_func = _read_line


class WithExamples(click.Command):
    """A command whose help ends with examples."""

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write them."""
        from zesty_anchor.commands.examples import EXAMPLES

        with formatter.section("Examples"):
            formatter.write_dl([(what, does) for what, does in EXAMPLES[ctx.info_name or ""]], col_max=48)


class _Commands(click.Group):
    """Knows every command's name and summary without fetching it."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS and cmd_name not in _FOR_SHELLS:
            return None
        name = _FILES.get(cmd_name, cmd_name)
        command: click.Command = importlib.import_module(f"zesty_anchor.commands.{name}").command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in (*COMMANDS, *_FOR_SHELLS) and not args[0].startswith("-"):
            import difflib

            if args[0] in OTHER_WORDS:
                raise click.UsageError(f"there is no command {args[0]!r}. {OTHER_WORDS[args[0]]}", ctx)
            close = difflib.get_close_matches(args[0], COMMANDS, 1)
            advice = f"did you mean {close[0]!r}?" if close else "zesty-anchor --help lists them"
            raise click.UsageError(f"there is no command {args[0]!r}: {advice}", ctx)
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        for group in dict.fromkeys(own.group for own in COMMANDS.values()):
            with formatter.section(group):
                formatter.write_dl(
                    [(name, own.summary) for name, own in COMMANDS.items() if own.group == group]
                )


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="zesty-anchor", message="%(prog)s %(version)s")
def main() -> None:
    """Provision a workstation from one file, workstation.toml, verify it in new shells, and undo all of it.

    Start with "zesty-anchor demo", which shows everything in a throwaway home, or with
    "zesty-anchor survey", which changes nothing.
    """


def run() -> None:
    """The program: runs the command and ends with its exit code.

    It ends at once: of what the interpreter does before, taking itself down, nothing is of use, and it takes
    a tenth of the time. A thread may still wait for a server that says nothing; what it did is taken back
    already.
    """
    code = exit_code()
    for stream in (sys.stdout, sys.stderr):
        # The terminal may be gone, and what had to be told is told.
        with contextlib.suppress(OSError, ValueError):
            stream.flush()
    os._exit(code)


def exit_code() -> int:
    """Run the command of ``sys.argv``. Returns the code to end with; whatever went wrong is told."""
    _open_what_is_closed()
    given = os.umask(0o077)
    os.umask(given | _OTHERS_MAY_NOT_WRITE)
    UMASK.append(given)
    ended = end_on_signals()
    try:
        # Without its standalone mode click returns the code that a command exits with, and raises all else.
        code = main.main(prog_name="zesty-anchor", standalone_mode=False)
        sys.stdout.flush()
        return code or 0
    except (click.Abort, KeyboardInterrupt):
        # The terminal may be gone.
        with contextlib.suppress(OSError):
            print("interrupted: what was under way is undone", file=sys.stderr)
        return 128 + (ended[0] if ended else signal.SIGINT)
    except click.ClickException as error:
        if isinstance(error, click.NoSuchOption) and error.option_name in OTHER_OPTIONS:
            error = click.UsageError(
                f"there is no option {error.option_name}. {OTHER_OPTIONS[error.option_name]}", error.ctx
            )
        error.show()
        if "--json" in sys.argv[1:]:
            from zesty_anchor.commands.failure import print_document
            from zesty_anchor.system.problem import UsageProblem

            print_document(UsageProblem(error.format_message()))
        return 2
    except BrokenPipeError:
        return 1
    except Exception as error:
        if ended:
            # Nothing can be said any more to a terminal that is gone.
            return 128 + ended[0]
        from zesty_anchor.commands.failure import told

        return told(error)


def _open_what_is_closed() -> None:
    """Where we were started without input, output or errors, nothing goes there: else the first file that is
    opened would get their place, and what is printed.
    """
    for name, mode in (("stdin", "r"), ("stdout", "w"), ("stderr", "w")):
        if getattr(sys, name) is None:
            setattr(sys, name, open(os.devnull, mode, encoding="utf-8"))  # noqa: SIM115 - as long as we live
