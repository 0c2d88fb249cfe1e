"""``zesty-anchor with``."""

from __future__ import annotations

import os
import shutil
import sys

import click

from zesty_anchor.commands import UMASK, WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.with_versions import environment as chosen_environment
from zesty_anchor.system.problem import Problem, UsageProblem


@click.command(
    cls=WithExamples, context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False}
)
@click.argument("words", nargs=-1, type=click.UNPROCESSED, metavar="NAME=WANT ... -- COMMAND ...")
@click.option("--install", is_flag=True, help="Install a version first if it is missing.")
@with_setting()
def command(setting: Setting, words: tuple[str, ...], install: bool) -> None:
    """Run COMMAND with chosen versions: "zesty-anchor with kelp=4.2 -- kelp bulletin.kelp".

    Other runtimes stay as they are active here. Exits with COMMAND's status.
    """
    chosen: list[tuple[str, str]] = []
    rest = list(words)
    while rest and rest[0] != "--" and "=" in rest[0]:
        name, _, want = rest.pop(0).partition("=")
        chosen.append((name, want))
    if rest[:1] == ["--"]:
        rest.pop(0)
    if not chosen or not rest:
        raise UsageProblem(
            "nothing to run" if chosen else "no version is chosen",
            advice="write it like: zesty-anchor with kelp=4.2 -- kelp bulletin.kelp",
        )
    with setting.opened() as (workstation, person):
        environment = chosen_environment(workstation, person, chosen, install=install)
    found = shutil.which(rest[0], path=environment["PATH"])
    if found is None:
        raise Problem(
            f"there is no command {rest[0]!r} with these versions",
            advice="zesty-anchor list shows what is installed",
        )
    sys.stdout.flush()
    sys.stderr.flush()
    for given in UMASK:
        os.umask(given)
    os.execve(found, rest, environment)
