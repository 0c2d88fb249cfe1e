"""``zesty-anchor explain``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.explain import explain, needs_no_manifest
from zesty_anchor.show.columns import fetch_columns
from zesty_anchor.show.paragraph import paragraph


@click.command(cls=WithExamples)
@click.argument("name")
@with_setting()
def command(setting: Setting, name: str) -> None:
    """Explain NAME in a few sentences: what it is here, why, and which file and line decide it.

    NAME is a command or a runtime, '$VARIABLE', a file, an entry of PATH, a key of the manifest
    (runtimes.kelp.want), the name of a check, or an exit status.
    """
    with setting.either(also_wrong=needs_no_manifest(name)) as (workstation, _):
        explained = explain(workstation, name, fetch_columns)
    if setting.as_json:
        setting.print_json(explained)
        return
    for text in explained.paragraphs:
        paragraph(setting.out, text)
    if explained.next and not setting.quiet:
        setting.out.write()
        setting.out.write(f"More: {setting.out.name(explained.next)}")
