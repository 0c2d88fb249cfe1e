"""``zesty-anchor dismantle``."""

from __future__ import annotations

import sys

import click

from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.problem import Problem
from zesty_anchor.show import changes, document


class AnswerNeeded(Problem):
    """A question has no answer, and nobody is there to ask."""

    code = 5


@click.command()
@with_setting(manifest=False, yes=True)
def command(setting: Setting) -> None:
    """Take back every provisioning, and remove this program's own folders: no trace is left.

    Your manifest and your recipes stay, wherever they are: you wrote them.
    """
    question = "Take back everything that zesty-anchor did in this home?"
    if not setting.yes:
        if not sys.stdin.isatty():
            raise AnswerNeeded(question, where="no terminal to ask on", advice="answer with the option --yes")
        click.confirm(question, abort=True, err=True)
    with setting.workstation(load=False) as workstation:
        taken, removed = workstation.dismantle()
    if setting.as_json:
        setting.print_json({**document.taken_back(taken), "removed": removed})
    else:
        changes.taken_back(setting.out, taken)
        setting.out.write(f"Removed: {', '.join(removed) or 'nothing, there were no folders of ours'}")
