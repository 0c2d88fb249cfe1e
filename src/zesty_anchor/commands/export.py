"""``zesty-anchor export``."""

from __future__ import annotations

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, pairs, with_setting
from zesty_anchor.operations.step_files import append_step
from zesty_anchor.operations.with_versions import variables, warn_of_missing
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.show.dotenv import dotenv
from zesty_anchor.show.sizes import count
from zesty_anchor.system.problem import UsageProblem


@click.command(cls=WithExamples)
@click.argument("words", nargs=-1, metavar="[NAME=WANT ...]")
@click.option(
    "--shell",
    type=click.Choice(list(SHELLS)),
    default="sh",
    show_default=True,
    help="Print it for this shell.",
)
@click.option("--dotenv", "as_file", is_flag=True, help="Print NAME=VALUE lines, for a .env file.")
@click.option(
    "--github", "as_step", is_flag=True, help="Append to $GITHUB_ENV and $GITHUB_PATH, for later steps."
)
@click.option("--install", is_flag=True, help="Install a version first if it is missing.")
@with_setting()
def command(
    setting: Setting, words: tuple[str, ...], shell: str, as_file: bool, as_step: bool, install: bool
) -> None:
    """Print PATH and the manifest's variables, with the versions that are active in this folder, for a script
    or a build step that reads no startup file: eval "$(zesty-anchor export)".

    Exit status: 127 if a version that a project pins is not installed.
    """
    chosen, rest = pairs(words)
    if rest:
        raise UsageProblem(
            f"{rest[0]!r} is not NAME=WANT", advice="write it like: zesty-anchor export kelp=4.2"
        )
    with setting.opened() as (workstation, person):
        found = variables(workstation, person, chosen, install=install)
        warn_of_missing(workstation, person, chosen)
    if as_step:
        append_step(found, workstation.environ)
    if setting.as_json:
        setting.print_json({"variables": found})
    elif as_step:
        if not setting.quiet:
            setting.err.write(f"{count(len(found) - 1, 'variable')} and PATH for the steps after this one")
    elif as_file:
        click.echo(dotenv(found), nl=False)
    else:
        click.echo("\n".join(SHELLS[shell].exported(*each) for each in found.items()))
