"""``zesty-anchor draft``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.operations.survey import draft


@click.command()
@click.argument("file", type=click.Path(path_type=Path, allow_dash=True), required=False, default=FILE_NAME)
@with_setting(manifest=False)
def command(setting: Setting, file: Path) -> None:
    """Write a starter manifest to FILE (workstation.toml) from what is here: shells, runtimes, variables, PATH.

    "-" prints it. A file that exists is never touched.
    """
    with setting.bare() as (workstation, person):
        printed = str(file) == "-"
        text = draft(workstation, person, None if printed else file.absolute())
    if printed:
        click.echo(text, nl=False)
        return
    file.write_text(text, "utf-8")
    if setting.as_json:
        setting.print_json({"file": str(file.absolute())})
    else:
        setting.out.write(f"{setting.out.name(str(file))} is written. Read it, then: zesty-anchor preview")
