"""``zesty-anchor survey``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.show.findings import findings
from zesty_anchor.system.problem import UsageProblem


@click.command()
@with_setting()
def command(setting: Setting) -> None:
    """What is here: shells, startup files, and who answers to the manifest's commands. Changes nothing.

    Without a manifest it tells of the machine alone.
    """
    with setting.workstation(load=False) as workstation:
        try:
            workstation.load(setting.manifest, Path.cwd())
        except UsageProblem as problem:
            if setting.manifest is not None or not problem.what.startswith("no workstation.toml"):
                raise
        found = workstation.look()
    if setting.as_json:
        setting.print_json(found)
    else:
        findings(setting.out, found)
