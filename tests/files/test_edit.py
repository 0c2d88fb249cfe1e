"""An edit of a text file: what is shown of it says all of it, and nothing else is touched when it is taken
back.
"""

from __future__ import annotations

import hashlib
import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_anchor.files.attic import Attic
from zesty_anchor.files.edit import ChangedMeanwhile, Edit, all_gone, lines_of, put_back, taken_out
from zesty_anchor.files.text_file import TextFile
from zesty_anchor.system.problem import Problem

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


def file_of(path: Path, content: bytes | None) -> TextFile:
    if content is not None:
        path.write_bytes(content)
    return TextFile(path, path, content)


def attic_in(folder: Path) -> Attic:
    (folder / "attic").mkdir()
    return Attic(folder / "attic")


@pytest.mark.parametrize("after", [b"ours\n", None], ids=["an edit", "a removal"])
def test_what_is_saved_meanwhile_is_not_overwritten(tmp_path: Path, after: bytes | None) -> None:
    edit = Edit(file_of(tmp_path / "rc", b"mine\n"), after)
    (tmp_path / "rc").write_bytes(b"saved meanwhile\n")
    with pytest.raises(ChangedMeanwhile):
        edit.carry_out()
    assert (tmp_path / "rc").read_bytes() == b"saved meanwhile\n"


def test_a_file_that_is_made_meanwhile_is_not_overwritten(tmp_path: Path) -> None:
    edit = Edit(file_of(tmp_path / "rc", None), b"ours\n")
    (tmp_path / "rc").write_bytes(b"saved meanwhile\n")
    with pytest.raises(ChangedMeanwhile):
        edit.carry_out()
    assert (tmp_path / "rc").read_bytes() == b"saved meanwhile\n"


def test_the_copies_have_the_digests_of_both_contents(tmp_path: Path) -> None:
    copies = Edit(file_of(tmp_path / "rc", b"mine\n"), b"ours\n").keep(attic_in(tmp_path), "~/rc")
    assert copies.before_digest == hashlib.sha256(b"mine\n").hexdigest()
    assert copies.after_digest == hashlib.sha256(b"ours\n").hexdigest()
    assert (copies.content_before(), copies.content_after()) == (b"mine\n", b"ours\n")
    assert copies.is_before(b"mine\n") and copies.is_after(b"ours\n")
    assert not copies.is_before(b"other\n") and not copies.is_after(None)


@pytest.mark.parametrize("spoil", [b"other\n", None], ids=["another one", "none"])
def test_a_copy_that_is_not_what_was_put_there_is_refused(tmp_path: Path, spoil: bytes | None) -> None:
    copies = Edit(file_of(tmp_path / "rc", b"mine\n"), b"ours\n").keep(attic_in(tmp_path), "~/rc")
    kept = Path(copies.before or "")
    kept.chmod(0o600)
    if spoil is None:
        kept.unlink()
    else:
        kept.write_bytes(spoil)
    (tmp_path / "rc").write_bytes(b"ours\n")
    with pytest.raises(Problem, match=r"the copy of ~/rc in the attic"):
        put_back(copies)
    assert (tmp_path / "rc").read_bytes() == b"ours\n"


@pytest.mark.parametrize(
    ("before", "after", "now", "left"),
    [
        ("a\n", "a\nOURS\n", "a\nOURS\nmine\n", "a\nmine\n"),
        ("a\n", "a\nOURS\n", "a\nchanged\n", None),
        ("a\nb\nc\n", "a\nX\nY\nc\n", "a\nX\nmine\nY\nc\n", None),
        ("a\nb\nc\nd\n", "X\nb\nY\nd\n", "X\nb\nY\nd\nmine\n", "a\nb\nc\nd\nmine\n"),
        ("a\na2\nb\nc\nd\n", "X\nb\nd\n", "X\nb\nd\nmine\n", "a\na2\nb\nc\nd\nmine\n"),
        ("", "OURS\n", "mine\nOURS\n", "mine\n"),
    ],
)
def test_an_edit_is_taken_out_whole_or_not_at_all(
    before: str, after: str, now: str, left: str | None
) -> None:
    found = taken_out(*(lines_of(text.encode()) for text in (before, after, now)))
    assert (None if found is None else b"".join(found).decode()) == left


@pytest.mark.parametrize(
    ("before", "after", "now", "gone"),
    [
        ("a\n", "a\nOURS\n", "a\nmine\n", True),
        ("a\n", "a\n\nOURS\n", "\n", True),
        ("a\n", "a\nOURS\n", "OURS\n", False),
        ("a\nold\n", "a\nOURS\n", "a\n", False),
    ],
)
def test_an_edit_whose_lines_someone_took_out_has_nothing_left(
    before: str, after: str, now: str, *, gone: bool
) -> None:
    assert all_gone(*(lines_of(text.encode()) for text in (before, after, now))) is gone
