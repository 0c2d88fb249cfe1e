"""A sample of scripts/matrix: this machine's own system and shells, a made-up runtime, no network."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import msgspec
import pytest

from tests.conftest import PROGRAM, PROGRAMS, is_root
from tests.matrix.asked import Row
from tests.matrix.place import Place
from tests.matrix.run import BEGIN, END, PAGE, line, pythons, written, wrong
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import stock_feed

CHECKOUT = Path(__file__).parents[2]


@pytest.mark.skipif(not is_root(), reason="a root with mounts of its own needs root")
@pytest.mark.needs("bash", "dash", "fish", "unshare")
def test_a_sample_of_it_on_this_machine(tmp_path: Path) -> None:
    root, feed = tmp_path / "root", tmp_path / "feed"
    root.mkdir(mode=0o755)
    feed.mkdir()
    stock_feed(feed)
    with Host(feed) as serving:
        apart = [PROGRAMS["unshare"], "--mount", "--propagation", "private"]
        sample = [sys.executable, "-m", "tests.matrix.sample", str(root), str(PROGRAM), serving.url]
        done = subprocess.run(
            [*apart, *sample, "bash", "dash", "fish"], cwd=CHECKOUT, capture_output=True, text=True,
            timeout=300, check=False, env={**os.environ, "PYTHONPATH": str(CHECKOUT)},
        )  # fmt: skip
    assert done.returncode == 0, done.stderr
    row = msgspec.json.decode(done.stdout, type=Row)
    assert row.failures == {}
    assert set(row.asked) == {"bash", "dash", "fish", "all"} and min(row.asked.values()) >= 5, row.asked
    assert all(row.versions[name][0].isdigit() for name in ("bash", "dash", "fish"))


def test_a_wrong_answer_is_counted_in_the_table_and_printed() -> None:
    row = Row("Debian 12", "one file", 12.4, {"bash": "5.2.15"})
    row.expect("bash", "login", True, "v22")
    row.expect("bash", "cd ~/pinned; node --version", False, "v22\n")
    row.expect("all", "undo", False, "")
    made = line(row, "2026-12-02")
    assert made.startswith("| Debian 12 | one file | 5.2.15 **1 of 2** |")
    assert made.endswith("| **0 of 1** | 12 s | 2026-12-02 |")
    assert wrong(row) == [
        "Debian 12, one file, bash: cd ~/pinned; node --version: v22",
        "Debian 12, one file, all: undo: nothing",
    ]


def test_a_row_of_the_page_is_replaced_by_the_newer_one() -> None:
    page = f"above\n{BEGIN}\n{END}\nbelow\n"
    one, two, newer = (
        "| Debian 12 | one file | a |",
        "| Debian 12 | Python 3.11 | b |",
        "| Debian 12 | one file | c |",
    )
    first = written(page, [one, two])
    assert first.startswith(f"above\n{BEGIN}\n\n| system | program | bash |") and first.endswith(
        f"{END}\nbelow\n"
    )
    second = written(first, [newer])
    assert second == first.replace(one, newer)


def test_the_page_has_the_marks_and_no_wrong_answer() -> None:
    text = PAGE.read_text("utf-8")
    made = text[text.index(BEGIN) : text.index(END)]
    assert made.count("| 20") >= 7 and "**" not in made, "run scripts/matrix again"
    assert written(text, []) == text


def test_pythons_that_are_too_old_are_passed_over(tmp_path: Path) -> None:
    (tmp_path / "usr/bin").mkdir(parents=True)
    for name in ("python3.9", "python3.14", "python3.11", "python3.11-config", "python3", "perl"):
        (tmp_path / "usr/bin" / name).touch()
    assert pythons(tmp_path) == ["3.11", "3.14"]


@pytest.mark.parametrize(
    ("whole", "shown"),
    [("1:1.30.1-6+b3", "1.30.1"), ("2020.0.0+really93u+20120801-9", "93u+20120801"),
     ("0.5.11+git20200708+dd9ef66-5", "0.5.11"), ("5.1-2+deb11u1", "5.1"), ("1.0.10-2", "1.0.10")],
)  # fmt: skip
def test_a_version_is_shown_as_its_makers_number_it(
    whole: str, shown: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(Place, "inside", lambda self, *words: f"other \nany {whole}\n")
    assert Place(tmp_path, {}).version("other", "any") == shown
