"""``zesty-anchor locate``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, parted, with_setting
from zesty_anchor.operations.locate import locate, stable_path


@click.command(cls=WithExamples)
@click.argument("runtime")
@click.argument("version", required=False, default="")
@click.option("--stable", is_flag=True, help="Print a path that follows each change of the default version.")
@with_setting()
def command(setting: Setting, runtime: str, version: str, stable: bool) -> None:
    """Print the folder of an installed version, for an editor: the active one, or the newest that VERSION
    matches (a prefix is enough).

    With --stable it is a link that leads to the default version, also after an upgrade.
    """
    runtime, named = parted(runtime, version)
    if stable and named:
        raise click.UsageError("--stable is about the default version: leave VERSION out")
    with setting.opened() as (workstation, _):
        folder = stable_path(workstation, runtime) if stable else locate(workstation, runtime, named or "")
    if setting.as_json:
        found = {"runtime": runtime, "version": folder.resolve().name, "folder": str(folder)}
        setting.print_json(found)
    else:
        setting.out.write(str(folder))
