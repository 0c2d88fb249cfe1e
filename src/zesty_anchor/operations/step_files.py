"""The environment for the later steps of a job of GitHub Actions."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.system.problem import Problem, UsageProblem


def append_step(variables: Mapping[str, str], environ: Mapping[str, str]) -> None:
    """Append variables to the file that GITHUB_ENV names, and the folders that come on PATH to that of
    GITHUB_PATH (GitHub Actions documentation, "Workflow commands", "Environment files").

    A later line of GITHUB_PATH comes before the earlier ones on PATH, so the folders go in from the last to
    the first. Raises ``UsageProblem`` outside of a step, ``Problem`` where a file cannot be written.
    """
    files = [environ.get(name, "") for name in ("GITHUB_ENV", "GITHUB_PATH")]
    if not all(files):
        raise UsageProblem(
            "this is no step of GitHub Actions: GITHUB_ENV and GITHUB_PATH name no files",
            advice='elsewhere: eval "$(zesty-anchor export)", or zesty-anchor export --dotenv',
        )
    had = environ.get("PATH", "").split(":")
    new = [folder for folder in variables.get("PATH", "").split(":") if folder and folder not in had]
    values = {name: value for name, value in variables.items() if name != "PATH"}
    texts = ("".join(map(_entry, values.items())), "".join(f"{folder}\n" for folder in reversed(new)))
    for file, text in zip(files, texts, strict=True):
        try:
            with Path(file).open("a", encoding="utf-8", errors="surrogateescape") as opened:
                opened.write(text)
        except OSError as error:
            raise Problem(f"{file} cannot be written: {error.strerror}") from None


def _entry(pair: tuple[str, str]) -> str:
    """One variable; its value may have several lines, up to a line that nobody can know before."""
    name, value = pair
    end = f"end-{secrets.token_hex(8)}"
    return f"{name}<<{end}\n{value}\n{end}\n"
