"""``zesty-anchor undo``."""

from __future__ import annotations

import click

from zesty_anchor import api
from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.show import changes, document

FAILED = 1


@click.command(cls=WithExamples)
@click.option("--run", type=int, metavar="N", help="Undo this run instead of the last one.")
@click.option("--list", "listed", is_flag=True, help="Show the runs that can be undone, with what each did.")
@with_setting(manifest=False, yes=True, password=True, verbose="Show each file, also those of zesty-anchor.")
def command(setting: Setting, run: int | None, listed: bool) -> None:
    """Undo the last run: folders, files and lines are as they were before it.

    What someone else has changed in the same files since then stays. If a later run needs what an earlier one
    did, it is named, and nothing is done.
    """
    with setting.bare() as (workstation, person):
        if listed:
            standing = api.runs(workstation)
        else:
            taken = api.undo(workstation, person, run)
    if listed:
        if setting.as_json:
            setting.print_json({"runs": standing})
        else:
            changes.runs(setting.out, standing)
        return
    if setting.as_json:
        setting.print_json(document.taken_back(taken))
    else:
        changes.taken_back(setting.out, taken, whole=setting.verbose)
    if not taken.whole:
        raise click.exceptions.Exit(FAILED)
