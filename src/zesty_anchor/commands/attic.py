"""``zesty-anchor attic``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.attic import empty_attic, kept
from zesty_anchor.show import attic


@click.command(cls=WithExamples)
@click.argument("deed", type=click.Choice(["empty"]), required=False)
@click.argument("entries", nargs=-1)
@with_setting(manifest=False, yes=True)
def command(setting: Setting, deed: str | None, entries: tuple[str, ...]) -> None:
    """Show what was removed and is still kept: its size, and since when.

    "attic empty" deletes it, after a question; with ENTRIES only those: each is the path of what was removed,
    or of where it is kept. What is deleted cannot be restored by "zesty-anchor undo".
    """
    with setting.bare() as (workstation, person):
        things = empty_attic(workstation, person, entries) if deed else kept(workstation)
        shown = workstation.locations.shown
    if setting.as_json:
        setting.print_json({"deleted" if deed else "kept": things})
    elif deed:
        attic.deleted(setting.out, things, shown)
    else:
        attic.kept(setting.out, things, shown)
