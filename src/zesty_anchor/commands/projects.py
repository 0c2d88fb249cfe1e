"""``zesty-anchor projects``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.projects import projects, trust
from zesty_anchor.show import projects as shown


@click.command(cls=WithExamples)
@click.option("--newer", is_flag=True, help="Ask the feeds what is newer within each pin.")
@click.option(
    "--trust",
    "trusted",
    type=click.Path(path_type=Path, exists=True),
    metavar="FOLDER",
    help="Let the project in FOLDER set its variables, as they are now.",
)
@with_setting()
def command(setting: Setting, newer: bool, trusted: Path | None) -> None:
    """Show the folders that pin versions: which file and line, and the installed version that it means.

    A folder is remembered when a shell enters it, or "with" or "export" runs there: its path and the time,
    nothing else. "[projects] remember = false" in the manifest keeps none.

    A project's workstation.toml may set [variables] in its folder, once you have agreed to them with --trust;
    when they change, none is set until you agree again.
    """
    with setting.opened() as (workstation, person):
        sets = trust(workstation, trusted) if trusted is not None else None
        found = projects(workstation, person, newer=newer)
        remembers = workstation.manifest.projects.remember
    if setting.as_json:
        setting.print_json({"projects": found})
    elif sets is not None:
        names = ", ".join(each.name for each in sets.variables)
        setting.out.write(f"{workstation.locations.shown(sets.file)} may set {names} in its folder.")
    else:
        shown.projects(setting.out, found, remembers=remembers)
