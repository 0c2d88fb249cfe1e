"""Which rows of a startup file are ours."""

from __future__ import annotations

import pytest

from zesty_anchor.files.edit import lines_of
from zesty_anchor.shells.marked import marked_rows

LINE = b"if true; then :; fi # zesty-anchor block\n"


@pytest.mark.parametrize(
    ("content", "rows"),
    [
        (b"a\n" + LINE + b"b\n", {1}),
        (LINE + b"b\n" + LINE, {0, 2}),
        (b"  " + LINE, {0}),
        (b"# " + LINE, set()),
        (b"cat <<END\n" + LINE + b"END\n", set()),
        (b"cat <<END\n" + LINE + b"END\n" + LINE, {3}),
        (b"x='\n" + LINE + b"'\n", set()),
        (b'x="\n' + LINE + b'"\n' + LINE, {3}),
        (b"# don't\n" + LINE, {1}),
        (b"echo it's\n" + LINE, {1}),
        (b"if ( -r x ) source x # zesty-anchor block\n", {0}),
        (b"", set()),
    ],
)
def test_a_row_is_ours_by_the_tree(content: bytes, rows: set[int]) -> None:
    assert marked_rows(lines_of(content)) == rows
