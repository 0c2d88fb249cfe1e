"""``zesty-anchor list``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.show import listing


@click.command()
@click.argument("runtime", required=False)
@click.argument("line", required=False, default="")
@with_setting()
def command(setting: Setting, runtime: str | None, line: str) -> None:
    """Versions: with no RUNTIME those installed, else those that can be had, newest first.

    LINE keeps only the versions that begin with it: "list kelp 4.2".
    """
    with setting.workstation() as workstation:
        found = [workstation.listing(runtime)] if runtime else workstation.listings()
    if setting.as_json:
        setting.print_json(found[0] if runtime else {"runtimes": found})
    elif runtime:
        listing.runtime(setting.out, found[0], line)
    else:
        listing.runtimes(setting.out, list(found))
