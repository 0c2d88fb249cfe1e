"""``zesty-anchor preview``."""

from __future__ import annotations

import hashlib
import sys

import click

from zesty_anchor import api
from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.show import document
from zesty_anchor.show import preview as shown
from zesty_anchor.system.visible import visible

PENDING = 3


@click.command(cls=WithExamples)
@click.option("--check", is_flag=True, help="Exit with 3 if changes are pending.")
@click.option(
    "--script", "manager", metavar="NAME", help="Print the installer script of manager NAME, to review it."
)
@click.option(
    "--as",
    "there",
    metavar="MACHINE",
    help="Preview another, empty machine: linux-aarch64, host:quay-3, user:root, system:debian==13, container"
    " (with commas between).",
)
@with_setting(verbose="Show every line of every file.")
def command(setting: Setting, check: bool, manager: str | None, there: str | None) -> None:
    """Show what provision would change, down to the lines of each startup file. Changes nothing."""
    if manager is not None:
        _script(setting, manager)
        return
    with setting.opened(there) as (workstation, person):
        seen = api.preview(workstation, person)
        name, home = workstation.locations.shown(workstation.file), str(workstation.locations.home)
    if setting.as_json:
        setting.print_json(document.preview(seen))
    elif not (setting.quiet and not seen.changes):
        shown.preview(setting.out, seen, name, home, whole=setting.verbose, there=there or "")
    if check and seen.changes:
        raise click.exceptions.Exit(PENDING)


def _script(setting: Setting, manager: str) -> None:
    """The script itself goes to stdout; what to do after reading it goes beside."""
    from zesty_anchor.operations.preview import script

    with setting.opened() as (workstation, _):
        version, text = script(workstation, manager)
    digest = hashlib.sha256(text).hexdigest()
    if sys.stdout.isatty():
        text = visible(text.decode("utf-8", "surrogateescape")).encode()
    sys.stdout.buffer.write(text)
    sys.stdout.flush()
    if not setting.quiet:
        setting.err.write(
            f"the installer of {manager} {version}. Once you have read it, and would run it, write:"
        )
        setting.err.write(f'  [managers.{manager}] reviewed = "sha256:{digest}"')
