"""``zesty-anchor survey``."""

from __future__ import annotations

from contextlib import suppress

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.manifest.read import NoManifest
from zesty_anchor.operations.survey import survey
from zesty_anchor.planning.workstation import with_manifest_here
from zesty_anchor.show.findings import findings


@click.command()
@with_setting()
def command(setting: Setting) -> None:
    """What is here: shells, startup files, and who answers to the manifest's commands. Changes nothing.

    Without a manifest it tells of the machine alone.
    """
    with setting.bare() as (workstation, person):
        with suppress(NoManifest):
            workstation = with_manifest_here(workstation, setting.manifest)
        found = survey(workstation, person)
    if setting.as_json:
        setting.print_json(found)
    else:
        findings(setting.out, found)
