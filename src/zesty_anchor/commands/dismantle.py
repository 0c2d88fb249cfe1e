"""``zesty-anchor dismantle``."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.take_back import dismantle
from zesty_anchor.show import changes, document
from zesty_anchor.system.own_program import remove_program, unpacked

FAILED = 1


@click.command(cls=WithExamples)
@click.option("--program", is_flag=True, help="Remove the program as well (where it is one file).")
@with_setting(manifest=False, yes=True, password=True, verbose="Show each file, also those of zesty-anchor.")
def command(setting: Setting, program: bool) -> None:
    """Undo every run, and remove this program's own folders: no trace is left.

    Your manifest and your recipes stay where they are: you wrote them.
    """
    if program and unpacked() is None:
        remove_program(sys.argv[0], os.environ)  # raises: pip removes what pip installed
    with setting.bare() as (workstation, person):
        shown = workstation.locations.shown
        done = dismantle(workstation, person)
    if setting.as_json:
        setting.print_json(document.dismantled(done.taken, done.removed, done.kept))
    else:
        changes.taken_back(setting.out, done.taken, whole=setting.verbose)
        setting.out.write(f"Removed: {', '.join(done.removed) or 'nothing was left to remove'}")
        if done.kept:
            setting.out.write(f"What was still in the attic is now in {done.kept}")
        if not done.taken.whole:
            setting.out.write(
                "Our folders stay: what could not be undone needs them. Fix the cause, then run it again."
            )
    if not done.taken.whole:
        raise click.exceptions.Exit(FAILED)
    if program:
        removed = remove_program(sys.argv[0], os.environ)
        if not setting.as_json:
            setting.out.write(f"Removed: {', '.join(shown(Path(each)) for each in removed)}")
        sys.stdout.flush()
        os._exit(0)  # what Python does at its end may look for what is gone
