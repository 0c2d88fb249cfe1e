"""The engine with changes made up for the test: it knows them by their protocol alone."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import bench_in
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.reporter import Silent
from zesty_anchor.engine.run import Runner
from zesty_anchor.engine.undo import recover, take_back_run
from zesty_anchor.planning.plan import in_order
from zesty_anchor.system.locations import locate
from zesty_anchor.system.problem import Problem


class MarkRecord(Record, kw_only=True, tag="mark"):
    file: str


@dataclass(frozen=True)
class Mark:
    """Makes a file; fails or dies on demand."""

    subject: str
    folder: Path
    stage: Stage = Stage.OBTAIN
    needs: frozenset[str] = frozenset()
    follows: frozenset[str] = frozenset()
    questions: tuple[Question, ...] = ()
    commands: tuple[tuple[str, ...], ...] = ()
    fails: BaseException | None = None
    meets: threading.Barrier | None = None
    kind: str = "mark"
    action: str = "make"
    privileged: bool = False
    detail: str = ""
    size: int | None = None
    fetches: bool = False
    pending: bool = False
    on_trial: bool = False
    layered: bool = False
    touches: frozenset[str] = frozenset()

    @property
    def key(self) -> str:
        return self.subject

    def prepare(self, bench: Bench) -> MarkRecord:
        return MarkRecord(file=str(self.folder / self.subject))

    def carry_out(self, bench: Bench, record: MarkRecord) -> None:
        Path(record.file).write_text("half")
        if self.meets:
            self.meets.wait(10)
        if self.fails:
            raise self.fails
        Path(record.file).write_text("whole")


@dataclass
class Marks:
    name: str = "mark"
    taken: list[str] = field(default_factory=list)
    stays: Reverted = WHOLE
    record: type[Record] = MarkRecord
    gives_way: bool = False

    def look(self, wanted: object, machine: object) -> None:
        pass

    def plan(self, wanted: object, facts: None) -> Iterable[Mark]:
        return ()

    def notices(self, wanted: object, facts: None) -> Sequence[str]:
        return ()

    def without(self, earlier: MarkRecord, later: MarkRecord, keep: object) -> MarkRecord:
        return later

    def take_back(self, record: MarkRecord, bench: Bench) -> Reverted:
        if self.stays.whole:
            Path(record.file).unlink(missing_ok=True)
        self.taken.append(Path(record.file).name)
        return self.stays


@pytest.fixture
def work(tmp_path: Path) -> tuple[Runner, Journal, Marks, Path]:
    (tmp_path / "out").mkdir()
    bench = bench_in(tmp_path)
    journal, marks = Journal(bench.locations), Marks()
    runner = Runner({"mark": marks}, journal, bench, Silent(), journal.begin_run(Path("m")), 4)
    return runner, journal, marks, tmp_path / "out"


def test_what_does_not_depend_on_a_failure_is_done(work: tuple[Runner, Journal, Marks, Path]) -> None:
    runner, _, marks, out = work
    changes = [
        Mark("a", out),
        Mark("bad", out, fails=Problem("no")),
        Mark("c", out, needs=frozenset({"bad"})),
        Mark("d", out, needs=frozenset({"c"})),
        Mark("e", out, needs=frozenset({"a"})),
    ]
    outcomes = {r.subject: r.outcome for r in runner.stage(changes)}
    assert outcomes == {"a": "done", "bad": "failed", "c": "skipped", "d": "skipped", "e": "done"}
    assert sorted(p.name for p in out.iterdir()) == ["a", "e"]
    assert marks.taken == ["bad"]


def test_work_goes_on_side_by_side(work: tuple[Runner, Journal, Marks, Path]) -> None:
    runner, _, _, out = work
    meeting = threading.Barrier(3)
    reports = runner.stage([Mark(n, out, meets=meeting) for n in "abc"])
    assert all(r.outcome == "done" for r in reports), "they met only if all were under way at once"


@pytest.mark.parametrize("error", [Problem("no"), OSError(28, "No space left on device")])
def test_startup_files_are_all_or_none(work: tuple[Runner, Journal, Marks, Path], error: Exception) -> None:
    runner, journal, marks, out = work
    changes = [
        Mark("a", out, Stage.SHELL),
        Mark("b", out, Stage.SHELL, fails=error),
        Mark("c", out, Stage.SHELL),
    ]
    reports = runner.stage(changes)
    assert [r.outcome for r in reports] == ["undone", "failed", "skipped"]
    assert not list(out.iterdir())
    assert marks.taken == ["b", "a"], "the latest first"
    assert not journal.unfinished()
    assert ("disk is full" in reports[1].problem) == isinstance(error, OSError)


def test_an_interruption_takes_back_what_was_under_way(work: tuple[Runner, Journal, Marks, Path]) -> None:
    runner, journal, _, out = work
    with pytest.raises(KeyboardInterrupt):
        runner.stage([Mark("a", out, Stage.SHELL), Mark("b", out, Stage.SHELL, fails=KeyboardInterrupt())])
    assert not list(out.iterdir())
    assert not journal.unfinished()


def test_an_interruption_as_a_thread_starts_leaves_nothing_under_way(
    work: tuple[Runner, Journal, Marks, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Ctrl-C where the main thread has handed a change over, and does not know of it yet."""
    runner, journal, _, out = work
    begun: list[Future[None]] = []

    class Interrupted(ThreadPoolExecutor):
        def submit(self, *given: Any, **more: Any) -> Any:
            begun.append(super().submit(*given, **more))
            time.sleep(0.1)
            raise KeyboardInterrupt

    monkeypatch.setattr("zesty_anchor.engine.run.ThreadPoolExecutor", Interrupted)
    with pytest.raises(KeyboardInterrupt):
        runner.stage([Mark("a", out)])
    assert isinstance(begun[0].exception(10), KeyboardInterrupt)
    assert not list(out.iterdir())
    assert not journal.entries(runner.run), "it was never begun"


