"""``zesty-anchor undo``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.take_back import runs, undo
from zesty_anchor.show import changes, document

FAILED = 1


@click.command()
@click.option("--run", type=int, metavar="N", help="Take back this run, and not the last one.")
@click.option("--list", "listed", is_flag=True, help="Name the runs that can be taken back, with what each did.")
@with_setting(manifest=False, yes=True, verbose="Name each file, ours too.")
def command(setting: Setting, run: int | None, listed: bool) -> None:
    """Take the last provisioning back: folders, files and lines are as they were before it.

    What someone else changed in the same files since then stays. Of an earlier run that is taken back, what a later one needs is
    named, and nothing is done.
    """
    with setting.bare() as (workstation, person):
        if listed:
            standing = runs(workstation)
        else:
            taken = undo(workstation, person, run)
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
