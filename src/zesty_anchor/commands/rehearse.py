"""``zesty-anchor rehearse``."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.commands.report import check_file
from zesty_anchor.files.replace import replace
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.rehearse import Open, Page, rehearse, rehearse_in_root
from zesty_anchor.planning.rehearsed import Rehearsed
from zesty_anchor.planning.reported import Report
from zesty_anchor.planning.workstation import Workstation, open_workstation, with_manifest_here
from zesty_anchor.shells.environment import MANIFEST_NAME
from zesty_anchor.shells.rooted import Root
from zesty_anchor.show import rehearsal
from zesty_anchor.system.locations import locate
from zesty_anchor.system.privilege import caller, step_down

FAILED = 1


def _opener(bare: Workstation, manifest: Path | None) -> Open:
    def opened() -> Workstation:
        anew = open_workstation(bare.environ, bare.folder, bare.program, offline=bare.offline)
        return with_manifest_here(anew, manifest)

    return opened


def _in_root(setting: Setting, folder: Path, page: Page | None) -> Rehearsed:
    import pwd

    @contextmanager
    def begin() -> Iterator[tuple[Open, Person]]:
        with setting.bare() as (bare, person):
            yield _opener(bare, setting.manifest), person

    called = caller(os.environ)
    user = called or pwd.getpwuid(os.geteuid())
    home = Path(called.pw_dir) if called else locate(os.environ).home
    files = [
        file
        for file in (Path.cwd() / MANIFEST_NAME, setting.manifest, setting.trusted)
        if file and file.is_file()
    ]
    # A root has folders of the same name as some of ours (/tmp): there the file alone is shown.
    named = (Path.cwd(), *(file.parent for file in files), *files)
    seen = tuple(each for each in dict.fromkeys(named) if not each.is_relative_to(home))
    found = rehearse_in_root(Root(folder, user, home, seen), begin, page)
    step_down(os.environ)
    return found


@click.command(cls=WithExamples)
@click.option(
    "--report",
    "file",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Also write an HTML report to FILE.",
)
@click.option(
    "--root",
    type=click.Path(path_type=Path, exists=True, file_okay=False, resolve_path=True),
    metavar="FOLDER",
    help=(
        "Use a copy of this root folder (one made by debootstrap, or /) and really install packages. Needs"
        " root."
    ),
)
@with_setting(jobs=True, yes=True, trust=True)
def command(setting: Setting, file: Path | None, root: Path | None) -> None:
    """Do the whole run in a copy of your home, to see what would happen.

    Everything is fetched, built, unpacked, written and verified in the copy, then undone and compared. Your
    home stays as it is. What needs privilege is shown and not done, unless --root names the root of a system
    to copy.
    """
    if file is not None:
        check_file(file)

    def page(found: Report, home: Path) -> str:
        from zesty_anchor.show.report import page

        return page(found, home)

    made = page if file is not None else None
    if root is not None:
        found = _in_root(setting, root, made)
    else:
        with setting.bare() as (bare, person):
            found = rehearse(_opener(bare, setting.manifest), person, made)
    if file is not None:
        replace(file, found.page.encode("utf-8", "replace"), 0o644)
    if setting.as_json:
        from zesty_anchor.show import document

        setting.print_json(document.rehearsed(found))
    else:
        rehearsal.rehearsed(setting.out, found)
    if not found.well:
        raise click.exceptions.Exit(FAILED)
