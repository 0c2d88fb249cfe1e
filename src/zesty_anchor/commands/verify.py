"""``zesty-anchor verify``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.verify import verify
from zesty_anchor.proof.prove import Asking
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.show import proof


@click.command()
@click.option("--deep", is_flag=True, help="Read every file of every version, whatever its size and time say.")
@click.option("--only", multiple=True, metavar="NAME", help="Only the checks whose name holds this; may be repeated.")
@click.option(
    "--shell", "shells", multiple=True, type=click.Choice(list(SHELLS)), help="Only this shell; may be repeated."
)
@click.option(
    "--junit", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Also write JUnit's XML."
)
@with_setting(jobs=True, yes=True, trust=True, verbose="Show the whole matrix; the traceback of an error.")
def command(setting: Setting, deep: bool, only: tuple[str, ...], shells: tuple[str, ...], junit: Path | None) -> None:
    """Compare what stands with what was put there, then ask fresh shells of every kind, with a clean environment, for what the
    manifest promises.

    Exit status: 0 all well; 3 the manifest asks for more than was provisioned; 4 a shell does not answer as it should; 6 somebody
    changed what was written.
    """
    with setting.opened() as (workstation, person):
        home = str(workstation.locations.home)
        verified = verify(workstation, person, Asking(only, shells), deep=deep)
    if junit is not None:
        from zesty_anchor.show.junit import write_junit

        write_junit(junit, verified)
    if setting.as_json:
        setting.print_json(verified)
    elif not (setting.quiet and verified.ok):
        proof.verified(setting.out, verified, home, whole=setting.verbose)
    if not verified.ok:
        raise click.exceptions.Exit(verified.exit)
