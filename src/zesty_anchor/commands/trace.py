"""``zesty-anchor trace``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.trace import trace
from zesty_anchor.show import origins
from zesty_anchor.show.columns import fetch_columns


@click.command(cls=WithExamples)
@click.argument("name")
@with_setting()
def command(setting: Setting, name: str) -> None:
    """Show where a command, a variable or a PATH entry comes from: which program each new shell runs, who
    owns it, and the line of the startup file behind it.

    '$NAME' traces a variable, PATH the entries of PATH. Works without a manifest.
    """
    with setting.either() as (workstation, _):
        traced = trace(workstation, name, fetch_columns)
        shown = workstation.locations.shown
    if setting.as_json:
        setting.print_json(traced)
    else:
        origins.traced(setting.out, traced, shown)
    if not traced.answers:
        raise click.exceptions.Exit(1)
