"""How progress is told: plain lines, not too many, and live ones on a terminal."""

from __future__ import annotations

import io
import re
import time

import pytest

from zesty_anchor.show import hosts, progress
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.progress import Lines, Live, reporter
from zesty_anchor.show.sizes import amount, count


class Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def test_plain_lines_are_few(monkeypatch: pytest.MonkeyPatch) -> None:
    clock = [0.0]
    monkeypatch.setattr(progress.time, "monotonic", lambda: clock[0])
    out = io.StringIO()
    with reporter(Paint(out, "auto", {}), quiet=False) as telling:
        assert type(telling) is Lines
        telling.began("version:kelp:4", "install kelp 4")
        for second in range(12):
            clock[0] = float(second)
            telling.moved("version:kelp:4", second * 1_000_000, 12_000_000)
            telling.told("package:all", f"unpack {second}")
        telling.ended("version:kelp:4", "install kelp 4", well=True)
        telling.unattended(3, 5_000, 1)
    lines = out.getvalue().splitlines()
    assert [line.strip() for line in lines] == [
        "unpack 0",
        "install kelp 4: 5.0 MB of 12.0 MB",
        "unpack 5",
        "install kelp 4: 10.0 MB of 12.0 MB",
        "unpack 10",
        "done    install kelp 4, 11.0 MB",
        "no more questions: 3 steps, 5.0 kB and 1 download of unknown size to fetch",
    ]


def test_quiet_tells_only_what_must_be_looked_at() -> None:
    out = io.StringIO()
    with reporter(Paint(out, "auto", {}), quiet=True) as telling:
        telling.said("x")
        telling.began("a", "b")
        telling.moved("a", 1, 2)
        telling.ended("a", "b", well=False)
        telling.warned("look here")
    assert out.getvalue().strip() == "note: look here"


@pytest.mark.parametrize(("term", "kind"), [("xterm", Live), ("dumb", Lines)])
def test_live_lines_need_a_terminal_that_can_rewrite(term: str, kind: type) -> None:
    out = Terminal()
    with reporter(Paint(out, "never", {"TERM": term}), quiet=False) as telling:
        assert type(telling) is kind
        telling.began("version:kelp:4", "install kelp 4")
        telling.moved("version:kelp:4", 1_000_000, 4_000_000)
        telling.told("version:kelp:4", "build")
        telling.ended("version:kelp:4", "install kelp 4", well=True)
    assert "done    install kelp 4, 1.0 MB" in out.getvalue()


def test_what_a_build_prints_is_no_markup_and_stays_on_its_line() -> None:
    out = Terminal()
    with reporter(Paint(out, "never", {"TERM": "xterm", "COLUMNS": "80"}), quiet=False) as telling:
        telling.began("version:kelp:4", "install kelp 4.2.1")
        telling.told("version:kelp:4", "build kelp 4.2.1, 3 s: cc -o [/quay/brine.o] [bold]" + "x" * 200)
        time.sleep(0.3)  # it is drawn ten times a second
        telling.moved("version:kelp:4", 4_000_000, 4_000_000)
        time.sleep(0.3)
        telling.ended("version:kelp:4", "install kelp 4.2.1", well=True)
    shown = out.getvalue()
    assert "cc -o [/quay" in shown
    assert "4.0 MB, unpacking" in shown
    rows = [re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", row) for row in re.split(r"[\r\n]", shown)]
    assert all(len(row) <= 80 for row in rows if "now  " in row), rows


def test_numbers_for_a_person() -> None:
    assert [amount(n) for n in (0, 1, 999, 1000, 12_345, 123_456_789, 5e12)] == [
        "0 bytes", "1 byte", "999 bytes", "1.0 kB", "12.3 kB", "123 MB", "5000 GB",
    ]  # fmt: skip
    assert (count(1, "change"), count(2, "change")) == ("1 change", "2 changes")


def test_colour_only_where_it_is_wanted() -> None:
    assert Paint(io.StringIO(), "always", {}).good("x") != "x"
    assert Paint(Terminal(), "auto", {}).good("x") != "x"
    assert Paint(io.StringIO(), "auto", {}).good("x") == "x"
    assert Paint(Terminal(), "auto", {"NO_COLOR": "1"}).good("x") == "x"


def test_the_time_of_fetching_is_told_only_while_bytes_arrive(monkeypatch: pytest.MonkeyPatch) -> None:
    clock, told = [1000.0], list[str]()
    monkeypatch.setattr(progress.time, "monotonic", lambda: clock[0])
    with reporter(Paint(Terminal(), "never", {"TERM": "xterm"}), quiet=False) as telling:
        assert isinstance(telling, Live)

        def shown() -> str:
            assert telling._live is not None and telling._whole is not None
            told.append(next(t.fields["told"] for t in telling._live.tasks if t.id == telling._whole))
            return told[-1]

        telling.ahead(3, 100_000_000)
        clock[0] += 600  # a build, with nothing to fetch
        telling.told("version:ebb:1", "make")
        assert "fetching" not in shown()
        for second in range(6):
            clock[0] += 1
            telling.moved("version:kelp:4", (second + 1) * 5_000_000, 100_000_000)
        assert "about 12 s of fetching left" in shown(), "by the time in which bytes arrived"
        clock[0] += 60
        telling.ended("version:ebb:1", "build ebb", well=True)
        assert "fetching" not in shown(), "nothing is being fetched"


def test_the_machines_at_work_are_a_table_as_long_as_one_is() -> None:
    out = Terminal()
    with hosts.reporter(Paint(out, "never", {"TERM": "xterm"}), quiet=False) as telling:
        assert type(telling) is hosts.Hosts
        telling.began("quay-1", "quay-1: provision")
        telling.began("quay-2", "quay-2: provision")
        telling.told("quay-1", "quay-1: install [kelp] 4.2.1\x1b[2J")
        telling.ended("quay-2", "quay-2: provision", well=False)
        table = telling._table()
        cells = [[str(cell) for cell in column._cells] for column in table.columns]
        assert cells[0] == ["  quay-1", "  quay-2"] and cells[1] == ["running", "failed"]
        assert cells[3] == ["install [kelp] 4.2.1\\x1b[2J", "provision"], (
            "what comes from there is only shown"
        )
        telling.ended("quay-1", "quay-1: provision", well=True)
        assert telling._live is None, "something may be asked now"
        for number in range(100):
            telling.began(f"mast-{number}", f"mast-{number}: verify")
        rows = [str(cell) for cell in telling._table().columns[0]._cells]
        assert len(rows) < 100 and rows[-1].startswith("  and ") and rows[-1].endswith(" more")
    assert type(hosts.reporter(Paint(io.StringIO(), "auto", {}), quiet=False)) is Lines
