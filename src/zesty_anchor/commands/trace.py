"""``zesty-anchor trace``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.trace import trace
from zesty_anchor.show import origins
from zesty_anchor.show.columns import fetch_columns


@click.command()
@click.argument("name")
@with_setting()
def command(setting: Setting, name: str) -> None:
    """Everything that answers to the command NAME in fresh shells: which one wins where, who owns it, the line of which
    startup file brought it, and what decided the version. Without a manifest it tells of the machine alone. '$NAME' traces a variable, PATH the entries of PATH.
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
