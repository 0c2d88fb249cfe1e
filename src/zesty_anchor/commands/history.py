"""``zesty-anchor history``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.history import history, one
from zesty_anchor.show import history as shown


@click.command(cls=WithExamples)
@click.argument("run", type=int, required=False)
@with_setting(manifest=False)
def command(setting: Setting, run: int | None) -> None:
    """Show what each run did, when, and how long it took; with RUN, each of its changes.

    "zesty-anchor undo --run RUN" undoes one.
    """
    with setting.bare() as (workstation, _):
        found = history(workstation) if run is None else [one(workstation, run)]
    if setting.as_json:
        setting.print_json({"runs": found} if run is None else found[0])
    elif run is None:
        shown.runs(setting.out, found, workstation.locations.shown)
    else:
        shown.run(setting.out, found[0], workstation.locations.shown)
