"""``zesty-anchor upgrade``."""

from __future__ import annotations

import datetime

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.upgrade import upgradable, upgrade
from zesty_anchor.show import changes, listing


@click.command(cls=WithExamples)
@click.argument("runtimes", nargs=-1)
@click.option("--list", "only_list", is_flag=True, help="Only show what is newer.")
@with_setting(jobs=True, yes=True, trust=True)
def command(setting: Setting, runtimes: tuple[str, ...], only_list: bool) -> None:
    """Move RUNTIMES (all, if none is named) to the newest versions that your wants allow, as one run.

    Shows old and new version first, and asks. If a check of one of them fails afterwards, everything is
    undone. Versions that are installed already stay; "zesty-anchor undo" goes back.
    """
    with setting.opened() as (workstation, person):
        rows = upgradable(workstation, person, runtimes)
        moving = [row for row in rows if row.newer]
        if not setting.as_json:
            listing.newer(
                setting.out if only_list or not moving else setting.err,
                rows,
                datetime.date.today().isoformat(),
                advise=False,
            )
        outcome = upgrade(workstation, person, () if only_list else rows)
        name = workstation.locations.shown(workstation.file)
    if setting.as_json:
        from zesty_anchor.show import document

        setting.print_json(document.upgraded(outcome, rows))
    elif moving and not only_list and not (setting.quiet and outcome.well):
        changes.outcome(setting.out, outcome, name)
    if not outcome.well:
        raise click.exceptions.Exit(1)
