"""Carrying changes out, each written to the journal before and after."""

from __future__ import annotations

import functools
import threading
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Change, Kinds, Stage
from zesty_anchor.changes.record import Record
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.outcome import ChangeReport, report, waits
from zesty_anchor.engine.reporter import Reporter
from zesty_anchor.engine.undo import take_back_entry, tidy
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.refusal import of_system

_QUIET_SECONDS = 1.2
"""How long nothing ends before what is done is put into use."""
_STUCK_SECONDS = 1.0
"""How long a change may take to end, once the run was interrupted."""


class Runner:
    """Carries out the changes of one run. Where it ``simulates``, what needs privilege is only told."""

    def __init__(
        self,
        kinds: Kinds,
        journal: Journal,
        bench: Bench,
        reporter: Reporter,
        run: int,
        jobs: int,
        *,
        simulates: bool = False,
    ) -> None:
        self._kinds = kinds
        self._journal = journal
        self._bench = msgspec.structs.replace(
            bench,
            moved=self._moved,
            interrupted=self._stopped,
            remark=self._remark,
            wrote=journal.wrote,
            placed=journal.placed,
        )
        self.reporter = reporter
        self.run = run
        self._jobs = max(1, jobs)
        self._simulates = simulates
        self._stop = threading.Event()
        self._at_work: dict[str, _Made] = {}
        self._taking = threading.Lock()
        self._results: dict[str, ChangeReport] = {}
        self._untidy: list[Record] = []
        self.notices: list[str] = []
        """What a person should know of changes that were made, or taken back again."""

    def _stopped(self) -> bool:
        return self._stop.is_set()

    def _remark(self, text: str) -> None:
        self.notices.append(text)

    def _moved(self, key: str, done: int, total: int | None) -> None:
        """Bytes have arrived: tell it, unless the run was interrupted, which ends the download."""
        if self._stop.is_set():
            raise KeyboardInterrupt
        self.reporter.moved(key, done, total)

    def stage(
        self, changes: Sequence[Change], meanwhile: Callable[[frozenset[str]], object] | None = None
    ) -> list[ChangeReport]:
        """Carry out the changes of one stage.

        ``meanwhile`` is called, in the stage OBTAIN, with the keys of those that are not over yet, whenever
        some are done and none of the others has ended for a while.

        Those of the stage OBTAIN run side by side, those of PREPARE one after the other, and one that fails
        keeps only those back that need it. Those of other stages run in order, all or none: when one fails
        the earlier ones are taken back. Returns a report for each change, in the given order.
        """
        if not changes:
            return []
        try:
            if changes[0].stage in (Stage.PREPARE, Stage.OBTAIN):
                jobs = 1 if changes[0].stage is Stage.PREPARE else self._jobs
                return self._side_by_side(changes, jobs, meanwhile)
            return self._all_or_none(changes, [])
        finally:
            while self._untidy:
                tidy(self._untidy.pop())

    def attempt(self, changes: Sequence[Change], well: Callable[[], bool]) -> list[ChangeReport]:
        """Carry changes out in order, all or none; where ``well`` says no afterwards, they are taken back as
        well.
        """
        done: list[_Made] = []
        try:
            reports = self._all_or_none(changes, done)
            if done and not well():
                for made in reversed(done):
                    self._take_back(made)
                reports = [report(change, "undone") for change in changes]
        finally:
            while self._untidy:
                tidy(self._untidy.pop())
        return reports

    def _side_by_side(
        self,
        changes: Sequence[Change],
        jobs: int,
        meanwhile: Callable[[frozenset[str]], object] | None,
    ) -> list[ChangeReport]:
        results = self._results
        waiting = list(changes)
        running: dict[Future[None], Change] = {}
        counted = threading.Event()
        keys = {change.key for change in changes}
        pool = ThreadPoolExecutor(jobs)
        new = False  # whether some are done that ``meanwhile`` was not called for
        try:
            while waiting or running:
                first = {c.key: c.needs | c.follows for c in waiting}
                for change in [
                    c for c in waiting if all(self._settled(n, results, keys) for n in first[c.key])
                ]:
                    waiting.remove(change)
                    failed = [n for n in change.needs if n in results and not results[n].well]
                    if failed:
                        results[change.key] = waits(change, f"it needs {results[failed[0]].subject}")
                    else:
                        counted = threading.Event()
                        running[pool.submit(self._one, change, counted)] = change
                        counted.set()
                waited = _QUIET_SECONDS if new and meanwhile is not None else None
                done, _ = wait(running, timeout=waited, return_when=FIRST_COMPLETED)
                if not done and meanwhile is not None:
                    new = False
                    meanwhile(frozenset(keys - results.keys()))
                for future in done:
                    change = running.pop(future)
                    problem = _problem_of(future)
                    new = new or problem is None
                    results[change.key] = report(
                        change, "failed" if problem else self._ended(change), problem
                    )
        except BaseException:
            self._stop.set()
            counted.set()
            pool.shutdown(wait=False, cancel_futures=True)
            self._take_back_stuck(running)
            raise
        pool.shutdown()
        return [results[change.key] for change in changes]

    def _take_back_stuck(self, running: Mapping[Future[None], Change]) -> None:
        """Take back what did not end soon after the run was interrupted: it waits for a server that says
        nothing, and stops as soon as that says something. What works with privilege is waited for.
        """
        privileged = {future for future, change in running.items() if change.privileged}
        wait(privileged)
        _, stuck = wait(running, timeout=_STUCK_SECONDS)
        for future in stuck:
            with self._taking:
                made = self._at_work.pop(running[future].key, None)
            if made is not None:
                self._take_back(made)

    @staticmethod
    def _settled(need: str, results: dict[str, ChangeReport], keys: set[str]) -> bool:
        return need in results or need not in keys

    def _all_or_none(self, changes: Sequence[Change], done: list[_Made]) -> list[ChangeReport]:
        """``done`` gets what was carried out, and is empty again where that was taken back."""
        for place, change in enumerate(changes):
            try:
                made_now = self._one_made(change)
                done += [made_now] if made_now is not None else []
            except Exception as error:
                problem = _as_problem(error, change)
                for made in reversed(done):
                    self._take_back(made)
                done.clear()
                reports = [report(c, "undone") for c in changes[:place]]
                reports.append(report(change, "failed", problem))
                reports += [
                    waits(c, f"all of them or none: {change.subject} failed") for c in changes[place + 1 :]
                ]
                return reports
            except BaseException:
                for made in reversed(done):
                    self._take_back(made)
                raise
        return [report(change, self._ended(change)) for change in changes]

    def _ended(self, change: Change) -> str:
        return "simulated" if self._simulates and change.privileged else "done"

    def _take_back(self, made: _Made) -> None:
        """Take a change of this run back. Its record may hold more than the journal has of it yet."""
        reverted = take_back_entry(self._kinds, self._journal, made.entry(), self._bench)
        self.notices += reverted.notices
        if reverted.whole:
            self._untidy.append(made.record)

    def _one(self, change: Change, counted: threading.Event) -> None:
        """Begins only when the change is ``counted`` among those that are waited for: an interruption may
        come before that, as soon as a thread has it, and then nobody would wait until it is taken back.
        """
        counted.wait()
        if self._stop.is_set():
            raise KeyboardInterrupt
        try:
            self._one_made(change)
        except Exception as error:
            raise _as_problem(error, change) from error

    def _one_made(self, change: Change) -> _Made | None:
        """Journal, carry out, journal. Whatever fails in between is taken back before it is raised on. None
        for what is only told.
        """
        text = f"{change.action} {change.subject}"
        if self._ended(change) == "simulated":
            return None
        self.reporter.began(change.key, text)
        try:
            record = change.prepare(self._bench)
            number = self._journal.begin(self.run, change.kind, change.subject, change.action, record)
            made = _Made(number, self.run, change, record)
            self._at_work[change.key] = made
            noted = functools.partial(self._journal.noted, self.run, number, record)
            try:
                if self._stop.is_set():
                    raise KeyboardInterrupt
                change.carry_out(msgspec.structs.replace(self._bench, noted=noted), record)
            except BaseException:
                with self._taking:
                    mine = self._at_work.pop(change.key, None)
                if mine is not None:
                    self._take_back(made)
                raise
            with self._taking:
                mine = self._at_work.pop(change.key, None)
            if mine is None:
                raise KeyboardInterrupt  # it took so long to end that it was taken back meanwhile
            noted("done")
        except BaseException:
            self.reporter.ended(change.key, text, well=False)
            raise
        self.reporter.ended(change.key, text, well=True)
        return made


class _Made(msgspec.Struct, frozen=True):
    """A change that was begun, with its number in the journal and its record."""

    number: int
    run: int
    change: Change
    record: Record

    def entry(self) -> Entry:
        """As the journal would have it now."""
        text = msgspec.json.encode(self.record)
        return Entry(
            self.number, self.run, self.change.kind, self.change.subject, self.change.action, text, "begun"
        )


def _problem_of(future: Future[None]) -> Problem | None:
    error = future.exception()
    if error is None or isinstance(error, Problem):
        return error
    raise error


def _as_problem(error: Exception, change: Change) -> Problem:
    if isinstance(error, Problem):
        return error
    if isinstance(error, OSError):
        return of_system(error, change.subject, taken_back=True)
    return Problem(
        f"something unexpected: {type(error).__name__}: {error}",
        where=change.subject,
        advice="it was taken back; please report it, with what -v prints",
    )
