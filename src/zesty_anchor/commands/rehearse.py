"""``zesty-anchor rehearse``."""

from __future__ import annotations

from pathlib import Path

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.commands.report import check_file
from zesty_anchor.files.replace import replace
from zesty_anchor.operations.rehearse import rehearse
from zesty_anchor.planning.reported import Report
from zesty_anchor.planning.workstation import Workstation, open_workstation, with_manifest_here
from zesty_anchor.show import rehearsal

FAILED = 1


@click.command()
@click.option(
    "--report", "file", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Write the report of it."
)
@with_setting(jobs=True, yes=True, trust=True)
def command(setting: Setting, file: Path | None) -> None:
    """The whole thing for real, in a copy of your home: what would happen here.

    Everything is fetched, built, unpacked, written and proved in the copy, then taken back and compared. Your home stays as it is; what needs
    privilege is told and not done.
    """
    if file is not None:
        check_file(file)

    def page(found: Report, home: Path) -> str:
        from zesty_anchor.show.report import page

        return page(found, home)

    with setting.bare() as (bare, person):

        def opened() -> Workstation:
            anew = open_workstation(bare.environ, bare.folder, bare.program, offline=bare.offline)
            return with_manifest_here(anew, setting.manifest)

        found = rehearse(opened, person, page if file is not None else None)
        name = bare.locations.shown(opened().file)
    if file is not None:
        replace(file, found.page.encode("utf-8", "replace"), 0o644)
    if setting.as_json:
        from zesty_anchor.show import document

        setting.print_json(document.rehearsed(found))
    else:
        rehearsal.rehearsed(setting.out, found, name)
    if not found.well:
        raise click.exceptions.Exit(FAILED)
