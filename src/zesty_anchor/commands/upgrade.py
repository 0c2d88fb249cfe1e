"""``zesty-anchor upgrade``."""

from __future__ import annotations

import datetime

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.operations.bases import changed_bases
from zesty_anchor.operations.upgrade import affected, beyond, pinned_newer, upgradable, upgrade
from zesty_anchor.show import changes, listing
from zesty_anchor.show import upgrade as shown


@click.command(cls=WithExamples)
@click.argument("runtimes", nargs=-1)
@click.option("--list", "only_list", is_flag=True, help="Only show what is newer.")
@click.option("--beyond", "further", is_flag=True, help="Also show what another want would give.")
@click.option("--projects", "of_projects", is_flag=True, help="Also what pins of remembered folders admit.")
@with_setting(jobs=True, yes=True, trust=True, password=True)
def command(
    setting: Setting, runtimes: tuple[str, ...], only_list: bool, further: bool, of_projects: bool
) -> None:
    """Move RUNTIMES (all, if none is named) to the newest versions that your wants allow, as one run.

    Shows old and new version first, and asks. If a check of one of them fails afterwards, everything is
    undone. Versions that are installed already stay; "zesty-anchor undo" goes back.
    """
    with setting.opened() as (workstation, person):
        rows = upgradable(workstation, person, runtimes)
        pinned = pinned_newer(workstation, person, runtimes) if of_projects else []
        moving = bool(pinned) or any(row.newer for row in rows)
        texts = changed_bases(workstation)
        used, others = affected(workstation, rows), beyond(workstation, rows) if further else []
        if not setting.as_json:
            paint = setting.out if only_list or not moving else setting.err
            listing.newer(paint, rows, datetime.date.today().isoformat())
            shown.bases(paint, texts)
            shown.affected(paint, used)
            shown.beyond(paint, others)
            shown.pinned(paint, pinned)
            if only_list or not moving:
                admitted = [pin.runtime for each in pinned for pin in each.pins]
                listing.newer_next(paint, rows, further=further, pinned=admitted)
        outcome = Outcome(()) if only_list else upgrade(workstation, person, rows, pinned)
        name = workstation.locations.shown(workstation.file)
    if setting.as_json:
        from zesty_anchor.show import document

        setting.print_json(document.upgraded(outcome, rows, used, others, pinned))
    elif moving and not only_list and not (setting.quiet and outcome.well):
        changes.outcome(setting.out, outcome, name)
    if not outcome.well:
        raise click.exceptions.Exit(1)
