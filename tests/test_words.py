"""Words that are kept out of all that a person reads: each has a plainer one in their place."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
BANNED = {
    "to be had": "available",
    "can be had": "is available",
    "obtainable": "available",
    "off the shelf": "uninstalled",
    "in effect": "active",
    "not well": "failed",
    "all well": "all checks passed",
    "mend": "fix",
    "mends": "fixes",
    "mended": "fixed",
    "dearest": "slowest",
    "fresh shell": "new shell",
    "fresh shells": "new shells",
    "altered since": "changed since installation",
    "thrown away": "deleted",
    "taken away": "removed",
    "brought back": "restored",
    "nothing answers": "not found",
    "is not a want": "is not a valid version",
    "whom it believes": "what it trusts",
    "stands before": "comes before",
    "stands behind": "is shadowed",
    "stands there": "is there",
    "stands for no": "names no",
    "answers otherwise": "prints something else",
    "also answered by": "also resolves to",
    "to have it go": "to remove it",
    "take it away": "remove it",
    "shall they": "allow it",
    "answers now": "is active now",
}
"""The words, each with what to write."""
PAGES = [
    *sorted((ROOT / "docs").glob("*.md")), ROOT / "README.md", ROOT / "SECURITY.md", ROOT / "CONTRIBUTING.md",
    ROOT / "src/zesty_anchor/show/report.html.j2",
]  # fmt: skip
CODE = sorted(
    file for room in (
        "show", "commands", "operations", "planning", "engine", "changes", "proof", "survey", "shelf",
        "feeds", "demo", "manifest", "files", "system",
    )
    for file in (ROOT / f"src/zesty_anchor/{room}").rglob("*.py")
)  # fmt: skip
OLD_NAMES = re.compile(r"0\.2 renamed .*|`mend` is `fix`.*")
"""Where the changed names of documents are listed, the old ones are named."""


def found(text: str) -> list[str]:
    text = OLD_NAMES.sub("", text).lower()
    return [word for word in BANNED if re.search(rf"(?<![\w-]){re.escape(word)}(?![\w-])", text)]


@pytest.mark.parametrize("page", PAGES, ids=lambda each: each.name)
def test_pages_are_free_of_them(page: Path) -> None:
    assert {word: BANNED[word] for word in found(page.read_text())} == {}


def shown(file: Path) -> list[str]:
    """The texts of a module that may be shown: all but docstrings and names of files, keys and tests."""
    tree = ast.parse(file.read_text())
    silent = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    return [
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in silent
    ]


@pytest.mark.parametrize("file", CODE, ids=lambda each: f"{each.parent.name}/{each.name}")
def test_texts_of_the_program_are_free_of_them(file: Path) -> None:
    assert [(word, BANNED[word], text) for text in shown(file) for word in found(text)] == []


def test_one_would_be_noticed() -> None:
    assert found("563 checks: All well. The dearest line can be had.") == [
        "can be had",
        "all well",
        "dearest",
    ]
    assert found("recommended, wellness, in-effect") == []
