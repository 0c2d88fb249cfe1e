"""``zesty-anchor demo``."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting

SCENARIOS = ("tour", "broken")


def _new_folder(context: click.Context, parameter: click.Parameter, value: str | None) -> Path | None:
    """The folder to make; completion offers none for it."""
    if value and Path(value).is_file():
        raise click.BadParameter(f"{value!r} is a file")
    return Path(value) if value else None


@click.command(cls=WithExamples)
@click.argument("scenario", type=click.Choice(SCENARIOS), default="tour")
@click.option(
    "--keep",
    callback=_new_folder,
    metavar="DIR",
    help="Keep the home in DIR, to try things in.",
)
@click.option("--steps", is_flag=True, help="Wait for the Enter key between the steps, on a terminal.")
@click.option("--system", is_flag=True, help="As root: also installs and removes a small Debian package.")
@with_setting(manifest=False)
def command(setting: Setting, scenario: str, keep: Path | None, steps: bool, system: bool) -> None:
    """Show a full example on made-up data, offline, in a throwaway home. Your own home and the system are not
    touched.

    "tour" starts in a home with an old installation, provisions it, and undoes it all; "broken" breaks three
    things, then finds and fixes them.
    """
    from zesty_anchor.demo.story import Telling, tell

    paint = setting.out
    styles = {"step": paint.head, "look": paint.look, "note": paint.faint, "good": paint.good}

    def say(kind: str, text: str) -> None:
        if kind == "step":
            paint.write()
            paint.write(paint.faint("-" * 78))
        paint.write(styles[kind](f"look at: {text}" if kind == "look" else text))
        if kind == "look":
            paint.write()

    def pause() -> None:
        if steps and sys.stdin.isatty():
            sys.stdout.flush()
            click.prompt("\nEnter goes on", default="", show_default=False, prompt_suffix=" ", err=True)

    tell(scenario, Telling(say, ["--colour", "always" if paint.on else "never"], keep, system, pause))
