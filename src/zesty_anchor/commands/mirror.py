"""``zesty-anchor mirror``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations import mirror
from zesty_anchor.show import mirror as shown
from zesty_anchor.show.sizes import amount


@click.command(cls=WithExamples)
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@click.argument("locks", nargs=-1, type=click.Path(path_type=Path))
@click.option("--platform", "platforms", multiple=True, metavar="PLATFORM", help="Only what PLATFORM needs.")
@click.option("--check", "only_check", is_flag=True, help="Compare each file with its digest.")
@click.option("--prune", "pruning", is_flag=True, help="Delete what none of the locks names.")
@click.option(
    "--key",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    metavar="FILE",
    help="Sign the lists with the secret OpenPGP key in FILE; with it, packages of the system come along.",
)
@with_setting(jobs=True, yes=True)
def command(
    setting: Setting,
    folder: Path,
    locks: tuple[Path, ...],
    platforms: tuple[str, ...],
    only_check: bool,
    pruning: bool,
    key: Path | None,
) -> None:
    """Collect all that LOCKS name (without them: the lock of the manifest) in FOLDER, which any web server
    serves as it is. Another machine uses it by [mirror] in its manifest.

    What is there already is not fetched again, and what was broken off goes on. The program itself comes
    along, for pip.
    """
    if only_check:
        number, wrong = mirror.check(folder)
        if setting.as_json:
            setting.print_json({"files": number, "wrong": wrong})
        else:
            shown.checked(setting.out, str(folder), number, wrong)
        raise click.exceptions.Exit(1 if wrong else 0)
    with setting.either() if locks else setting.opened() as (workstation, person):
        entries = mirror.locked(workstation, locks)
        if pruning:
            gone = mirror.prune(workstation, person, folder, entries, amount, key)
        else:
            made = mirror.make(workstation, person, folder, entries, platforms, key)
    if pruning:
        if setting.as_json:
            setting.print_json({"deleted": gone})
        else:
            shown.pruned(setting.out, gone)
        return
    if setting.as_json:
        setting.print_json(made)
    else:
        shown.made(setting.out, made, setting.quiet)
    if made.failed:
        raise click.exceptions.Exit(1)
