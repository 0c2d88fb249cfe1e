"""Changes as a person reads them: what is pending, what was done, what was undone."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence

from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.outcome import ChangeReport, Outcome, RunDone, TakenBack
from zesty_anchor.proof.result import Proof
from zesty_anchor.proof.verified import may_be_fixed
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.proof import failures
from zesty_anchor.show.sizes import amount, count

_MOST_NAMED = 6
"""Changes of a run that are named; a provisioning may have hundreds."""


def outcome(paint: Paint, done: Outcome, manifest: str) -> None:
    """The summary at the end of a provisioning: what it came to, what is new, what went wrong, and what to
    type next.
    """
    _headline(paint, done, manifest)
    brought(paint, done.changes)
    for change in done.changes:
        if change.outcome == "failed":
            _failure(paint, change)
    waiting = [change for change in done.changes if change.outcome in ("skipped", "undone")]
    if waiting:
        named = [c for c in waiting if KINDS[c.kind].heading is not Heading.OURS]
        more = f"{len(waiting) - len(named)} generated files" if len(named) < len(waiting) else ""
        paint.write(
            paint.look("skipped: ")
            + ", ".join([*(f"{c.action} {c.subject}" for c in named), *filter(None, [more])])
        )
        paint.write(f"  why:  {waiting[0].problem or 'all of them or none (see above)'}")
    notices(paint, done.notices)
    if done.proof is not None and not done.proof.ok:
        paint.write()
        failures(paint, done.proof)
        if any(may_be_fixed(check) for _, check in done.proof.failures):
            paint.write(f"To repair: {paint.name('zesty-anchor verify --fix')}")
    if done.errands:
        paint.write(paint.look("An administrator must still run:"))
        for errand in done.errands:
            paint.write(f"  {errand}")
    if done.reload:
        paint.write(
            f"To update this shell:   {paint.name(done.reload)}   {paint.faint('(new shells are ready)')}"
        )


def fetched(paint: Paint, done: Outcome, size: int) -> None:
    """What was fetched (``size`` bytes of it), what was not, and what to type next."""
    here = [change for change in done.changes if change.well]
    of = "" if len(here) == len(done.changes) else f" of {len(done.changes)}"
    number = f"{len(here)}{of} files" if of else count(len(here), "file")
    got = f"{number} fetched, {amount(size)}, in {done.seconds:.1f} s."
    paint.write(paint.head(got if done.changes else "Nothing to fetch: all of it is here."))
    for change in done.changes:
        if not change.well:
            _failure(paint, change)
    notices(paint, done.notices)
    if len(here) == len(done.changes):
        paint.write(f"To install: {paint.name('zesty-anchor provision')}")


def _headline(paint: Paint, done: Outcome, manifest: str) -> None:
    """What it came to, in one line."""
    proof = done.proof
    if done.changes:
        paint.write()
        paint.write(f"{paint.head(_summary(done.changes))} in {done.seconds:.1f} s; {_standing(paint, done)}")
        return
    if proof is not None and not proof.ok:
        paint.write(f"{paint.bad(f'{_failed(proof)}')}; nothing is left to provision.")
        return
    if proof is not None:
        paint.write("Something relevant has changed since the last verification: it was verified again.")
    paint.write(f"{paint.good('Nothing to do')}: this machine matches {manifest} ({done.seconds:.2f} s).")


def _failed(proof: Proof) -> str:
    total = sum(len(shell.checks) for shell in proof.shells)
    causes = count(len(proof.by_cause), "cause")
    return f"{causes}: {len(proof.failures)} of {count(total, 'check')} failed"


def taken_back(paint: Paint, taken: TakenBack, *, whole: bool = False) -> None:
    """What ``undo`` or ``dismantle`` undid; with ``whole`` each generated file, too."""
    if not taken.changes:
        notices(paint, taken.notices)
        paint.write("Nothing left to undo.")
        return
    done = sum(change.outcome == "undone" for change in taken.changes)
    paint.write(paint.head(f"{count(done, 'change')} undone."))
    if not whole:
        brought(paint, taken.changes, "undone")
    for change in taken.changes:
        if whole or change.outcome != "undone":
            word = paint.good("undone") if change.outcome == "undone" else paint.bad("not undone")
            paint.write(f"  {word}  {change.action} {change.subject}")
    notices(paint, taken.notices)
    if done < len(taken.changes):
        left = count(len(taken.changes) - done, "change")
        paint.write(f"{left} could not be undone yet: fix the cause, then run the same command again.")


def runs(paint: Paint, standing: Sequence[RunDone]) -> None:
    """The runs that can be undone, the latest first, with what each did."""
    if not standing:
        paint.write("There is no run to undo.")
        return
    for each in standing:
        when = f"{datetime.datetime.fromtimestamp(each.began):%Y-%m-%d %H:%M}"
        paint.write(f"{paint.head(f'run {each.run}')}  {when}  {count(len(each.changes), 'change')}")
        told = each.differences or each.changes
        for words in told[:_MOST_NAMED]:
            paint.write(f"  {words}")
        if len(told) > _MOST_NAMED:
            paint.write(paint.faint(f"  and {len(told) - _MOST_NAMED} more"))
    paint.write(f"To undo one: {paint.name('zesty-anchor undo --run N')}")


def _summary(changes: Iterable[ChangeReport]) -> str:
    tally: dict[str, int] = {}
    for change in changes:
        tally[change.outcome] = tally.get(change.outcome, 0) + 1
    words = {
        "done": "done",
        "simulated": "only shown",
        "failed": "failed",
        "skipped": "skipped",
        "undone": "undone",
    }
    return ", ".join(
        f"{count(tally[key], 'change')} {word}" if key == "done" else f"{tally[key]} {word}"
        for key, word in words.items()
        if key in tally
    )


_HEADS = {
    "done": {
        "new": "new",
        "trust": "trust",
        "system": "for the system",
        "files": "your files",
        "removed": "removed",
    },
    "undone": {
        "new": "uninstalled",
        "trust": "trust as before",
        "system": "for the system",
        "files": "your files",
        "removed": "restored",
    },
}
"""The lines of a summary, by what the groups of kinds are counted under; files of our own are in none."""


_FIXED = {"done": "repaired", "undone": "as before"}
"""What is said of a version that was damaged, and was repaired, or is as it was again."""


def brought(paint: Paint, changes: Iterable[ChangeReport], outcome: str = "done") -> None:
    """What is new for the person, or is so no more, in a line each; files of ours are nothing to look at."""
    done = [change for change in changes if change.outcome == outcome]
    fixed = [change.subject for change in done if change.kind == "version" and change.action == "fix"]
    listed = {
        head: [
            KINDS[change.kind].of_subject.format(change.subject)
            for change in done
            if KINDS[change.kind].heading.summary == summary and change.subject not in fixed
        ]
        for summary, head in _HEADS[outcome].items()
    }
    for head, found in {**listed, _FIXED[outcome]: fixed}.items():
        if subjects := list(dict.fromkeys(found)):
            more = f", and {len(subjects) - _MOST_NAMED} more" if len(subjects) > _MOST_NAMED else ""
            paint.write(f"{head + ':':16}{', '.join(subjects[:_MOST_NAMED])}{more}")


def _standing(paint: Paint, done: Outcome) -> str:
    if done.proof is None:
        return paint.bad("verification skipped because some changes failed.")
    if not done.proof.ok:
        return paint.bad(f"{_failed(done.proof)}.")
    if done.failed:
        return paint.bad("what was done is verified, but some changes failed.")
    apart = len(done.proof.earlier)
    checks = sum(len(shell.checks) for shell in done.proof.shells) - apart
    more = f"; {count(apart, 'check')} failed before this run too" if apart else ""
    shells = count(len(done.proof.shells), "new shell")
    return paint.good(f"verified in {shells}") + f" ({count(checks, 'check')} passed{more})."


def _failure(paint: Paint, change: ChangeReport) -> None:
    paint.write(paint.bad("failed: ") + f"{change.action} {change.subject}: {change.problem}")
    if change.where:
        paint.write(f"  where: {change.where}")
    if change.advice:
        paint.write(f"  next:  {change.advice}")


def notices(paint: Paint, notices: Iterable[str]) -> None:
    """What a person should decide on, or know."""
    for notice in notices:
        paint.write(paint.look("note: ") + notice)