def test_a_change_that_was_cut_off_is_found_again(
    work: tuple[Runner, Journal, Marks, Path], tmp_path: Path
) -> None:
    _, journal, marks, out = work
    (out / "x").write_text("half")
    journal.begin(1, "mark", "x", "make", MarkRecord(file=str(out / "x")))
    journal.close()
    again = Journal(locate({"HOME": str(tmp_path)}))
    taken = recover({"mark": marks}, again, bench_in(tmp_path).locations, lambda run: bench_in(tmp_path))
    assert [c.subject for c in taken.changes] == ["x"]
    assert not (out / "x").exists()
    assert not again.unfinished()


def test_a_run_is_taken_back_the_latest_first(
    work: tuple[Runner, Journal, Marks, Path], tmp_path: Path
) -> None:
    runner, journal, marks, out = work
    runner.stage([Mark("a", out)])
    runner.stage([Mark("b", out, Stage.SHELL), Mark("c", out, Stage.SHELL)])
    journal.end_run(1)
    take_back_run({"mark": marks}, journal, 1, lambda run: bench_in(tmp_path))
    assert marks.taken == ["c", "b", "a"]
    assert journal.standing_runs() == []


def test_the_order_keeps_stages_and_needs(tmp_path: Path) -> None:
    changes = [
        Mark("clear", tmp_path, Stage.CLEAR),
        Mark("second", tmp_path, needs=frozenset({"first"})),
        Mark("shell", tmp_path, Stage.SHELL, needs=frozenset({"second"})),
        Mark("first", tmp_path),
    ]
    assert [c.key for c in in_order(changes)] == ["first", "second", "shell", "clear"]


def test_what_a_change_says_as_it_is_taken_back_is_kept(work: tuple[Runner, Journal, Marks, Path]) -> None:
    runner, journal, marks, out = work
    marks.stays = Reverted(("a stays: the tide is out",), whole=False)
    runner.stage([Mark("a", out, Stage.SHELL), Mark("b", out, Stage.SHELL, fails=Problem("no"))])
    assert runner.notices == ["a stays: the tide is out"] * 2
    assert [entry.subject for entry in journal.entries(1)] == ["b", "a"], "both still stand, for the next try"


def test_what_could_not_be_taken_back_is_not_said_to_be(
    work: tuple[Runner, Journal, Marks, Path], tmp_path: Path
) -> None:
    runner, journal, marks, out = work
    runner.stage([Mark("a", out, Stage.SHELL)])
    journal.end_run(1)
    marks.stays = Reverted(("a stays",), whole=False)
    taken = take_back_run({"mark": marks}, journal, 1, lambda run: bench_in(tmp_path))
    assert not taken.whole and [change.outcome for change in taken.changes] == ["not undone"]
    assert journal.standing_runs() == [1] and (out / "a").exists()
    marks.stays = WHOLE
    assert take_back_run({"mark": marks}, journal, 1, lambda run: bench_in(tmp_path)).whole
    assert journal.standing_runs() == [] and not (out / "a").exists()


def test_an_error_of_our_own_ends_one_change_and_not_the_run(
    work: tuple[Runner, Journal, Marks, Path],
) -> None:
    runner, _, _, out = work
    reports = runner.stage([Mark("bad", out, fails=KeyError("x")), Mark("good", out)])
    assert [report.outcome for report in reports] == ["failed", "done"]
    assert "something unexpected: KeyError" in reports[0].problem


def test_a_cut_off_while_it_is_taken_back_is_ended_by_the_next_run(
    work: tuple[Runner, Journal, Marks, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Half of it is gone, and half is there: neither may be taken for whole."""
    runner, journal, marks, out = work
    runner.stage([Mark("a", out)])
    journal.end_run(1)

    def killed(record: MarkRecord, bench: Bench) -> Reverted:
        Path(record.file).write_text("half")
        raise SystemExit

    monkeypatch.setattr(marks, "take_back", killed)
    with pytest.raises(SystemExit):
        take_back_run({"mark": marks}, journal, 1, lambda run: bench_in(tmp_path))
    monkeypatch.undo()
    journal.close()
    again = Journal(locate({"HOME": str(tmp_path)}))
    taken = recover({"mark": marks}, again, bench_in(tmp_path).locations, lambda run: bench_in(tmp_path))
    assert [change.subject for change in taken.changes] == ["a"]
    assert not (out / "a").exists()
    assert again.standing_runs() == []
