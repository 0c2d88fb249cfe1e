"""``zesty-anchor survey``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.survey import survey
from zesty_anchor.show.columns import fetch_columns
from zesty_anchor.show.findings import findings


@click.command(cls=WithExamples)
@with_setting(verbose="Also show startup files that do not exist.")
def command(setting: Setting) -> None:
    """Show what is on this machine: shells, startup files, and which program each command runs. Changes
    nothing.

    Without a manifest it looks for all runtimes that it knows.
    """
    with setting.either() as (workstation, person):
        found = survey(workstation, person, fetch_columns)
    if setting.as_json:
        setting.print_json(found)
    else:
        findings(setting.out, found, whole=setting.verbose)
