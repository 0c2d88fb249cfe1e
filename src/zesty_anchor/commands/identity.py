"""``zesty-anchor identity``."""

from __future__ import annotations

import click

from zesty_anchor.commands.options import Setting, with_setting


@click.command()
@with_setting()
def command(setting: Setting) -> None:
    """Print the public half of your key, to copy it to a host."""
    with setting.workstation() as workstation:
        public = workstation.public_key()
    if setting.as_json:
        setting.print_json({"public_key": public})
    else:
        setting.out.write(public)
