"""``zesty-anchor lock``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.bases import pin_bases
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
@click.option("--base", "bases", is_flag=True, help="Only pin signed bases to their newest text.")
@with_setting(yes=True)
def command(
    setting: Setting, platforms: tuple[str, ...], upgrade: tuple[str, ...], digest: bool, bases: bool
) -> None:
    """Write exact versions, addresses and digests to workstation.lock. From then on provision installs
    exactly these.

    What is installed is locked as it is; a locked version stays until it is upgraded by name. --base shows
    what the newest text changes, and asks.
    """
    if bases:
        _pin_bases(setting)
        return
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


def _pin_bases(setting: Setting) -> None:
    from zesty_anchor.planning.workstation import manifest_here

    with setting.bare() as (bare, person):
        found = pin_bases(bare, person, manifest_here(bare, setting.manifest))
        name = bare.locations.shown(found.lock)
    if setting.as_json:
        setting.print_json(found)
    elif not found.changed:
        setting.out.write(f"Nothing to do: {name} has the newest text of {', '.join(found.bases)}.")
    else:
        for each in found.changed:
            setting.out.write(f"  {setting.out.name(each)} is {found.bases[each]}")
        setting.out.write(f"{count(len(found.changed), 'base')} pinned in {name}")
        setting.out.write("To use it: zesty-anchor provision")
