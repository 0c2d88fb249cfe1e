"""``zesty-anchor preview``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.show import changes, document

PENDING = 3


@click.command()
@click.option("--check", is_flag=True, help="Exit with 3 if changes are pending.")
@with_setting()
def command(setting: Setting, check: bool) -> None:
    """What would change, down to the lines of each startup file. Changes nothing."""
    with setting.workstation() as workstation:
        seen = workstation.preview()
        name = workstation.locations.shown(workstation.file)
    if setting.as_json:
        setting.print_json(document.preview(seen))
    elif not (setting.quiet and not seen.changes):
        changes.preview(setting.out, seen, name)
    if check and seen.changes:
        raise click.exceptions.Exit(PENDING)
