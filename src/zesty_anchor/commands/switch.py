"""``zesty-anchor switch``."""

from __future__ import annotations

import datetime
import sys
from collections.abc import Callable
from typing import Any

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, parted, with_setting
from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.operations.list import listing
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.switch import (
    by_default,
    choice,
    for_project,
    for_session,
    forget_project,
    forget_session,
)
from zesty_anchor.planning.choosable import Choosable, choosable
from zesty_anchor.planning.listing import Switched
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.show import changes, choices
from zesty_anchor.system.problem import UsageProblem

SCOPES = ("session", "project", "default")
_SCOPE_HELP = {
    "session": "For this shell, until it ends.",
    "project": "For this folder and those below it: it is written into a file here.",
    "default": "Everywhere else: it is written into the manifest.",
}


def _scopes(command: Callable[..., Any]) -> Callable[..., Any]:
    for scope in reversed(SCOPES):
        command = click.option(f"--{scope}", "scope", flag_value=scope, help=_SCOPE_HELP[scope])(command)
    return command


@click.command(cls=WithExamples)
@click.argument("runtime")
@click.argument("want", required=False)
@_scopes
@click.option("--forget", is_flag=True, help="Remove the choice of the session or the project.")
@click.option("--install", is_flag=True, help="Install the version first if it is missing.")
@click.option("--choose", is_flag=True, help="Choose from a list on the terminal.")
@with_setting(jobs=True, yes=True, trust=True)
def command(
    setting: Setting,
    runtime: str,
    want: str | None,
    scope: str | None,
    forget: bool,
    install: bool,
    choose: bool,
) -> None:
    """Choose a version of RUNTIME. Without WANT, a list opens on a terminal: arrow keys move, typing filters,
    Enter takes, Escape cancels. Elsewhere, and with -q, show which version is active here and
    what decided it.

    The narrower scope wins: session, then project, then default. With the command za, in a shell that is set
    up, the scope is the session unless another one is named.
    """
    runtime, want = parted(runtime, want)
    with setting.opened() as (workstation, person):
        workstation.check_runtime(runtime)
        if choose and (want is not None or forget):
            raise click.UsageError("--choose asks for the version: name none")
        asks = want is None and not forget and _is_terminal() and not setting.quiet and not setting.as_json
        if choose or asks:
            want, scope = _chosen(workstation, person, runtime, scope)
            if want is None and choose:
                return
        if want is None and not forget:
            found = choice(workstation, runtime)
            if setting.as_json:
                setting.print_json(found)
            else:
                choices.active(setting.out, found)
            return
        scope = scope or ("session" if workstation.environ.get("ZESTY_ANCHOR_SHELL") else None)
        if scope is None:
            raise UsageProblem("Choose a scope", advice=f"add --{', --'.join(SCOPES[:-1])} or --{SCOPES[-1]}")
        if scope == "default":
            if want is None:
                advice = "name the version that it should be"
                raise UsageProblem("a default cannot be dropped, only changed", advice=advice)
            outcome, changed = by_default(workstation, person, runtime, want)
        elif forget or want is None:
            forgotten = scope == "session"
            done = (
                forget_session(workstation, runtime)
                if forgotten
                else forget_project(workstation, person, runtime)
            )
        else:
            write = for_session if scope == "session" else for_project
            done = write(workstation, person, runtime, want, install=install)
    if scope != "default":
        _tell(setting, done)
    elif want is not None:
        _tell_default(
            setting, workstation.locations.shown(workstation.file), runtime, want, outcome, changed=changed
        )


def _is_terminal() -> bool:
    return sys.stdin.isatty() and sys.stderr.isatty()


def _chosen_scope(workstation: Workstation, runtime: str, version: str) -> str | None:
    """Where the choice is to hold: in a shell of ours for the session, else as the person takes it from a
    list; None where they take none.
    """
    if workstation.environ.get("ZESTY_ANCHOR_SHELL"):
        return "session"
    from zesty_anchor.commands.choosing import choose

    rows = [Choosable(each, (_SCOPE_HELP[each],), first=True) for each in ("default", "project")]
    return choose(f"{runtime} {version}: where should it be active?", rows)


def _chosen(
    workstation: Workstation, person: Person, runtime: str, scope: str | None
) -> tuple[str | None, str | None]:
    """The version that the person takes from a list, and its scope, from another list where none is given;
    no version where they leave either. Raises ``UsageProblem`` where there is no terminal.
    """
    if not _is_terminal():
        raise UsageProblem(
            "there is no terminal to choose on",
            advice=f"name the version: zesty-anchor list {runtime} shows all",
        )
    from zesty_anchor.commands.choosing import choose

    listed = listing(workstation, person, runtime)
    want = choose(f"{runtime}: choose a version", choosable(listed, datetime.date.today().isoformat()))
    if want is not None and scope is None:
        scope = _chosen_scope(workstation, runtime, want)
    return (want, scope) if scope is not None else (None, None)


def _tell(setting: Setting, done: Switched) -> None:
    """In a shell of ours the function there reads the session from our output, so the rest is told beside
    it.
    """
    if done.session is not None:
        choices.switched(setting.err, done.choice, done.written)
        click.echo(f"session: {done.session}")
    elif setting.as_json:
        setting.print_json(done.choice)
    else:
        choices.switched(setting.out, done.choice, done.written)


def _tell_default(
    setting: Setting, manifest: str, runtime: str, want: str, outcome: Outcome, *, changed: bool
) -> None:
    if setting.as_json:
        setting.print_json({"runtime": runtime, "want": want, "manifest": manifest, "ok": outcome.well})
    else:
        if changed:
            choices.manifest_changed(setting.out, manifest, runtime, want, kept=outcome.well)
        if not (setting.quiet and outcome.well):
            changes.outcome(setting.out, outcome, manifest)
    if not outcome.well:
        raise click.exceptions.Exit(1)
