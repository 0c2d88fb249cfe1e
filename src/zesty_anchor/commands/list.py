"""``zesty-anchor list``."""

from __future__ import annotations

import datetime

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, parted, with_setting
from zesty_anchor.manifest.read import NoManifest
from zesty_anchor.operations.list import licence as licence_text
from zesty_anchor.operations.list import listing as one
from zesty_anchor.operations.list import listings
from zesty_anchor.operations.list import newer as newer_ones
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.recipes import has_recipe, other_recipes, with_runtimes
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.show import listing


@click.command(cls=WithExamples)
@click.argument("runtime", required=False)
@click.argument("line", required=False, default="")
@click.option("--all", "each", is_flag=True, help="Show each version on a line of its own.")
@click.option("--newer", is_flag=True, help="Show what is newer than what is installed.")
@click.option("--licence", is_flag=True, help="Print the licence of the version that would be installed.")
@with_setting(verbose="Also show the size of each installed version, its packages, and what needs it.")
def command(setting: Setting, runtime: str | None, line: str, each: bool, newer: bool, licence: bool) -> None:
    """Show versions: without RUNTIME the installed ones, else those that are available, newest first. Without
    a manifest: the runtimes that are available.

    LINE keeps only the versions that begin with it, or are in that channel: "list kelp 4.2", "list kelp lts".
    Many versions of one line (4.2.…) are shown together.
    """
    if runtime:
        runtime, line = parted(runtime, line)[0], parted(runtime, line)[1] or ""
    if licence and not runtime:
        raise click.UsageError("--licence needs a RUNTIME")
    if newer:
        _newer(setting, runtime)
        return
    try:
        with setting.opened() as (workstation, person):
            if runtime and runtime not in workstation.manifest.tools and has_recipe(workstation, runtime):
                workstation = with_runtimes(workstation, [runtime])
            _tell(setting, workstation, person, runtime, line, each=each, licence=licence)
    except NoManifest:
        # Nearly every start has a manifest.
        from zesty_anchor.operations.recipes import available

        with setting.bare() as (bare, person):
            if runtime:
                workstation = with_runtimes(bare, [runtime])
                _tell(setting, workstation, person, runtime, line, each=each, licence=licence)
            elif setting.as_json:
                setting.print_json({"recipes": available(bare)})
            else:
                listing.recipes(setting.out, available(bare))


def _newer(setting: Setting, runtime: str | None) -> None:
    with setting.opened() as (workstation, person):
        if runtime:
            workstation.check_runtime(runtime)
        found = [each for each in newer_ones(workstation, person) if runtime in (None, each.runtime)]
    if setting.as_json:
        setting.print_json({"newer": found})
    else:
        listing.newer(setting.out, found, _today())
        listing.newer_next(setting.out, found)


def _today() -> str:
    return datetime.date.today().isoformat()


def _tell(
    setting: Setting,
    workstation: Workstation,
    person: Person,
    runtime: str | None,
    line: str,
    *,
    each: bool,
    licence: bool,
) -> None:
    if licence and runtime:
        setting.out.write(licence_text(workstation, runtime))
        return
    found = (
        [one(workstation, person, runtime, detailed=setting.verbose)]
        if runtime
        else listings(workstation, detailed=setting.verbose)
    )
    if setting.as_json:
        setting.print_json(found[0] if runtime else {"runtimes": found})
    elif runtime:
        listing.runtime(setting.out, found[0], line, _today(), each=each)
    else:
        listing.runtimes(setting.out, list(found), other_recipes(workstation), _today())
