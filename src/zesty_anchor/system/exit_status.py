"""The exit statuses of this program, each with its meaning."""

from __future__ import annotations

EXIT_STATUS = {
    0: "Success. Nothing failed.",
    1: "Some of the work failed, or something asked for is missing. The output names each.",
    2: "The command line or the manifest has a mistake. Nothing was changed.",
    3: "`preview --check`, `verify`, `status`: changes are pending.",
    4: "`verify`, `status`: a check failed.",
    5: (
        "A question has no answer, and there is no terminal to ask on. The error names the key or option that"
        " answers it."
    ),
    6: "`verify`, `status`: something that was installed has been changed since.",
    127: "`with`, `export`: the command, or the version that a project pins, is not installed.",
    130: "Interrupted by Ctrl-C. What was under way is undone.",
}
