"""A TOML file: its text and its tables, with errors that name the file and the line."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    import tomllib

_DEEPEST = 32


def read_text(file: Path) -> str:
    """The text of a TOML file. Raises ``Problem`` where it cannot be read, or is not UTF-8."""
    try:
        return file.read_bytes().decode("utf-8")
    except OSError as error:
        advice = "check its path" if isinstance(error, FileNotFoundError) else "check its permissions"
        raise Problem(f"{file} cannot be read: {error.strerror}", advice=advice) from None
    except UnicodeDecodeError as error:
        raise UsageProblem(
            f"byte {error.start} is not UTF-8",
            where=str(file),
            advice="save the file as UTF-8 (TOML 1.0 asks for it)",
        ) from None


def read_tables(file: Path) -> dict[str, Any]:
    """The tables of a TOML file, unchecked. Raises ``UsageProblem`` where it is no TOML."""
    return parsed(read_text(file), file)


def parsed(text: str, file: Path) -> dict[str, Any]:
    """The tables of a text, which is in ``file``. Raises ``UsageProblem`` where it is no TOML, or nested too
    deeply.
    """
    import tomllib

    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise _syntax(file, text, error) from None
    except (RecursionError, ValueError) as error:
        what = "it is nested too deeply" if isinstance(error, RecursionError) else str(error)
        raise UsageProblem(
            f"it cannot be read: {what}", where=str(file), advice="zesty-anchor docs manifest shows the form"
        ) from None
    if _is_deeper(raw, _DEEPEST):
        raise UsageProblem(
            f"it cannot be read: it is nested more than {_DEEPEST} levels deep",
            where=str(file),
            advice="zesty-anchor docs manifest shows the form",
        )
    return raw


def _is_deeper(value: Any, most: int) -> bool:
    """Whether tables and lists are nested more than ``most`` levels deep."""
    level = [value]
    for _ in range(most):
        level = [
            inner
            for each in level
            for inner in (each.values() if isinstance(each, dict) else each)
            if isinstance(inner, dict | list)
        ]
        if not level:
            return False
    return True


def _syntax(file: Path, text: str, error: tomllib.TOMLDecodeError) -> UsageProblem:
    from zesty_anchor.manifest.syntax_mistakes import mistake

    place = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
    found = mistake(text, str(error), int(place[1]) if place else len(text.splitlines()))
    return UsageProblem(found.what, where=f"{file}:{found.line}", advice=found.advice)
