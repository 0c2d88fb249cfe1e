"""``zesty-anchor identity``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.identity import public_key


@click.command(cls=WithExamples)
@with_setting()
def command(setting: Setting) -> None:
    """Print the public half of your key, to copy it to a host."""
    with setting.opened() as (workstation, _):
        public = public_key(workstation)
    if setting.as_json:
        setting.print_json({"public_key": public})
    else:
        setting.out.write(public)
