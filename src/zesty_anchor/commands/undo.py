"""``zesty-anchor undo``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.take_back import undo
from zesty_anchor.show import changes, document

FAILED = 1


@click.command()
@with_setting(manifest=False, yes=True)
def command(setting: Setting) -> None:
    """Take the last provisioning back: folders, files and lines are as they were before it.

    What someone else changed in the same files since then stays.
    """
    with setting.bare() as (workstation, person):
        taken = undo(workstation, person)
    if setting.as_json:
        setting.print_json(document.taken_back(taken))
    else:
        changes.taken_back(setting.out, taken)
    if not taken.whole:
        raise click.exceptions.Exit(FAILED)
