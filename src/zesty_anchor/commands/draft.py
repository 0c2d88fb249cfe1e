"""``zesty-anchor draft``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.operations.survey import draft


@click.command(cls=WithExamples)
@click.argument("words", metavar="[RUNTIME|ADDRESS]... [FILE]", nargs=-1)
@with_setting(manifest=False)
def command(setting: Setting, words: tuple[str, ...]) -> None:
    """Write a starter manifest to FILE (workstation.toml): for each RUNTIME that is named, else from what is
    on this machine (shells, runtimes, variables, PATH).

    With the ADDRESS of a tool's archive or program on the web, it is downloaded and inspected, and the
    manifest gets a feed for it.

    FILE has a slash or ends in .toml; "-" prints the manifest. An existing file is never changed.
    """
    addresses = [word for word in words if word.startswith(("http://", "https://"))]
    others = [word for word in words if word not in addresses]
    files = [word for word in others if word == "-" or "/" in word or word.endswith(".toml")]
    names = [word for word in others if word not in files]
    if len(addresses) > 1 or (addresses and names):
        raise click.UsageError(f"give one address, and no runtimes with it: {addresses[0]}")
    if len(files) > 1:
        raise click.UsageError(f"name one file only: {files[0]} or {files[1]}")
    file = Path(files[0] if files else FILE_NAME)
    with setting.bare() as (workstation, person):
        printed = str(file) == "-"
        text = draft(workstation, person, None if printed else file.absolute(), [*addresses, *names])
    if printed:
        click.echo(text, nl=False)
        return
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_text(text, "utf-8")
    if setting.as_json:
        setting.print_json({"file": str(file.absolute())})
    else:
        setting.out.write(f"{setting.out.name(str(file))} is written. Read it, then: zesty-anchor preview")
