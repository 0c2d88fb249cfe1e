"""The pages of the documentation, which come with the package."""

from __future__ import annotations

import difflib
from pathlib import Path

import msgspec

from zesty_anchor.system.problem import Problem, UsageProblem

_PACKAGE = Path(__file__).parents[1]


class Page(msgspec.Struct, frozen=True):
    """One page: its name, and its title."""

    name: str
    title: str


def pages() -> list[Page]:
    """All pages, by name. Raises ``Problem`` where they did not come along."""
    return [
        Page(file.stem, file.read_text("utf-8").partition("\n")[0].lstrip("# "))
        for file in sorted(_folder().glob("*.md"))
    ]


def page(name: str) -> str:
    """The text of a page, in Markdown. Raises ``UsageProblem`` where there is none of that name."""
    names = [each.name for each in pages()]
    wanted = name.removeprefix("docs/").removesuffix(".md")
    if wanted not in names:
        close = difflib.get_close_matches(wanted, names, 1)
        raise UsageProblem(
            f"there is no page {name!r}",
            advice=f"did you mean {close[0]!r}?" if close else f"there are: {', '.join(names)}",
        )
    return (_folder() / f"{wanted}.md").read_text("utf-8")


def _folder() -> Path:
    """Where the pages are: in the package, or beside its source."""
    for folder in (_PACKAGE / "docs", _PACKAGE.parents[1] / "docs"):
        if (folder / "manifest.md").is_file():
            return folder
    raise Problem("the documentation did not come with this installation", advice="install it with pip")
