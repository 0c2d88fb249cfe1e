"""Environment variables as a file of NAME=VALUE lines."""

from __future__ import annotations

import re
from collections.abc import Mapping

from zesty_anchor.system.problem import Problem

_PLAIN = re.compile(r"[\w%+,./:@-]*", re.ASCII)


def dotenv(variables: Mapping[str, str]) -> str:
    """One line each; a value with other characters is put in single quotes, which programs take
    as they are.

    Raises ``Problem`` for a value with a single quote or a line end: programs read those in different ways.
    """
    lines = []
    for name, value in variables.items():
        if "'" in value or "\n" in value:
            raise Problem(
                f"the value of {name} has a quote or a line break, which not every program reads alike",
                advice="use --json, or --shell NAME",
            )
        lines.append(f"{name}={value}\n" if _PLAIN.fullmatch(value) else f"{name}='{value}'\n")
    return "".join(lines)
