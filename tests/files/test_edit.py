"""An edit of a text file: what is shown of it says all of it, and nothing else is touched when it is taken
back.
"""

from __future__ import annotations

import re
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from zesty_anchor.files.edit import Edit, lines_of, taken_out
from zesty_anchor.files.text_file import TextFile

LINES = st.lists(st.sampled_from(["a\n", "b\n", "c\r\n", "d\re\n", "\n"]), max_size=12).map("".join)


def applied(before: list[str], diff: str) -> list[str]:
    """A unified diff applied; raises where it does not fit."""
    after: list[str] = []
    place = 0
    for row in diff.split("\n")[2:-1]:
        hunk = re.match(r"@@ -(\d+)(?:,(\d+))? \+(\d+)(?:,(\d+))? @@", row)
        if hunk:
            count = int(hunk[2]) if hunk[2] is not None else 1
            start = int(hunk[1]) - 1 if count else int(hunk[1])
            after += before[place:start]
            place = start
            begins = int(hunk[3]) - (0 if hunk[4] == "0" else 1)
            assert begins == len(after), row
            continue
        if row[0] in " -":
            assert before[place] == row[1:]
            place += 1
        after += [row[1:]] if row[0] in " +" else []
    return after + before[place:]


@given(LINES, LINES, LINES, LINES)
def test_the_diff_says_all_of_it(start: str, end: str, old: str, new: str) -> None:
    before, after = start + old + end, start + new + end
    edit = Edit(TextFile(Path("rc"), Path("rc"), before.encode()), after.encode())
    assert applied(before.split("\n")[:-1], edit.diff("rc")) == after.split("\n")[:-1]


@given(LINES, LINES, LINES)
def test_lines_added_elsewhere_stay_when_ours_is_taken_out(start: str, end: str, mine: str) -> None:
    before = (start + end).encode()
    ours = (start + end + "ours\n").encode()
    now = (mine + start + end + "ours\n").encode()
    rows = taken_out(*map(lines_of, (before, ours, now)))
    assert rows is not None
    assert b"".join(rows) == (mine + start + end).encode()
