"""Our line in a crontab, as text; and what root alone can change."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.conftest import ORDINARY, bench_in, is_root
from zesty_anchor.changes.person.crontab import CrontabRecord, EditCrontab
from zesty_anchor.system import crontab
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.trusted import is_roots, others_can_change

JOBS = "# mine\nMAILTO=desk\n0 5 * * * kelp --version\n"


def test_our_line_goes_in_front_once_and_comes_out_as_it_went_in() -> None:
    for text in ("", JOBS, "no end"):
        once = crontab.with_ours(text, "/home/tide/bin")
        assert once.endswith(text) and once.count("PATH=") == 1
        assert crontab.with_ours(once, "/home/tide/bin") == once
        moved = crontab.with_ours(once, "/mnt/tide/bin")
        assert "/home/tide" not in moved and moved.endswith(text)
        assert crontab.without_ours(once) == text
        assert crontab.path_of(once) == "/home/tide/bin:/usr/bin:/bin"
    assert crontab.path_of(JOBS) == "/usr/bin:/bin"
    below = JOBS + crontab.with_ours("", "/home/tide/bin")
    assert crontab.without_ours(below) == JOBS, "wherever somebody moved it"
    alone = crontab.with_ours("", "/x").splitlines()[0] + "\n0 5 * * * date\n"
    assert crontab.without_ours(alone) == "0 5 * * * date\n", "a job below our mark is no line of ours"


def test_a_path_of_the_person_is_seen_and_ours_is_none() -> None:
    assert crontab.other_path(crontab.with_ours(JOBS, "/x")) == 0
    for line in ("PATH=/usr/bin", "  PATH = /usr/bin", '"PATH"=/usr/bin'):
        assert crontab.other_path(f"# x\n{line}\n") == 2
        assert crontab.other_path(crontab.with_ours(f"{line}\n", "/x")) == 3
    assert crontab.other_path("# PATH=/usr/bin\nXPATH=1\n0 5 * * * PATH=/x date\n") == 0


@pytest.mark.parametrize("said", ["no crontab for tide", "You (tide) are not allowed to use this program"])
def test_one_that_cannot_be_read_is_never_replaced(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, said: str
) -> None:
    program = tmp_path / "crontab"
    program.write_text(
        f'#!/bin/sh\n[ "$1" = -l ] && {{ echo "{said}" >&2; exit 1; }}\ncat >{tmp_path}/written\n'
    )
    program.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:/usr/bin:/bin")
    bench = bench_in(tmp_path, lambda command, hear: 0)
    record = CrontabRecord(launchers="/home/tide/bin", before="")
    if said.startswith("no crontab"):
        assert crontab.read() == ""
        EditCrontab("/home/tide/bin").carry_out(bench, record)
        assert (tmp_path / "written").read_text() == crontab.with_ours("", "/home/tide/bin")
    else:
        assert crontab.read() is None
        with pytest.raises(Problem, match="stays as it is"):
            EditCrontab("/home/tide/bin").carry_out(bench, record)
        assert not (tmp_path / "written").exists()


def test_the_home_of_passwd_alone_has_the_crontab(tmp_path: Path) -> None:
    assert crontab.is_of_home(Path("~").expanduser()) == (Path("~").expanduser() == Path(_home()))
    assert not crontab.is_of_home(tmp_path)


def _home() -> str:
    import pwd

    return os.path.realpath(pwd.getpwuid(os.getuid()).pw_dir)


@pytest.mark.skipif(not is_root(), reason="only root makes what root alone can change")
def test_what_others_can_change_is_found_wherever_it_is(open_room: Path) -> None:
    folder = open_room / "a/b"
    folder.mkdir(parents=True)
    file = folder / "kelp"
    file.write_text("x")
    assert others_can_change(str(file)) == "" and is_roots(str(file))
    for place in (file, folder, open_room / "a"):
        for change, back in (
            (lambda p=place: p.chmod(0o775), lambda p=place: p.chmod(0o755)),
            (lambda p=place: p.chmod(0o757), lambda p=place: p.chmod(0o755)),
            (lambda p=place: os.chown(p, ORDINARY, -1), lambda p=place: os.chown(p, 0, -1)),
        ):
            change()
            assert others_can_change(str(file)) == str(place)
            back()
    link = open_room / "link"
    link.symlink_to(file)
    os.chown(file, ORDINARY, -1)
    assert others_can_change(str(link)) == str(file), "a link is judged by where it leads"
    assert others_can_change(str(folder / "none")) == str(folder / "none")
