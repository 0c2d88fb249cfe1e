"""``zesty-anchor verify``."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from zesty_anchor import api
from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.proof.verified import Verified
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.show import changes, proof


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
@click.option("--online", is_flag=True, help="Also have each runtime's package tool fetch a package.")
@click.option("--fix", is_flag=True, help="Offer each fix with its diff, and apply those that you take.")
@with_setting(jobs=True, yes=True, trust=True, verbose="Show every check in every shell.")
def command(
    setting: Setting,
    deep: bool,
    only: tuple[str, ...],
    shells: tuple[str, ...],
    junit: Path | None,
    online: bool,
    fix: bool,
) -> None:
    """Compare what is installed with the manifest, then open new shells of every kind with a clean
    environment and check what the manifest promises; in a folder that pins versions also those, and at the
    root of a git repository those of all folders below.

    Exit status: 0 all passed; 3 the manifest asks for more than was provisioned; 4 a check failed; 6
    something was changed since installation.
    """
    name, home = "", ""

    def show(seen: Verified) -> None:
        if not setting.as_json and (seen.fixes or not seen.ok):
            proof.verified(setting.err, seen, home, whole=setting.verbose)

    asked: dict[str, Any] = {"only": only, "shells": shells, "deep": deep, "online": online}
    outcome = None
    with setting.opened() as (workstation, person):
        home, name = str(workstation.locations.home), workstation.locations.shown(workstation.file)
        if fix:
            seen, outcome = api.repair(workstation, person, **asked, show=show)
        else:
            seen = api.verify(workstation, person, **asked)
    if outcome is not None and not setting.as_json:
        changes.outcome(setting.err, outcome, name)
    if junit is not None:
        from zesty_anchor.show.junit import write_junit

        write_junit(junit, seen)
    if setting.as_json:
        setting.print_json(seen)
    elif not (setting.quiet and seen.ok):
        proof.verified(setting.out, seen, home, whole=setting.verbose)
    if not seen.ok:
        raise click.exceptions.Exit(seen.exit)
