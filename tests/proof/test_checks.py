"""What is made of a new shell's answers: each way of judging, where it says yes and where it must say
no.
"""

from __future__ import annotations

import pytest

from zesty_anchor.proof.checks import ENVIRONMENT
from zesty_anchor.proof.judging import judge_all
from zesty_anchor.proof.question import Question
from zesty_anchor.shells.fresh import Answer

CASES = {
    "the same bytes": ("variable", "a b", Answer(b"X=1\0GAUGE=a b\0", 0), True),
    "other bytes": ("variable", "a b", Answer(b"GAUGE=a  b\0", 0), False),
    "a line end at its end": ("variable", "a b", Answer(b"GAUGE=a b\n\0", 0), False),
    "empty, and it should be": ("variable", "", Answer(b"GAUGE=\0X=1\0", 0), True),
    "not set at all": ("variable", "", Answer(b"X=1\0GAUGES=\0", 0), False),
    "no end in time": ("variable", "", Answer(b"GAUGE=\0", None), False),
    "a pattern": ("glob", "kelp 4.*", Answer(b"kelp 4.2\n", 0), True),
    "a pattern, but it failed": ("glob", "kelp 4.*", Answer(b"kelp 4.2\n", 3), False),
    "the place": ("place", "/s/kelp\0/b/kelp", Answer(b"/b/kelp\n", 0), True),
    "another place": ("place", "/s/kelp\0/b/kelp", Answer(b"/usr/bin/kelp\n", 0), False),
    "an alias in its place": ("place", "/s/kelp\0/b/kelp", Answer(b"kelp\n", 0), False),
    "the system's": ("outside", "/home/d/shelf", Answer(b"/usr/bin/kelp\n", 0), True),
    "ours, where it should be the system's": ("outside", "/home/d/shelf",
    Answer(b"/home/d/shelf/kelp/4/kelp\n", 0), False),
    "an old manager's, where it should be the system's": ("outside", "/home/d/shelf\0/home/d",
    Answer(b"/home/d/old/kelp\n", 0), False),
    "once": ("once", "/a:/b", Answer(b"PATH=/a:/x:/b\0", 0), True),
    "twice": ("once", "/a:/b", Answer(b"PATH=/a:/b:/a\0", 0), False),
    "missing": ("once", "/a:/b", Answer(b"PATH=/a\0", 0), False),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_an_answer_is_judged(name: str) -> None:
    how, expected, answer, ok = CASES[name]
    run = ENVIRONMENT if how in ("variable", "once") else "kelp"
    question = Question("$GAUGE", run, expected, how)
    for started in (True, False):
        (judged,) = judge_all([question], {run: answer}, started)
        assert judged.ok is (ok and started)
