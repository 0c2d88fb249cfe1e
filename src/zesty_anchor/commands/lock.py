"""``zesty-anchor lock``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.lock import cache_key, lock
from zesty_anchor.show.sizes import count


@click.command(cls=WithExamples)
@click.option(
    "--platform",
    "platforms",
    multiple=True,
    metavar="PLATFORM",
    help="Also lock for PLATFORM, such as linux-aarch64.",
)
@click.option("--upgrade", multiple=True, metavar="NAME", help="Re-resolve NAME to the newest match.")
@click.option("--digest", is_flag=True, help="Only print a key for the cache of a build machine.")
@with_setting()
def command(setting: Setting, platforms: tuple[str, ...], upgrade: tuple[str, ...], digest: bool) -> None:
    """Write exact versions, addresses and digests to workstation.lock. From then on provision installs
    exactly these.

    What is installed is locked as it is; a locked version stays until it is upgraded by name.
    """
    if digest:
        with setting.opened() as (workstation, _):
            key = cache_key(workstation)
        if setting.as_json:
            setting.print_json({"digest": key})
        else:
            setting.out.write(key)
        return
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
