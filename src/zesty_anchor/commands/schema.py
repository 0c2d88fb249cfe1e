"""``zesty-anchor schema``."""

from __future__ import annotations

import click

from zesty_anchor.manifest.model import json_schema
from zesty_anchor.show.document import encode


@click.command()
def command() -> None:
    """Print the JSON Schema of workstation.toml, for an editor that completes and checks it."""
    click.echo(encode(json_schema()))
