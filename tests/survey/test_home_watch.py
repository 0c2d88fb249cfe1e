"""What a program did to a home: found by looking before and after."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from zesty_anchor.survey.home_watch import HomeWatch, difference
from zesty_anchor.survey.startup.caught import caught

BEFORE = b"alias tides=ls\n# the end"
HOOK = b'[ -r "$BOLLARD_HOME/bollard.sh" ] && . "$BOLLARD_HOME/bollard.sh"\n'


@pytest.mark.parametrize(
    ("added", "kept"),
    [
        (HOOK, HOOK),
        (b"# bollard\nexport BOLLARD_HOME=~/.bollard\n" + HOOK, HOOK),
        (b'export PATH="$HOME/.bollard/bin:$PATH"\nPATH+=:/opt/bollard\nexport PATH\n', b""),
        (b'PATH="$HOME/.bollard:$PATH" . ~/.bollard/env\n',
        b'PATH="$HOME/.bollard:$PATH" . ~/.bollard/env\n'),
        (b"if [ -d ~/.bollard ]; then\n  PATH=~/.bollard:$PATH\nfi\n",
        b"if [ -d ~/.bollard ]; then\n  PATH=~/.bollard:$PATH\nfi\n"),
        (b"export OTHER=1 PATH=x\n", b"export OTHER=1 PATH=x\n"),
        (b"cat <<EOF\nexport PATH=x\nEOF\n", b"cat <<EOF\nexport PATH=x\nEOF\n"),
        (b"alias moor='bollard moor'\r\n", b"alias moor='bollard moor'\n"),
    ],
)  # fmt: skip
def test_the_lines_that_were_added_are_kept_but_for_those_that_we_do_ourselves(
    added: bytes, kept: bytes
) -> None:
    for before in (b"", BEFORE, BEFORE + b"\n", b"\xff latin\n"):
        whole = before + (b"" if not before or before.endswith(b"\n") else b"\n") + added
        assert caught([("bash", before, whole)], ["BOLLARD_HOME"]).get("bash", "").encode() == kept, before


def test_lines_in_two_files_of_one_shell_are_kept_once() -> None:
    found = caught(
        [("bash", b"", HOOK), ("bash", b"x=1\n", b"x=1\n" + HOOK), ("fish", b"", b"set -x PATH a $PATH\n")],
        [],
    )
    assert found == {"bash": HOOK.decode(), "fish": "set -x PATH a $PATH\n"}


def test_a_line_that_was_changed_counts_as_added() -> None:
    assert caught([("zsh", b"plugins=(a)\nx=1\n", b"plugins=(a bollard)\nx=1\n")], []) == {
        "zsh": "plugins=(a bollard)\n"
    }


@pytest.fixture
def watch(tmp_path: Path) -> HomeWatch:
    (tmp_path / ".config/editor").mkdir(parents=True)
    (tmp_path / "dotfiles").mkdir()
    (tmp_path / "dotfiles/bashrc").write_bytes(BEFORE)
    (tmp_path / ".bashrc").symlink_to("dotfiles/bashrc")
    (tmp_path / ".inputrc").write_text("set bell-style none\n")
    (tmp_path / ".bash_history").write_text("ls\n")
    (tmp_path / ".own").mkdir()
    return HomeWatch(tmp_path, [tmp_path / ".bashrc", tmp_path / "far/env"], [tmp_path / ".own"])


def test_what_came_and_what_changed(watch: HomeWatch, tmp_path: Path) -> None:
    before = watch.look()
    (tmp_path / ".bollard/deep").mkdir(parents=True)
    (tmp_path / ".config/bollard.conf").write_text("x")
    (tmp_path / "far").mkdir()
    (tmp_path / "far/env").write_text("x")
    (tmp_path / ".own/more").write_text("ours")
    (tmp_path / ".bash_history").write_text("ls\nls\n")
    (tmp_path / ".inputrc").unlink()
    (tmp_path / "dotfiles/bashrc").write_bytes(BEFORE + HOOK)
    os.mkdir(os.fsencode(tmp_path) + b"/.bollard-\xff")
    found = difference(before, watch.look())
    names = {os.path.relpath(path, os.fsencode(tmp_path)) for path in found.came}
    assert names == {b".bollard", b".bollard-\xff", b".config/bollard.conf", b"far"}
    changed = {os.path.relpath(path, os.fsencode(tmp_path)): now for path, now in found.changed.items()}
    assert changed == {b".inputrc": None, b".bashrc": BEFORE + HOOK}


def test_a_link_that_became_a_file_is_a_change(watch: HomeWatch, tmp_path: Path) -> None:
    before = watch.look()
    (tmp_path / ".bashrc").unlink()
    (tmp_path / ".bashrc").write_bytes(BEFORE)
    assert list(difference(before, watch.look()).changed.values()) == [BEFORE]
