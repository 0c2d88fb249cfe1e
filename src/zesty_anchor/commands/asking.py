"""Asking a person at the terminal."""

from __future__ import annotations

import click

from zesty_anchor.changes.question import Question
from zesty_anchor.show.paint import Paint
from zesty_anchor.system.visible import visible


class TerminalAsker:
    """Asks on standard error, and reads the answer from the terminal."""

    def __init__(self, paint: Paint) -> None:
        self._paint = paint

    def yes(self, question: Question) -> bool:
        """Ask one question; the default is no. Tells what answers it for good."""
        self._paint.write(self._paint.faint(f"  (for good: {question.key})"))
        if question.to_read:
            return self._after_reading(question)
        return click.confirm(
            self._paint.shown(self._paint.look("asked: ") + question.text), default=False, err=True
        )

    def _after_reading(self, question: Question) -> bool:
        """Ask about a text that should be read first; it is shown as often as one likes."""
        while True:
            answer = click.prompt(
                self._paint.shown(self._paint.look("asked: ") + question.text),
                type=click.Choice(["y", "n", "read"]),
                default="n",
                err=True,
            )
            if answer != "read":
                return bool(answer == "y")
            click.echo_via_pager(visible(question.to_read))

    def secret(self, question: Question, *, twice: bool = True) -> str:
        """Ask for a text that is not shown; ``twice`` where nothing else would notice a slip."""
        why = "none wanted?" if twice else "for good:"
        self._paint.write(self._paint.faint(f"  ({why} {question.key})"))
        text = self._paint.shown(self._paint.look("asked: ") + question.text)
        answer: str = click.prompt(text, hide_input=True, confirmation_prompt=twice, err=True)
        return answer
