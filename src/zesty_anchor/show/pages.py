"""A page of the documentation for a terminal."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from zesty_anchor.show.paint import Paint

_WIDEST = 100


def rendered(text: str, paint: Paint) -> str:
    """The text of a page in Markdown, laid out for a terminal as wide as this one, at most 100 columns."""
    from rich.console import Console
    from rich.markdown import Markdown

    out = io.StringIO()
    console = Console(
        file=out, width=min(paint.width, _WIDEST), force_terminal=paint.on, no_color=not paint.on
    )
    console.print(Markdown(text, code_theme="ansi_dark", hyperlinks=False))
    return out.getvalue()
