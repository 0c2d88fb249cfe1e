"""``zesty-anchor across``."""

from __future__ import annotations

import re
import sys
from collections.abc import Sequence
from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.commands.report import check_file
from zesty_anchor.files.replace import replace
from zesty_anchor.operations.across import COMMANDS, AcrossOptions, across, hosts_of, read_groups
from zesty_anchor.show import across as shown
from zesty_anchor.system.problem import UsageProblem

_FILE = click.Path(path_type=Path, dir_okay=False)
_THERE = click.Path(path_type=Path, dir_okay=False, exists=True)


class _Pages:
    """The pages that the machines make for ``report``, in one folder. Raises ``UsageProblem`` where none is
    named, or it holds other files of those names.
    """

    def __init__(self, arguments: Sequence[str], hosts: Sequence[str]) -> None:
        if not arguments or arguments[0].startswith("-"):
            raise UsageProblem(
                "report needs a folder for the pages",
                advice="name it: zesty-anchor across HOSTS report FOLDER",
            )
        self.folder = Path(arguments[0]).absolute()
        self.names: dict[str, str] = {}
        self._files = {host: f"{re.sub(r'[^A-Za-z0-9._-]', '_', host)}.html" for host in hosts}
        self.folder.mkdir(parents=True, exist_ok=True)
        for name in ("index.html", *self._files.values()):
            check_file(self.folder / name)

    def keep(self, host: str, page: bytes) -> None:
        """Write the page of a machine."""
        replace(self.folder / self._files[host], page, 0o644)
        self.names[host] = self._files[host]


def _share_of(context: click.Context, parameter: click.Parameter, value: str | None) -> int | None:
    if value is None:
        return None
    number = value.removesuffix("%")
    if not number.isdigit() or int(number) > 100:
        raise click.BadParameter(f"{value!r} is not a share: write it as 10%")
    return int(number)


@click.command(cls=WithExamples, context_settings={"ignore_unknown_options": True})
@click.argument("hosts")
@click.argument("command", type=click.Choice(COMMANDS), metavar="COMMAND")
@click.argument("arguments", nargs=-1, type=click.UNPROCESSED)
@click.option("--hosts", "hosts_file", type=_FILE, metavar="FILE", help="Groups of hosts, or a list of them.")
@click.option(
    "--at-once", type=click.IntRange(1, 64), default=16, metavar="N", help="Hosts at a time (default 16)."
)
@click.option(
    "--first",
    type=click.IntRange(0, 1000),
    default=0,
    metavar="N",
    help="Begin with N hosts; go on if all is well there.",
)
@click.option("--stop", callback=_share_of, metavar="SHARE", help="Stop if more than SHARE (10%) fail.")
@click.option("--share", is_flag=True, help="Send the downloads that this machine has.")
@click.option("--send", "program", type=_THERE, metavar="FILE", help="Send this program in one file.")
@click.option("--ssh-config", type=_FILE, metavar="FILE", help="A configuration file for ssh.")
@click.option("--junit", type=_FILE, metavar="FILE", help="Also write a JUnit report to FILE.")
@click.option("--report", type=_FILE, metavar="FILE", help="Also write an HTML report to FILE.")
@with_setting(yes=True, trust=True, verbose="Show each host by itself.")
def command(
    setting: Setting,
    hosts: str,
    command: str,
    arguments: tuple[str, ...],
    hosts_file: Path | None,
    at_once: int,
    first: int,
    stop: int | None,
    share: bool,
    program: Path | None,
    ssh_config: Path | None,
    junit: Path | None,
    report: Path | None,
) -> None:
    """Run COMMAND (preview, provision, verify, upgrade, undo, status) on HOSTS over OpenSSH: names and groups
    with commas between, patterns over the groups, or - for a list on standard input. "diff" shows which hosts
    differ from the lock; "report FOLDER" writes the page of each host, and one that leads to them.

    The program, the manifest, its lock and keys are brought along. Each host works by itself: if the
    connection is cut, it goes on there, and the same command finds it.
    """
    groups = read_groups(hosts_file) if hosts_file is not None else {}
    listed = sys.stdin.read() if "-" in hosts.split(",") else ""
    names = hosts_of(hosts, groups, listed)
    choice = AcrossOptions(at_once, first, stop, share, ssh_config, program, groups)
    pages = _Pages(arguments, names) if command == "report" else None
    setting.hosts = True
    with (
        setting.either() if command in ("status", "undo", "diff") else setting.opened() as (
            workstation,
            person,
        )
    ):
        keep = pages.keep if pages else lambda host, page: None
        done = across(
            workstation, person, names, command, arguments[1:] if pages else arguments, choice, keep
        )
    if junit is not None:
        shown.write_junit(junit, done)
    if report is not None:
        shown.write_report(report, done)
    if pages is not None:
        shown.write_report(pages.folder / "index.html", done, pages.names)
    if setting.as_json:
        setting.print_json(done)
    else:
        again = [
            *(["--ssh-config", str(ssh_config)] if ssh_config else []),
            *(["--send", str(program)] if program else []),
            *(["--share"] if share else []),
            *(["--yes"] if setting.yes else []),
        ]
        shown.spread(setting.out, done, whole=setting.verbose, options=again, words=arguments)
    if not done.ok:
        raise click.exceptions.Exit(1)
