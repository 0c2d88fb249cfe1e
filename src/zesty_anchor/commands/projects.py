"""``zesty-anchor projects``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.projects import projects
from zesty_anchor.show import projects as shown


@click.command(cls=WithExamples)
@click.option("--newer", is_flag=True, help="Ask the feeds what is newer within each pin.")
@with_setting()
def command(setting: Setting, newer: bool) -> None:
    """Show the folders that pin versions: which file and line, and the installed version that it means.

    A folder is remembered when a shell enters it, or "with" or "export" runs there: its path and the time,
    nothing else. "[projects] remember = false" in the manifest keeps none.
    """
    with setting.opened() as (workstation, person):
        found = projects(workstation, person, newer=newer)
        remembers = workstation.manifest.projects.remember
    if setting.as_json:
        setting.print_json({"projects": found})
    else:
        shown.projects(setting.out, found, remembers=remembers)
