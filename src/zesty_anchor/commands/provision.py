"""``zesty-anchor provision``."""

from __future__ import annotations

import click

from zesty_anchor import api
from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.lock import check_locked
from zesty_anchor.show import changes

FAILED = 1


@click.command(cls=WithExamples)
@click.option(
    "--deep", is_flag=True, help="Read every installed file, even if its size and time are unchanged."
)
@click.option("--locked", is_flag=True, help="Refuse what workstation.lock does not hold.")
@click.option(
    "--fetch-only", is_flag=True, help="Only download: the rest can then be done without a network."
)
@with_setting(jobs=True, yes=True, trust=True, password=True)
def command(setting: Setting, deep: bool, locked: bool, fetch_only: bool) -> None:
    """Make this machine match the manifest, and verify it in new shells.

    Running it again changes nothing. "zesty-anchor undo" undoes it.
    """
    with setting.opened() as (workstation, person):
        if locked:
            check_locked(workstation)
        if fetch_only:
            from zesty_anchor.operations.fetch import fetch

            got = fetch(workstation, person)
            outcome = got.outcome
        else:
            outcome = api.provision(workstation, person, deep=deep)
        name = workstation.locations.shown(workstation.file)
    if setting.as_json:
        from zesty_anchor.show import document

        setting.print_json(document.outcome(outcome))
    elif fetch_only:
        changes.fetched(setting.out, outcome, got.size)
    elif not (setting.quiet and outcome.well):
        changes.outcome(setting.out, outcome, name)
    if not (all(each.well for each in outcome.changes) if fetch_only else outcome.well):
        raise click.exceptions.Exit(FAILED)
