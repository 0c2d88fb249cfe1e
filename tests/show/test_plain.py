"""Plain text, for a screen reader: one fact a line, in words, without colours or columns."""

from __future__ import annotations

import io
import re

import pytest

from tests.conftest import Desk
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint


def test_a_row_is_a_line_in_words() -> None:
    text = io.StringIO()
    paint = Paint(text, "always", {}, plain=True)
    columns(paint, [[paint.name("kelp"), "", "4.2.1"], ["coral", "11", ""], ["", "alone", ""]], [10, 10])
    columns(paint, [["kelp", "lts", ""]], heads=("runtime", "want", "newer"))
    assert text.getvalue() == "kelp: 4.2.1\ncoral: 11\nalone\nruntime kelp, want lts\n"


@pytest.mark.needs("bash", "zsh", "ksh")
@pytest.mark.parametrize("by_variable", [False, True])
def test_every_screen_can_be_read_out(desk: Desk, *, by_variable: bool) -> None:
    option = [] if by_variable else ["--plain"]
    if by_variable:
        desk.environment["ZESTY_ANCHOR_PLAIN"] = "1"
    desk.write("alias kelp=false\n", ".zshrc")
    desk.wants('[shells]\nuse = ["bash", "zsh"]\n')
    seen = {
        words[0]: desk.run(*words, *option, "--colour", "always")
        for words in (
            ("preview",), ("provision",), ("verify", "-v"), ("trace", "kelp"), ("trace", "PATH"), ("list",),
            ("list", "--newer"), ("survey",), ("history",), ("status",),
            ("timing", "--shell", "bash", "--seconds", "1"),
        )
    }  # fmt: skip
    for name, answer in seen.items():
        for line in (answer.out + answer.err).splitlines():
            assert "\x1b" not in line, (name, line)
            assert not re.match(r" |\w+( \w+)*:? {2,}\S", line), (name, line)
            assert not set(line) & set("━─│·█"), (name, line)
    assert re.search(r"^in bash \(.*login.*\)", desk.well("trace", "kelp", *option).out, re.MULTILINE)
    assert re.search(r"^kelp is found: yes in bash; NO in 2 of 4 in zsh", seen["verify"].out, re.MULTILINE)
