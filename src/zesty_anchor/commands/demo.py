"""``zesty-anchor demo``."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from zesty_anchor.commands.options import Setting, with_setting

SCENARIOS = ("tour", "broken")


@click.command()
@click.argument("scenario", type=click.Choice(SCENARIOS), default="tour")
@click.option(
    "--keep",
    type=click.Path(path_type=Path, file_okay=False),
    metavar="DIR",
    help="Leave the home in DIR to play with.",
)
@click.option("--steps", is_flag=True, help="Wait for the Enter key between the steps, on a terminal.")
@click.option("--system", is_flag=True, help="As root: with a small Debian package that comes and goes.")
@with_setting(manifest=False)
def command(setting: Setting, scenario: str, keep: Path | None, steps: bool, system: bool) -> None:
    """A full example on shipped made-up data, offline, in a throwaway home. Neither your own home nor the system is touched.

    tour goes from a home with an old install to one that is provisioned, and back; broken breaks three things, and has them found and mended.
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
