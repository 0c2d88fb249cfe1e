"""``zesty-anchor status``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.status import status
from zesty_anchor.show import status as shown


@click.command(cls=WithExamples)
@with_setting(manifest=False)
def command(setting: Setting) -> None:
    """Show quickly what is installed, what has changed since, and what is pending.

    Reads the disk only: starts no shell and asks no feed. Newer versions are those that "zesty-anchor list
    --newer" or "upgrade" found last. "zesty-anchor verify" checks everything.

    Exit status: 0 nothing has changed; 3 changes are pending; 4 a check failed last time; 6 something was
    changed since installation.
    """
    seen = status(setting.home(), Path.cwd())
    if setting.as_json:
        setting.print_json(seen)
    else:
        shown.status(setting.out, seen, quiet=setting.quiet)
    if seen.exit:
        raise click.exceptions.Exit(seen.exit)
