"""``zesty-anchor docs``."""

from __future__ import annotations

import sys

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.planning.pages import page, pages
from zesty_anchor.show.columns import columns
from zesty_anchor.show.pages import rendered


@click.command(cls=WithExamples)
@click.argument("name", required=False)
@with_setting(manifest=False)
def command(setting: Setting, name: str | None) -> None:
    """Show a page of the documentation, or without NAME the names of all pages."""
    if name is None:
        listed = pages()
        if setting.as_json:
            setting.print_json({"pages": listed})
            return
        columns(setting.out, [[setting.out.name(each.name), each.title] for each in listed], [12])
        setting.out.write(f"To read one: {setting.out.name('zesty-anchor docs manifest')}")
        return
    text = page(name)
    if setting.as_json:
        setting.print_json({"name": name, "text": text})
    elif sys.stdout.isatty():
        click.echo_via_pager(rendered(text, setting.out))
    else:
        click.echo(text, nl=False)
