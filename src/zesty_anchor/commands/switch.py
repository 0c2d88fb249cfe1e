"""``zesty-anchor switch``."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

import click

from zesty_anchor.commands.completing import installed, runtimes
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.operations.switching import Switched
from zesty_anchor.operations.workstation import Workstation
from zesty_anchor.show import changes, choices
from zesty_anchor.system.problem import UsageProblem

SCOPES = ("session", "project", "default")


def _scopes(command: Callable[..., Any]) -> Callable[..., Any]:
    told = {
        "session": "For this shell, until it ends.",
        "project": "For this folder and those below it: it is written into a file here.",
        "default": "Everywhere else: it is written into the manifest.",
    }
    for scope in reversed(SCOPES):
        command = click.option(f"--{scope}", "scope", flag_value=scope, help=told[scope])(command)
    return command


@click.command()
@click.argument("runtime", shell_complete=runtimes)
@click.argument("want", required=False, shell_complete=installed)
@_scopes
@click.option("--forget", is_flag=True, help="Drop the choice of the session or the project.")
@click.option("--install", is_flag=True, help="Install the version first, if it is not there.")
@with_setting(jobs=True, yes=True)
def command(setting: Setting, runtime: str, want: str | None, scope: str | None, forget: bool, install: bool) -> None:
    """Choose a version of RUNTIME; without WANT, say which one is in effect here and what decided it.

    The narrower scope wins: session, then project, then default. In a shell that we set up the scope is the session,
    unless another one is named.
    """
    with setting.workstation() as workstation:
        workstation.keep_in_step()
        if want is None and not forget:
            choice = workstation.switching.choice(runtime)
            if setting.as_json:
                setting.print_json(choice)
            else:
                choices.in_effect(setting.out, choice)
            return
        scope = scope or ("session" if os.environ.get("ZESTY_ANCHOR_SHELL") else None)
        if scope is None:
            raise UsageProblem("for which scope?", advice=f"add --{', --'.join(SCOPES[:-1])} or --{SCOPES[-1]}")
        if scope == "default":
            _by_default(setting, workstation, runtime, want)
            return
        done = _narrower(workstation, runtime, want, scope, forget=forget, install=install)
    _tell(setting, done)


def _narrower(
    workstation: Workstation, runtime: str, want: str | None, scope: str, *, forget: bool, install: bool
) -> Switched:
    switching = workstation.switching
    workstation.check_runtime(runtime)
    if forget or want is None:
        return switching.forget_session(runtime) if scope == "session" else switching.forget_project(runtime)
    choose = switching.session if scope == "session" else switching.project
    return choose(runtime, want, install=install)


def _tell(setting: Setting, done: Switched) -> None:
    """In a shell of ours the function there reads the session from our output, so the rest is told beside it."""
    if done.session is not None:
        choices.switched(setting.err, done.choice, done.written)
        click.echo(f"session: {done.session}")
    elif setting.as_json:
        setting.print_json(done.choice)
    else:
        choices.switched(setting.out, done.choice, done.written)


def _by_default(setting: Setting, workstation: Workstation, runtime: str, want: str | None) -> None:
    workstation.check_runtime(runtime)
    if want is None:
        raise UsageProblem("a default cannot be dropped, only changed", advice="name the version that it should be")
    file, before, after = workstation.switching.default(runtime, want)
    shown = workstation.locations.shown(file)
    try:
        workstation.load(file, file.parent)
        outcome = workstation.provision()
        well = outcome.well
    except BaseException:
        file.write_bytes(before)
        raise
    if not well:
        file.write_bytes(before)
    if before != after and not setting.as_json:
        choices.manifest_changed(setting.out, shown, runtime, want, kept=well)
    if setting.as_json:
        setting.print_json({"runtime": runtime, "want": want, "manifest": str(file), "well": well})
    elif not (setting.quiet and well):
        changes.outcome(setting.out, outcome, shown)
    if not well:
        raise click.exceptions.Exit(1)
