"""``zesty-anchor verify``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor import api
from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.show import proof


@click.command(cls=WithExamples)
@click.option(
    "--deep", is_flag=True, help="Read every installed file, even if its size and time are unchanged."
)
@click.option(
    "--only", multiple=True, metavar="NAME", help="Only checks whose name contains NAME; may be repeated."
)
@click.option(
    "--shell",
    "shells",
    multiple=True,
    type=click.Choice(list(SHELLS)),
    help="Only this shell; may be repeated.",
)
@click.option(
    "--junit",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Also write a JUnit XML report to FILE.",
)
@with_setting(jobs=True, yes=True, trust=True, verbose="Show every check in every shell.")
def command(
    setting: Setting, deep: bool, only: tuple[str, ...], shells: tuple[str, ...], junit: Path | None
) -> None:
    """Compare what is installed with the manifest, then open new shells of every kind with a clean
    environment and check what the manifest promises.

    Exit status: 0 all passed; 3 the manifest asks for more than was provisioned; 4 a check failed; 6
    something was changed since installation.
    """
    with setting.opened() as (workstation, person):
        home = str(workstation.locations.home)
        verified = api.verify(workstation, person, only=only, shells=shells, deep=deep)
    if junit is not None:
        from zesty_anchor.show.junit import write_junit

        write_junit(junit, verified)
    if setting.as_json:
        setting.print_json(verified)
    elif not (setting.quiet and verified.ok):
        proof.verified(setting.out, verified, home, whole=setting.verbose)
    if not verified.ok:
        raise click.exceptions.Exit(verified.exit)
