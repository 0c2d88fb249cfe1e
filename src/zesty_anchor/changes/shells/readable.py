"""Whether a shell could still read a startup file after an edit, before the file is put in place."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.files.text_file import TextFile
from zesty_anchor.shells.syntax import passes
from zesty_anchor.system.problem import Problem


def check_syntax(checker: tuple[str, str], file: TextFile, after: bytes) -> None:
    """Raises ``Problem`` where a file would not be readable to its shell after an edit, and says whether it
    was before.
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
        advice="fix that line: the shell stops reading there, so nothing below it would ever run",
    )
