"""``zesty-anchor remove``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.remove import remove
from zesty_anchor.show import document


@click.command(cls=WithExamples)
@click.argument("runtime")
@click.argument("version")
@with_setting(yes=True)
def command(setting: Setting, runtime: str, version: str) -> None:
    """Uninstall one version. It goes to the attic, and "zesty-anchor undo" restores it.

    Refused while the manifest asks for it, or another version runs on it. Asks first where a project pins it,
    or you installed packages into it.
    """
    with setting.opened() as (workstation, person):
        removed = remove(workstation, person, runtime, version)
    if setting.as_json:
        setting.print_json(document.taken_back(removed))
