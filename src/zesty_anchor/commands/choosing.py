"""A list on the terminal, to choose a version from by arrow keys and typing."""

from __future__ import annotations

import sys
from collections.abc import Sequence

from prompt_toolkit.application import Application
from prompt_toolkit.buffer import Buffer
from prompt_toolkit.data_structures import Point
from prompt_toolkit.formatted_text import StyleAndTextTuples
from prompt_toolkit.input import create_input
from prompt_toolkit.key_binding import KeyBindings, KeyPressEvent
from prompt_toolkit.layout import BufferControl, FormattedTextControl, HSplit, Layout, VSplit, Window
from prompt_toolkit.output import create_output

from zesty_anchor.planning.choosable import Choosable, matching

_ROWS = 14
"""How many versions are seen at once."""
_PAGE = 10
_WIDEST = 16
"""Characters of the column of versions; a longer version moves its notes to the right."""


class _List:
    """The rows for what was typed, and the one that is marked."""

    def __init__(self, rows: Sequence[Choosable]) -> None:
        self._rows = rows
        self.typed = Buffer(multiline=False, on_text_changed=lambda _: self.mark(0))
        self._marked = 0

    @property
    def shown(self) -> list[Choosable]:
        """The rows."""
        return matching(self._rows, self.typed.text)

    @property
    def marked(self) -> int:
        """The number of the one that is marked, from 0."""
        return max(0, min(self._marked, len(self.shown) - 1))

    def mark(self, number: int) -> None:
        """Mark another one."""
        self._marked = number

    def text(self) -> StyleAndTextTuples:
        """The rows as they are drawn. The mark is a sign, so that no colour is needed."""
        shown = self.shown
        if not shown:
            return [("", "  no version has that\n")]
        wide = min(max(len(row.version) for row in shown), _WIDEST)
        lines: StyleAndTextTuples = []
        for number, row in enumerate(shown):
            mark = "> " if number == self.marked else "  "
            style = "bold" if number == self.marked else ""
            lines.append((style, f"{mark}{row.version:{wide}}  {', '.join(row.notes)}\n"))
        return lines


def choose(title: str, rows: Sequence[Choosable]) -> str | None:
    """Have a person choose one of the rows, on standard error and from standard input, which must be a
    terminal. Returns its version; None where they gave up.
    """
    listed = _List(rows)
    keys = KeyBindings()

    def moving(by: int) -> None:
        listed.mark(max(0, min(listed.marked + by, len(listed.shown) - 1)))

    for key, by in (("up", -1), ("down", 1), ("pageup", -_PAGE), ("pagedown", _PAGE)):
        keys.add(key)(lambda event, by=by: moving(by))

    @keys.add("enter")
    def taken(event: KeyPressEvent) -> None:
        shown = listed.shown
        event.app.exit(result=shown[listed.marked].version if shown else None)

    @keys.add("escape", eager=True)
    @keys.add("c-c")
    @keys.add("c-d")
    def given_up(event: KeyPressEvent) -> None:
        event.app.exit(result=None)

    control = FormattedTextControl(
        listed.text, get_cursor_position=lambda: Point(0, listed.marked), show_cursor=False
    )
    field = Window(BufferControl(listed.typed), height=1)
    layout = HSplit(
        [
            Window(FormattedTextControl(title), height=1),
            VSplit([Window(FormattedTextControl("  type to filter: "), width=18, height=1), field]),
            Window(control, height=lambda: max(1, min(_ROWS, len(listed.shown)))),
            Window(FormattedTextControl("  arrow keys move, Enter takes, Esc leaves"), height=1),
        ]
    )
    application: Application[str | None] = Application(
        layout=Layout(layout, focused_element=field),
        key_bindings=keys,
        input=create_input(sys.stdin),
        output=create_output(stdout=sys.stderr),
        erase_when_done=True,
    )
    return application.run()
