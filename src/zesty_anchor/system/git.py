"""git, started in one way."""

from __future__ import annotations

import subprocess
from collections.abc import Mapping, Sequence

from zesty_anchor.system.problem import Problem


def run_git(
    words: Sequence[str], environ: Mapping[str, str], *, where: str, seconds: float
) -> subprocess.CompletedProcess[str]:
    """Run git with these words after its name, and return what it said. It can ask nobody.

    ``environ`` is the environment to start it in, ``where`` what an error is about (an address or a file), ``seconds``
    the time that it may take. Raises ``Problem`` where git is not installed, or does not end in time.
    """
    try:
        return subprocess.run(
            ["git", *words], stdin=subprocess.DEVNULL, capture_output=True, text=True, errors="replace", check=False,
            timeout=seconds, env={**environ, "GIT_TERMINAL_PROMPT": "0", "LC_ALL": "C"},
        )  # fmt: skip
    except FileNotFoundError:
        raise Problem(
            "git is not installed", where=where, advice='add it: [prerequisites] packages = ["git"]'
        ) from None
    except subprocess.TimeoutExpired:
        raise Problem(
            f"git {words[0] if not words[0].startswith('-') else ''}".strip() + f" did not end within {seconds:.0f} s",
            where=where,
            advice="check the network and the address, then try again",
        ) from None
