"""``zesty-anchor trace``."""

from __future__ import annotations

import click

from zesty_anchor.commands.completing import runtimes
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.show import choices


@click.command()
@click.argument("name", shell_complete=runtimes)
@with_setting()
def command(setting: Setting, name: str) -> None:
    """Every file on PATH that answers to the command NAME, the first one first, who owns it, and what decided."""
    with setting.workstation() as workstation:
        traced = workstation.trace(name)
        shown = workstation.locations.shown
    if setting.as_json:
        setting.print_json(traced)
    else:
        choices.traced(setting.out, traced, shown)
    if not traced.answers:
        raise click.exceptions.Exit(1)
