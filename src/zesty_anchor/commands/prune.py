"""``zesty-anchor prune``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.prune import prunable, prune
from zesty_anchor.planning.prunable import KINDS, PruneKind, days
from zesty_anchor.show import prune as shown
from zesty_anchor.show.sizes import amount


def _age(context: click.Context, parameter: click.Parameter, value: str | None) -> int:
    try:
        return days(value) if value else 0
    except ValueError as error:
        raise click.BadParameter(str(error)) from None


@click.command(cls=WithExamples)
@click.argument("kinds", nargs=-1, type=click.Choice(KINDS))
@click.option("--list", "only_list", is_flag=True, help="Only show what takes disk space.")
@click.option(
    "--keep", type=click.IntRange(0, 100), default=0, metavar="N", help="Keep the N newest versions."
)
@click.option("--older", callback=_age, metavar="AGE", help="Only what is older: 90d, 12w, 3m, 1y.")
@click.option("--all", "needed_too", is_flag=True, help="Also downloads and builds of installed versions.")
@with_setting(yes=True, verbose="Show everything, also what is needed.")
def command(
    setting: Setting,
    kinds: tuple[PruneKind, ...],
    only_list: bool,
    keep: int,
    older: int,
    needed_too: bool,
) -> None:
    """Free disk space: delete what nothing needs, of all kinds or of KINDS (versions, downloads, builds,
    attic). Shows what goes with its size, and asks.

    A version is needed by the manifest, by a pin of a remembered project, by this session or by another
    version. Entries of the attic go only with "attic" or --older, since "undo" restores them. What is deleted
    here cannot be undone; "provision" installs versions again.
    """
    with setting.either() as (workstation, person):
        asked = kinds or KINDS
        found = prunable(workstation, asked, keep=keep, older=older, needed_too=needed_too)
        if not setting.as_json:
            shown.prunable(
                setting.out if only_list else setting.err,
                found,
                whole=setting.verbose or only_list,
                advise=only_list,
            )
        if not only_list:
            found = prune(workstation, person, found, amount(found.freed))
    if setting.as_json:
        setting.print_json(found)
    elif found.deleted:
        shown.pruned(setting.out, found)
