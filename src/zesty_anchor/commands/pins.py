"""``zesty-anchor pins``: what the shells call when a project's file has changed."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.pins import answer
from zesty_anchor.planning.workstation import with_provisioned_manifest


@click.command(hidden=True)
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
@with_setting(manifest=False)
def command(setting: Setting, files: tuple[Path, ...]) -> None:
    """Resolve the pins in FILES, and write the answers where the shells read them."""
    may_install = os.environ.get("ZESTY_ANCHOR_SHELL") != "launcher" and sys.stderr.isatty()
    with setting.bare() as (workstation, person):
        provisioned = with_provisioned_manifest(workstation)
        answer(provisioned, person, [file.absolute() for file in files], may_install=may_install)
