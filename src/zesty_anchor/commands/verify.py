"""``zesty-anchor verify``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.verify import verify
from zesty_anchor.show import proof

FAILED = 4


@click.command()
@with_setting(jobs=True, yes=True, trust=True)
def command(setting: Setting) -> None:
    """Open fresh shells of every kind, with a clean environment, and check what the manifest promises."""
    with setting.opened() as (workstation, person):
        proved = verify(workstation, person)
    if setting.as_json:
        setting.print_json(proved)
    elif not (setting.quiet and proved.ok):
        proof.matrix(setting.out, proved)
        proof.failures(setting.out, proved)
        proof.verdict(setting.out, proved)
    if not proved.ok:
        raise click.exceptions.Exit(FAILED)
