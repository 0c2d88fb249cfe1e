"""``zesty-anchor schema``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.manifest.schema import json_schema
from zesty_anchor.show.document import encode


@click.command(cls=WithExamples, context_settings={"ignore_unknown_options": True})
@click.argument("use", nargs=-1)
def command(use: tuple[str, ...]) -> None:
    """Print the JSON Schema of workstation.toml, for an editor that completes and checks it. With USE, that
    of what a command prints with --json: "schema verify", "schema list --newer".
    """
    if not use:
        click.echo(encode(json_schema()))
        return
    from zesty_anchor.show.shapes import DOCUMENTS, schema_of

    words = " ".join(use)
    name = next((known for known in DOCUMENTS if words in (known, known.split()[0])), None)
    if name is None:
        raise click.UsageError(f"no document is known for {words!r}; there are: {'; '.join(DOCUMENTS)}")
    click.echo(encode(schema_of(name)))
