"""``zesty-anchor timing``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.timing import timing
from zesty_anchor.show import timing as shown

SHELLS = ("bash", "zsh", "fish", "ksh", "mksh", "tcsh", "sh")


@click.command()
@click.option("--shell", "shells", multiple=True, type=click.Choice(SHELLS), help="This one, and not your login shell.")
@with_setting(verbose="Name every line that costs something.")
def command(setting: Setting, shells: tuple[str, ...]) -> None:
    """What a start of your shell costs: whole, without what is ours, without your files; and your dearest lines.

    Shells are started in a copy of the home, by turns, until the median is known to 5 %, or half a minute is over.
    """
    with setting.either() as (workstation, _):
        found = timing(workstation, shells)
        told = workstation.locations.shown
    if setting.as_json:
        setting.print_json({"shells": found})
    else:
        shown.timing(setting.out, found, told, whole=setting.verbose)
