"""``zesty-anchor survey``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.survey import survey
from zesty_anchor.show.columns import fetch_columns
from zesty_anchor.show.findings import findings


@click.command()
@with_setting(verbose="Name also the startup files that are not there.")
def command(setting: Setting) -> None:
    """What is here: shells, startup files, and who answers to the manifest's commands. Changes nothing.

    Without a manifest it tells of the machine alone.
    """
    with setting.either() as (workstation, person):
        found = survey(workstation, person, fetch_columns)
    if setting.as_json:
        setting.print_json(found)
    else:
        findings(setting.out, found, whole=setting.verbose)
