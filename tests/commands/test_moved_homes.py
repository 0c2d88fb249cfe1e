"""A home that is moved, renamed, copied, linked or restored keeps its journal, and no other home is
touched.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import PROGRAM, Desk, is_root
from zesty_anchor.demo.home import likeness
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash", "zsh", "fish")
ALL = os.environ.get("ZESTY_ANCHOR_FAULTS") == "all"
STATE, DATA = ".local/state/zesty-anchor", ".local/share/zesty-anchor"
BASHRC = "case $- in *i*) ;; *) return ;; esac\nalias t=ls\n"


def lived_in(desk: Desk, shells: str = '["bash", "zsh", "fish"]') -> dict[str, tuple[str, str]]:
    """A provisioned home; returns what it was before."""
    desk.write(BASHRC, ".bashrc")
    desk.write("umask 022\n", ".profile")
    desk.wants(f'[shells]\nuse = {shells}\n[variables]\nAT = "{{kelp}}"\n')
    before = likeness(desk.home, (STATE, ".cache"))
    desk.well("provision")
    return before


def copied(home: Path, to: Path) -> None:
    subprocess.run(["cp", "-a", str(home), str(to)], check=True)


def all_of(folder: Path) -> dict[str, tuple[str, str]]:
    return likeness(folder, ())


def test_a_copy_does_not_touch_the_original(desk: Desk, tmp_path: Path) -> None:
    before = lived_in(desk)
    copy = Desk(tmp_path / "copy of it", desk.url)
    copied(desk.home, copy.home)
    whole = all_of(desk.home)
    answer = copy.well("undo", "--yes")
    assert f"a copy of {desk.home}, which is left as it is" in answer.err
    assert all_of(desk.home) == whole
    assert likeness(copy.home, (STATE, ".cache")) == before
    assert desk.shell("bash", 'kelp --version; echo "$AT"', "-i").split("\n")[:2] == [
        "kelp 4.2.1",
        str(desk.shelf / "kelp/4.2.1"),
    ]
    desk.well("dismantle", "--yes")
    assert likeness(desk.home, ()) == likeness(copy.home, (".local", ".cache"))


def undone_in_a_copy(desk: Desk, tmp_path: Path, before: dict[str, tuple[str, str]]) -> None:
    """Copy the home and undo in the copy: the original stays as it is, and the copy becomes what it was
    ``before``.
    """
    copy = Desk(tmp_path / "copy", desk.url)
    copied(desk.home, copy.home)
    whole = all_of(desk.home)
    copy.well("undo", "--yes")
    assert all_of(desk.home) == whole
    assert likeness(copy.home, (STATE, ".cache")) == before


@pytest.mark.parametrize("command", ["dismantle", "provision", "undo", "switch"])
def test_every_command_in_a_copy_leaves_the_original(desk: Desk, tmp_path: Path, command: str) -> None:
    lived_in(desk)
    desk.wants('[shells]\nuse = ["bash", "zsh", "fish"]\n[variables]\nAT = "{kelp}"\nMORE = "1"\n')
    desk.well("provision")
    copy = Desk(tmp_path / "copy", desk.url)
    copied(desk.home, copy.home)
    whole = all_of(desk.home)
    words = {"switch": ("switch", "--default", "kelp", "3.6")}.get(command, (command, "--yes"))
    copy.well(*words)
    assert all_of(desk.home) == whole
    if command != "dismantle":
        said = copy.shell("bash", "command -v kelp; kelp --version", "-i").split("\n")
        assert said[0].startswith(str(copy.home)) and said[1].startswith("kelp ")
        assert copy.shell("zsh", 'print -r -- "$AT"', "-i").startswith(str(copy.home))
        verified = copy.run("verify", "--json")
        assert verified.code in (0, 3), verified.out


def test_a_cut_off_run_of_a_copy_is_ended_in_the_copy(desk: Desk, tmp_path: Path) -> None:
    before = lived_in(desk)
    with sqlite3.connect(desk.home / STATE / "journal.db") as journal:
        journal.execute("UPDATE changes SET state = 'begun' WHERE kind IN ('version', 'startup-file')")
    undone_in_a_copy(desk, tmp_path, before)


@pytest.mark.parametrize("name", ["anna", "an na's", "ann/inside", "."])
def test_a_home_that_was_renamed_is_followed(desk: Desk, tmp_path: Path, name: str) -> None:
    before = lived_in(desk)
    new = Desk(tmp_path / "home" if name == "." else tmp_path / name, desk.url)
    if name == ".":  # the new home is around the old one
        desk.home.rename(tmp_path / "x")
        (tmp_path / "home").mkdir()
        (tmp_path / "x").rename(tmp_path / "home/ann")
        moved = Desk(tmp_path / "home/ann", desk.url)
        moved.well("provision")
        (tmp_path / "home/ann").rename(tmp_path / "x")
        (tmp_path / "home").rmdir()
        (tmp_path / "x").rename(tmp_path / "home")
    else:
        new.home.parent.mkdir(exist_ok=True)
        desk.home.rename(new.home)
    for command in (("verify",), ("report", str(tmp_path / "page.html"))):
        assert (
            "this home was" in (said := new.run(*command).err)
            and said.count("run zesty-anchor provision") == 1
        )
    answer = new.well("provision")
    assert "this home was moved here from" in answer.err
    text = (new.home / DATA / "shell/environment.bash").read_text()
    assert str(tmp_path / "home/ann") not in text
    assert new.shell("bash", "command -v kelp", "-i").startswith(str(new.shelf))
    assert new.well("verify", "--json").json["state"] == "ok"
    new.well("dismantle", "--yes")
    assert likeness(new.home, (STATE, ".cache")) == before


def test_a_renamed_home_is_undone_without_a_provision_in_between(desk: Desk, tmp_path: Path) -> None:
    before = lived_in(desk)
    new = Desk(tmp_path / "anna", desk.url)
    desk.home.rename(new.home)
    new.well("undo", "--yes")
    assert likeness(new.home, (STATE, ".cache")) == before


def test_what_is_followed_is_what_would_be_written(desk: Desk, tmp_path: Path) -> None:
    """Nothing is left to do but to prove it: each generated file is, byte for byte, what the new home gets
    anyway.
    """
    lived_in(desk, '"all"')
    new = Desk(tmp_path / "anna", desk.url)
    desk.home.rename(new.home)
    assert new.well("provision", "--json").json["changes"] == [], "the first one only follows"
    assert new.well("preview", "--json").json["pending"] == 0


def test_an_old_journal_is_brought_along(desk: Desk, tmp_path: Path) -> None:
    """A journal of 0.1 has whole paths, and does not know its home: the copies in its attic tell it."""
    before = lived_in(desk)
    as_in_0_1(desk.home)
    undone_in_a_copy(desk, tmp_path, before)
    desk.well("undo", "--yes")
    assert likeness(desk.home, (STATE, ".cache")) == before


def as_in_0_1(home: Path) -> None:
    """Make a journal one of 0.1."""
    file = home / STATE / "journal.db"
    with sqlite3.connect(file) as journal:
        for table, columns in (("changes", ("record",)), ("runs", ("manifest",)), ("kept", ("kept", "was"))):
            for column in columns:
                journal.execute(
                    f"UPDATE {table} SET {column} = replace({column}, '{{home}}', ?)", (str(home),)
                )
        journal.execute("DROP TABLE home")
        journal.execute("PRAGMA user_version = 3")
    for twin in (home / STATE / "attic").rglob("changes.jsonl"):
        rows = twin.read_text().replace("{home}", str(home)).replace(',"format":2', "")
        twin.write_text(rows)


@pytest.mark.parametrize("which", [DATA, STATE, ".cache/zesty-anchor"])
def test_a_folder_of_ours_may_be_a_link_to_a_bigger_disk(desk: Desk, tmp_path: Path, which: str) -> None:
    before = lived_in(desk)
    (tmp_path / "big").mkdir()
    shutil.move(desk.home / which, tmp_path / "big/theirs")
    (desk.home / which).symlink_to(tmp_path / "big/theirs")
    (tmp_path / "big/theirs/mine.txt").write_text("mine\n")
    assert desk.well("verify", "--json").json["state"] == "ok"
    answer = desk.well("dismantle", "--yes")
    assert likeness(desk.home, ()) == before
    assert [path.name for path in (tmp_path / "big/theirs").iterdir()] == ["mine.txt"]
    assert "also contains files that are not ours: left in place" in answer.out


def test_our_line_is_found_in_a_file_that_was_renamed(desk: Desk) -> None:
    lived_in(desk)
    (desk.home / ".profile").rename(desk.home / ".bash_profile")
    answer = desk.well("dismantle", "--yes")
    assert (desk.home / ".bash_profile").read_text() == "umask 022\n"
    assert "our line was removed from ~/.bash_profile" in answer.out
    assert not list(desk.home.glob(".local/share/*"))


@pytest.mark.parametrize("what", ["journal", "state"])
def test_a_journal_of_yesterday_leaves_nothing_with_a_dead_path(
    desk: Desk, tmp_path: Path, what: str
) -> None:
    desk.write(BASHRC, ".bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n[variables]\nAT = "1"\n')
    before = likeness(desk.home, (STATE, ".cache", "workstation.toml"))
    desk.well("provision")
    copied(desk.home / STATE, tmp_path / "yesterday")
    desk.wants(
        '[shells]\nuse = "all"\n[path]\nfirst = ["~/bin"]\n[variables]\nAT = "2"\n',
        '[runtimes.kelp]\nwant = "3.6"\n',
    )
    desk.well("provision")
    if what == "state":
        shutil.rmtree(desk.home / STATE)
        copied(tmp_path / "yesterday", desk.home / STATE)
    else:
        shutil.copy(tmp_path / "yesterday/journal.db", desk.home / STATE / "journal.db")
    answer = desk.well("dismantle", "--yes")
    left = likeness(desk.home, ("kept-by-zesty-anchor", "workstation.toml", ".cache"))
    assert left.items() ^ before.items() == set(), answer.out + answer.err
    assert "did not list" in answer.err, "what came with a later run is said"


def test_a_path_that_is_told_is_there_after_dismantle(desk: Desk) -> None:
    lived_in(desk)
    (desk.shelf / "kelp/4.2.1/mine").write_text("mine\n")
    answer = desk.well("dismantle", "--yes", "--json").json
    told = [word.rstrip(".,;") for notice in answer["notices"] for word in notice.split() if "/" in word]
    assert told
    for path in told:
        where = Path(path.replace("~", str(desk.home), 1))
        assert where.exists() or "held what was not put there" in str(answer["notices"]), path
        assert STATE not in path, "it is gone"


@pytest.mark.parametrize("variable", ["STATE", "DATA", "CONFIG"])
def test_folders_outside_that_belong_to_another_home_are_refused(
    desk: Desk, tmp_path: Path, variable: str
) -> None:
    desk.environment[f"XDG_{variable}_HOME"] = str(tmp_path / "big")
    lived_in(desk)
    copy = Desk(tmp_path / "copy", desk.url, dict(desk.environment))
    copied(desk.home, copy.home)
    whole = all_of(tmp_path)
    for words in (("undo", "--yes"), ("dismantle", "--yes"), ("provision",)):
        answer = copy.run(*words)
        assert answer.code == 2, answer.out + answer.err
        assert f"belongs to the home {desk.home}" in answer.err and f"XDG_{variable}_HOME" in answer.err
    assert all_of(tmp_path) == whole


def test_a_link_to_the_home_is_the_same_home(desk: Desk, tmp_path: Path) -> None:
    before = lived_in(desk)
    (tmp_path / "alias").symlink_to(desk.home)
    other = Desk(tmp_path / "alias", desk.url)
    answer = other.well("undo", "--yes")
    assert "moved" not in answer.err and "copy" not in answer.err
    assert likeness(desk.home, (STATE, ".cache")) == before


def test_a_link_of_the_copy_that_leads_into_the_original_is_not_written_through(
    desk: Desk, tmp_path: Path
) -> None:
    desk.write(BASHRC, "dotfiles/bashrc")
    (desk.home / ".bashrc").symlink_to(desk.home / "dotfiles/bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    copy = Desk(tmp_path / "copy", desk.url)
    copied(desk.home, copy.home)
    whole = all_of(desk.home)
    copy.run("undo", "--yes")
    copy.run("dismantle", "--yes")
    assert all_of(desk.home) == whole
    assert (copy.home / "dotfiles/bashrc").read_text() == BASHRC


@pytest.mark.skipif(not is_root(), reason="only root can give a file to another user")
def test_a_startup_file_of_another_user_is_refused_before_anything_is_done(
    desk: Desk, open_room: Path
) -> None:
    home = open_room / "ann"
    shutil.copytree(desk.home, home)
    ann = Desk(home, desk.url)
    ann.write(BASHRC, ".bashrc")
    ann.wants('[shells]\nuse = ["bash"]\n')
    for path in (home, *home.rglob("*")):
        os.chown(path, 4242, 4242)
    os.chown(home / ".bashrc", 0, 0)
    done = as_user(ann, "provision")
    assert done.returncode != 0
    assert ".bashrc belongs to root, and writing it would change its owner" in done.stderr
    assert not (home / DATA).exists() and (home / ".bashrc").stat().st_uid == 0


def as_user(desk: Desk, *words: str) -> subprocess.CompletedProcess[str]:
    """Run the program as user 4242."""
    return subprocess.run(
        [str(PROGRAM), *words], user=4242, group=4242, extra_groups=[], cwd=desk.home, capture_output=True,
        text=True,
        env={"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8"}, check=False,
    )  # fmt: skip


class World:
    """A few homes side by side, of which each is one's own; what is outside of the one that is worked in
    never changes.
    """

    def __init__(self, top: Path, url: str) -> None:
        self.top, self.url = top, url
        self.homes = [top / "h0"]
        self.count = 0

    def new(self) -> Path:
        self.count += 1
        return self.top / f"h{self.count}"


ACTIONS = st.lists(
    st.tuples(
        st.sampled_from(
            ["move", "copy", "backup", "restore", "link", "provision", "undo", "dismantle", "switch"]
        ),
        st.integers(0, 3),
    ),
    min_size=3,
    max_size=7,
)


@settings(
    max_examples=40 if ALL else 4, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True
)
@given(actions=ACTIONS)
def test_in_any_order_no_other_home_is_touched(
    actions: list[tuple[str, int]], kelp_feed: str, tmp_path_factory: pytest.TempPathFactory
) -> None:
    top = tmp_path_factory.mktemp("homes")
    world = World(top, kelp_feed)
    first = Desk(world.homes[0], kelp_feed)
    first.home.mkdir()
    lived_in(first, '["bash"]')
    backups: list[Path] = []
    for action, which in actions:
        home = world.homes[which % len(world.homes)]
        desk = Desk(home, kelp_feed)
        if action == "move":
            new = world.new()
            home.rename(new)
            world.homes[world.homes.index(home)] = new
        elif action == "copy":
            world.homes.append(world.new())
            copied(home, world.homes[-1])
        elif action == "backup":
            backups.append(world.new().with_suffix(".backup"))
            if (home / STATE).exists():
                copied(home / STATE, backups[-1])
            else:
                backups.pop()
        elif action == "restore" and backups:
            shutil.rmtree(home / STATE, ignore_errors=True)
            (home / STATE).parent.mkdir(parents=True, exist_ok=True)
            copied(backups[which % len(backups)], home / STATE)
        elif action == "link":
            (top / f"link-to-{home.name}").unlink(missing_ok=True)
            (top / f"link-to-{home.name}").symlink_to(home)
        else:
            if (top / f"link-to-{home.name}").is_dir() and which % 2:
                desk = Desk(top / f"link-to-{home.name}", kelp_feed)
            others = {other: all_of(other) for other in (*world.homes, *backups) if other != home}
            words = {"switch": ("switch", "--default", "kelp", "3.6")}.get(action, (action, "--yes"))
            answer = desk.run(*words)
            assert "Traceback" not in answer.err, answer.err
            assert {other: all_of(other) for other in others} == others, (action, answer.out, answer.err)
    for home in world.homes:
        others = {other: all_of(other) for other in world.homes if other != home}
        answer = Desk(home, kelp_feed).run("dismantle", "--yes")
        assert {other: all_of(other) for other in others} == others
        assert (home / ".profile").read_text() == "umask 022\n", answer.out + answer.err
        assert (home / ".bashrc").read_text() == BASHRC
    shutil.rmtree(top)
