"""``zesty-anchor demo``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands.options import Setting, with_setting


@click.command()
@click.option(
    "--keep",
    type=click.Path(path_type=Path, file_okay=False),
    metavar="DIR",
    help="Leave the home in DIR to play with.",
)
@with_setting(manifest=False)
def command(setting: Setting, keep: Path | None) -> None:
    """A full example on shipped made-up data, offline, in a throwaway home. Your own home is not touched."""
    from zesty_anchor.demo.story import tell

    paint = setting.out
    styles = {"step": paint.head, "look": paint.look, "note": paint.faint, "good": paint.good}

    def say(kind: str, text: str) -> None:
        if kind == "step":
            paint.write()
            paint.write(paint.faint("-" * 78))
        paint.write(styles[kind](f"look at: {text}" if kind == "look" else text))
        if kind == "look":
            paint.write()

    tell(say, ["--colour", "always" if paint.on else "never"], keep)
