"""Asking a shell whether it could read a startup file, before the file is put in place."""

from __future__ import annotations

import subprocess
import tempfile
from pathlib import Path

from zesty_anchor.problem import Problem
from zesty_anchor.survey.text_file import TextFile


def passes(checker: tuple[str, str], content: bytes) -> tuple[bool, str]:
    """Whether a shell accepts a text, and what it says. Nothing in the text is run.

    ``checker`` is the shell's program, and its option that only reads (``-n``).
    """
    with tempfile.NamedTemporaryFile(prefix="zesty-anchor-check-") as file:
        file.write(content)
        file.flush()
        answer = subprocess.run(
            [*checker, file.name],
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=20,
            check=False,
            env={"LC_ALL": "C"},
        )
    said = (answer.stderr or answer.stdout).decode("utf-8", "replace").replace(file.name, "").strip(" :\n")
    return answer.returncode == 0, said.splitlines()[0] if said else ""


def check_syntax(checker: tuple[str, str], file: TextFile, after: bytes) -> None:
    """Raises ``Problem`` where a file that the shell could read would no longer be readable to it.

    A file that is broken already is not ours to judge when the edit only adds a line, but the shell would
    stop before that line: so it is told.
    """
    name = f"{Path(checker[0]).name} {checker[1]}"
    well, said = passes(checker, after)
    if well:
        return
    before_well = file.content is None or passes(checker, file.content)[0]
    if before_well:
        raise Problem(
            f"{file.path} would not pass {name} after the edit: {said}",
            advice="nothing was changed; this is a fault of zesty-anchor: please report it with that file",
        )
    raise Problem(
        f"{file.path} holds a syntax error: {said}",
        where=f"found by {name}",
        advice="mend that line: the shell stops reading there, so nothing below it would ever run",
    )
