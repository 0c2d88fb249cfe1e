"""``zesty-anchor lock``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.lock import lock
from zesty_anchor.show.sizes import count


@click.command()
@click.option(
    "--platform", "platforms", multiple=True, metavar="PLATFORM", help="For this one too, e.g. linux-aarch64."
)
@click.option("--upgrade", multiple=True, metavar="NAME", help="Resolve this runtime anew.")
@with_setting()
def command(setting: Setting, platforms: tuple[str, ...], upgrade: tuple[str, ...]) -> None:
    """Write exact versions, addresses and digests to workstation.lock, which provision then keeps to.

    What is locked stays so, until it is upgraded by name.
    """
    with setting.opened() as (workstation, _):
        file, entries = lock(workstation, platforms, upgrade)
        name = workstation.locations.shown(file)
    if setting.as_json:
        setting.print_json({"lock": str(file), "releases": entries})
        return
    for entry in entries:
        on = ", ".join(entry.files)
        setting.out.write(f"  {setting.out.name(entry.runtime)} {entry.want!r} is {entry.version}, for {on}")
    setting.out.write(f"{count(len(entries), 'want')} locked in {name}")
