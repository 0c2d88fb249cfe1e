"""``zesty-anchor locate``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, parted, with_setting
from zesty_anchor.operations.locate import locate


@click.command(cls=WithExamples)
@click.argument("runtime")
@click.argument("version", required=False, default="")
@with_setting()
def command(setting: Setting, runtime: str, version: str) -> None:
    """Print the folder of an installed version, for an editor: the active one, or the newest that VERSION
    matches (a prefix is enough).
    """
    runtime, named = parted(runtime, version)
    with setting.opened() as (workstation, _):
        folder = locate(workstation, runtime, named or "")
    if setting.as_json:
        setting.print_json({"runtime": runtime, "version": folder.name, "folder": str(folder)})
    else:
        setting.out.write(str(folder))
