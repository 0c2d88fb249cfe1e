"""The guard at the top of a startup file, and the blocks above and below it."""

from __future__ import annotations

import pytest

from zesty_anchor.changes.shells.startup_block import with_block
from zesty_anchor.shells.guard import ends_always, ends_early

LATE = b"if x; then y; fi # zesty-anchor block"
EARLY = b"case $- in *i*) ;; *) y ;; esac # zesty-anchor block"


@pytest.mark.parametrize(
    ("content", "row"),
    [
        (b"# mine\ncase $- in\n  *i*) ;;\n  *) return;;\nesac\nalias a=b\n", 1),
        (b'[ -z "$PS1" ] && return\nx=1\n', 0),
        (b"x=1\nif [[ $- != *i* ]]; then\n  exit\nfi\ny=2\n", 1),
        (b"f() { return 1; }\ng\n", None),
        (b"(exit 3)\nx=$(return)\n# return\n", None),
        (b"x=1\nreturn\n", 1),
        (b"x=1\n[ -n y ] && return\n", 1),
        (b"echo 'return'\nx=1\n", None),
        (b"", None),
    ],
)
def test_what_ends_the_reading_early(content: bytes, row: int | None) -> None:
    assert ends_early(content) == row


@pytest.mark.parametrize(
    ("content", "row"),
    [
        (b"x=1\nreturn\ny=2\n", 1),
        (b"exec zsh -l\n", 0),
        (b"exec 2>/dev/null\n[ -n y ] && return\n(exit 1)\nif x; then exit; fi\nf() { return 1; }\n", None),
        (b"return 0", 0),
    ],
)
def test_what_ends_every_reading(content: bytes, row: int | None) -> None:
    assert ends_always(content) == row


def test_our_line_as_a_comment_is_not_our_line() -> None:
    commented = b"# " + LATE + b"\n"
    assert with_block(commented, LATE) == commented + LATE + b"\n"
    assert with_block(commented, None) == commented


def test_our_line_stands_above_what_ends_every_reading_and_below_what_wins() -> None:
    assert with_block(b"x=1\nreturn\ny=2\n", LATE) == b"x=1\n" + LATE + b"\nreturn\ny=2\n"
    below = b"return\nx=1\n" + LATE + b"\n"
    above = LATE + b"\nreturn\nx=1\n"
    assert with_block(below, LATE) == above == with_block(above, LATE)
    assert with_block(b"a\n" + LATE + b"\nb\n", LATE, last=True) == b"a\nb\n" + LATE + b"\n"
    assert with_block(b"a\n" + LATE + b"\n\n", LATE, last=True) == b"a\n" + LATE + b"\n\n"
    assert with_block(LATE + b"\nb\nreturn\n", LATE, last=True) == b"b\n" + LATE + b"\nreturn\n"


def test_the_early_block_stands_right_above_the_guard_and_stays() -> None:
    content = b"# mine\r\n[ -z x ] && return\nalias a=b"
    once = with_block(content, LATE, EARLY)
    assert once == b"# mine\r\n" + EARLY + b"\n[ -z x ] && return\nalias a=b\n" + LATE + b"\n"
    assert with_block(once, LATE, EARLY) == once
    assert with_block(once, None) == b"# mine\r\n[ -z x ] && return\nalias a=b\n"
    below = b"[ -z x ] && return\n" + EARLY + b"\nalias a=b\n" + LATE + b"\n"
    assert with_block(below, LATE, EARLY) == EARLY + b"\n[ -z x ] && return\nalias a=b\n" + LATE + b"\n"
    assert with_block(once, LATE) == b"# mine\r\n[ -z x ] && return\nalias a=b\n" + LATE + b"\n", (
        "no guard, no need"
    )
