"""``zesty-anchor with``."""

from __future__ import annotations

import os
import shutil
import sys

import click

from zesty_anchor.commands import UMASK, WithExamples
from zesty_anchor.commands.options import Setting, pairs, with_setting
from zesty_anchor.operations.with_versions import environment as chosen_environment
from zesty_anchor.system.problem import NotThere, UsageProblem


@click.command(
    cls=WithExamples, context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False}
)
@click.argument("words", nargs=-1, type=click.UNPROCESSED, metavar="[NAME=WANT ...] -- COMMAND ...")
@click.option("--install", is_flag=True, help="Install a version first if it is missing.")
@with_setting()
def command(setting: Setting, words: tuple[str, ...], install: bool) -> None:
    """Run COMMAND with chosen versions: "zesty-anchor with kelp=4.2 -- kelp bulletin.kelp".

    Other runtimes have the version that is active in this folder: "zesty-anchor with -- make" uses the
    project's pins in cron and in an editor too. Exits with COMMAND's status, or with 127 if COMMAND or a
    pinned version is not installed.
    """
    chosen, rest = pairs(words)
    if not rest:
        raise UsageProblem(
            "nothing to run", advice="write it like: zesty-anchor with kelp=4.2 -- kelp bulletin.kelp"
        )
    with setting.opened() as (workstation, person):
        environment = chosen_environment(workstation, person, chosen, install=install)
    found = shutil.which(rest[0], path=environment["PATH"])
    if found is None:
        raise NotThere(
            f"there is no command {rest[0]!r} with these versions",
            advice="zesty-anchor list shows what is installed",
        )
    sys.stdout.flush()
    sys.stderr.flush()
    for given in UMASK:
        os.umask(given)
    os.execve(found, rest, environment)
