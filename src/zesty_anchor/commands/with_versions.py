"""``zesty-anchor with``."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path

import click

from zesty_anchor.commands import UMASK, WithExamples
from zesty_anchor.commands.options import Setting, pairs, with_setting
from zesty_anchor.operations.with_versions import environment as chosen_environment
from zesty_anchor.operations.with_versions import environments_below
from zesty_anchor.system.problem import NotThere, UsageProblem


@click.command(
    cls=WithExamples, context_settings={"ignore_unknown_options": True, "allow_interspersed_args": False}
)
@click.argument("words", nargs=-1, type=click.UNPROCESSED, metavar="[NAME=WANT ...] -- COMMAND ...")
@click.option("--install", is_flag=True, help="Install a version first if it is missing.")
@click.option("--all", "everywhere", is_flag=True, help="Run it in each folder with pins, here and below.")
@with_setting()
def command(setting: Setting, words: tuple[str, ...], install: bool, everywhere: bool) -> None:
    """Run COMMAND with chosen versions: "zesty-anchor with kelp=4.2 -- kelp bulletin.kelp".

    Other runtimes have the version that is active in this folder: "zesty-anchor with -- make" uses the
    project's pins in cron and in an editor too. Exits with COMMAND's status (with --all: the first that is
    not 0), or with 127 if COMMAND or a pinned version is not installed.
    """
    chosen, rest = pairs(words)
    if not rest:
        raise UsageProblem(
            "nothing to run", advice="write it like: zesty-anchor with kelp=4.2 -- kelp bulletin.kelp"
        )
    with setting.opened() as (workstation, person):
        if everywhere:
            places = environments_below(workstation, person, chosen, install=install)
        else:
            environment = chosen_environment(workstation, person, chosen, install=install)
    for given in UMASK:
        os.umask(given)
    if everywhere:
        _run_in_each(setting, {workstation.locations.shown(at): (at, e) for at, e in places.items()}, rest)
        return
    found = _found(rest[0], environment)
    sys.stdout.flush()
    sys.stderr.flush()
    os.execve(found, rest, environment)


def _run_in_each(
    setting: Setting, places: Mapping[str, tuple[Path, dict[str, str]]], words: Sequence[str]
) -> None:
    """Run the command in each folder (by how a person reads it), one after the other; ends with the first
    status that is not 0.
    """
    first = 0
    for shown, (folder, environment) in places.items():
        if not setting.quiet:
            setting.err.write(setting.err.head(f"in {shown}"))
        sys.stdout.flush()
        sys.stderr.flush()
        found = _found(words[0], environment)
        status = subprocess.run([found, *words[1:]], env=environment, cwd=folder, check=False).returncode
        first = first or (status if status >= 0 else 128 - status)
    if first:
        raise click.exceptions.Exit(first)


def _found(command: str, environment: Mapping[str, str]) -> str:
    found = shutil.which(command, path=environment["PATH"])
    if found is None:
        raise NotThere(
            f"there is no command {command!r} with these versions",
            advice="zesty-anchor list shows what is installed",
        )
    return found
