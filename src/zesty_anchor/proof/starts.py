"""What a shell's start itself must be: it comes to an end, prints nothing that breaks a copy, and is quick.
Pure.
"""

from __future__ import annotations

import re

from zesty_anchor.proof.result import STARTS, CheckResult
from zesty_anchor.shells.fresh import START_SECONDS, Answers
from zesty_anchor.shells.reading import Context

SILENT = "it prints nothing"
NO_ERROR = "no error message"
_LONGEST = 200
_ERROR = re.compile(
    r"^(?:"
    r"(?:-?\S*/)?-?(?:ba|z|k|mk|tc|c|fi|da)?sh(?:93)?: .+"  # the shell's name first
    r"|/\S+(?::\d+:|\[\d+\]:|: line \d+:) .+"  # zsh(1), ksh(1), bash(1): a file, and the line in it
    r"|(?:\S+ )?\(line \d+\): .+"  # fish(1)
    r"|.+: (?:[Cc]ommand not found|[Nn]o such file or directory|[Pp]ermission denied|Undefined variable)\.?"
    r")$",
    re.MULTILINE,
)


def start_checks(context: Context, answers: Answers, most_ms: int, ours: str = "") -> list[CheckResult]:
    """The checks of a start; ``most_ms`` is how many milliseconds it may take (0: any). With ``ours``, the
    folder of what we wrote, only what is said of that counts: the rest was so before.
    """
    took = answers.startup_ms
    if took is None:
        seen = (
            "a startup file waits for somebody to type"
            if answers.waits
            else "a startup file ended it before its first command"
            if answers.gone
            else f"no command within {START_SECONDS:.0f} s"
        )
        return [CheckResult(STARTS, False, "a shell that takes commands", seen)]
    found = [CheckResult(STARTS, True, "a shell that takes commands", f"after {took:.0f} ms")]
    said = answers.said.decode("utf-8", "replace").replace("\r\n", "\n").strip("\n")
    own = "\n".join(row for row in said.splitlines() if ours in row and _ERROR.search(row)) if ours else ""
    before = bool(ours) and not own
    said = own or said
    if "-i" not in context.options:
        shown = said[:_LONGEST] or "(nothing)"
        found.append(CheckResult(SILENT, not said, "(nothing)", shown, before=before and bool(said)))
    else:
        error = _ERROR.search(said)
        shown = error[0][:_LONGEST] if error else "(nothing)"
        found.append(
            CheckResult(NO_ERROR, error is None, "(nothing)", shown, before=before and error is not None)
        )
    if most_ms and not ours and not answers.landed:
        name = f"it starts within {most_ms} ms"
        found.append(CheckResult(name, took <= most_ms, f"at most {most_ms} ms", f"{took:.0f} ms"))
    return found
