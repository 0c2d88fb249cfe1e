"""``zesty-anchor report``."""

from __future__ import annotations

import os
from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.files.replace import replace
from zesty_anchor.operations.report import report
from zesty_anchor.show.sizes import count
from zesty_anchor.system.host import user_name
from zesty_anchor.system.problem import UsageProblem

_BEGINNING = 4096


@click.command(cls=WithExamples)
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False), required=False)
@click.option(
    "--anew", is_flag=True, help="Check new shells even if nothing has changed since the last time."
)
@click.option("--markdown", is_flag=True, help="Print Markdown for a ticket (or write it to FILE).")
@click.option("--names", is_flag=True, help="With --markdown: keep the names of user and host.")
@with_setting(jobs=True, yes=True, trust=True)
def command(setting: Setting, file: Path | None, anew: bool, markdown: bool, names: bool) -> None:
    """Write one HTML page with everything: what was asked for, what is installed, the checks, PATH, the last
    runs, and what to do next.

    The last verification counts as long as nothing relevant has changed; else new shells are checked. FILE
    (report.html, if none is named) needs nothing else to be read, today or in a year. With --json the same
    facts are printed, and no FILE is written unless it is named. With --markdown the report is text for a
    ticket, without the names of user and host.
    """
    if file is None and not setting.as_json and not markdown:
        file = Path("report.html")
    if file is not None:
        check_file(file, markdown=markdown)
    with setting.opened() as (workstation, person):
        found = report(workstation, person, anew=anew)
        locations = workstation.locations
    if markdown:
        from zesty_anchor.show.ticket import ticket

        hidden = {} if names else {user_name(): "USER", os.uname().nodename: "HOST"}
        text = ticket(found, locations.home, hidden)
        if file is not None:
            replace(file, text.encode("utf-8", "replace"), 0o644)
            setting.out.write(f"{locations.shown(file.absolute())}: written")
        elif not setting.as_json:
            click.echo(text, nl=False)
    elif file is not None:
        from zesty_anchor.show.report import page

        replace(file, page(found, locations.home).encode("utf-8", "replace"), 0o644)
    if setting.as_json:
        setting.print_json(found)
    elif file is not None and not markdown:
        from zesty_anchor.show.report import VERDICTS

        paint = setting.out
        state = (paint.good if found.verified.ok else paint.bad)(VERDICTS[found.verified.state])
        steps = count(len(found.next), "step")
        paint.write(f"{locations.shown(file.absolute())}: {state}; {steps} to take next")


def check_file(file: Path, *, markdown: bool = False) -> None:
    """Raises ``UsageProblem`` where the file exists and is no report of that form, or its folder does not
    exist.
    """
    from zesty_anchor.show.report import GENERATOR
    from zesty_anchor.show.ticket import MARKED

    if not file.absolute().parent.is_dir():
        raise UsageProblem(
            f"there is no folder {file.absolute().parent}", advice="make it first, or name another one"
        )
    begins = MARKED if markdown else GENERATOR
    if file.exists() and begins not in file.read_bytes()[:_BEGINNING]:
        raise UsageProblem(
            f"{file} exists and is not a report",
            advice="name another file: what is not ours is not overwritten",
        )
