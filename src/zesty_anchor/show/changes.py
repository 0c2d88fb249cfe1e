"""Changes as a person reads them: what is pending, what was done, what was taken back."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence

from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.outcome import ChangeReport, Outcome, RunDone, TakenBack
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.proof import failures, matrix
from zesty_anchor.show.sizes import count

_MOST_NAMED = 6
"""Changes of a run that are named; a provisioning may have hundreds."""


def outcome(paint: Paint, done: Outcome, manifest: str) -> None:
    """The summary at the end of a provisioning."""
    if not done.changes and done.proof is not None and not done.proof.ok:
        notices(paint, done.notices)
        matrix(paint, done.proof, failed=True)
        paint.write()
        failures(paint, done.proof)
        paint.write(
            paint.bad("Not well: ")
            + f"nothing is left to provision, but fresh shells do not all answer as {manifest} says."
        )
        return
    if not done.changes:
        notices(paint, done.notices)
        if done.proof is not None:
            paint.write("What the proof hangs on has changed since the last one: it was proved anew.")
        paint.write(
            paint.good("Nothing to do: ") + f"this machine is as {manifest} says ({done.seconds:.2f} s)."
        )
        return
    for change in done.changes:
        if change.outcome == "failed":
            _failure(paint, change)
    waiting = [change for change in done.changes if change.outcome in ("waited", "taken back")]
    if waiting:
        named = [c for c in waiting if KINDS[c.kind].heading is not Heading.OURS]
        more = f"{len(waiting) - len(named)} files of our own" if len(named) < len(waiting) else ""
        paint.write(
            paint.look("not done: ")
            + ", ".join([*(f"{c.action} {c.subject}" for c in named), *filter(None, [more])])
        )
        paint.write(f"  why:  {waiting[0].problem or 'all of them or none (see below)'}")
    notices(paint, done.notices)
    if done.proof is not None and not done.proof.ok:
        paint.write()
        matrix(paint, done.proof, failed=True)
        paint.write()
        failures(paint, done.proof)
    paint.write()
    brought(paint, done.changes)
    paint.write(f"{paint.head(_summary(done.changes))} in {done.seconds:.1f} s; {_standing(paint, done)}")
    if done.errands:
        paint.write(paint.look("An administrator must still run:"))
        for errand in done.errands:
            paint.write(f"  {errand}")
    if done.reload:
        paint.write(f"For this shell, which was open before, run:   {paint.name(done.reload)}")
        paint.write(paint.faint("A new window needs nothing."))


def taken_back(paint: Paint, taken: TakenBack, *, whole: bool = False) -> None:
    """What ``undo`` or ``dismantle`` took back; with ``whole`` each file of ours, too."""
    if not whole:
        brought(paint, taken.changes, "taken back")
    for change in taken.changes:
        if whole or change.outcome != "taken back":
            look = paint.good if change.outcome == "taken back" else paint.bad
            paint.write(f"  {look(change.outcome)}  {change.action} {change.subject}")
    notices(paint, taken.notices)
    done = sum(change.outcome == "taken back" for change in taken.changes)
    if taken.changes:
        paint.write(paint.head(f"{count(done, 'change')} taken back."))
        if done < len(taken.changes):
            left = len(taken.changes) - done
            paint.write(
                f"{left} could not be taken back yet: fix the cause, then run the same command again."
            )
    else:
        paint.write("There was no provisioning left to take back.")


def runs(paint: Paint, standing: Sequence[RunDone]) -> None:
    """The runs that can be taken back, the latest first, with what each did."""
    if not standing:
        paint.write("There is no run to take back.")
        return
    for each in standing:
        when = f"{datetime.datetime.fromtimestamp(each.began):%Y-%m-%d %H:%M}"
        paint.write(f"{paint.head(f'run {each.run}')}  {when}  {count(len(each.changes), 'change')}")
        told = each.differences or each.changes
        for words in told[:_MOST_NAMED]:
            paint.write(f"  {words}")
        if len(told) > _MOST_NAMED:
            paint.write(paint.faint(f"  and {len(told) - _MOST_NAMED} more"))
    paint.write(f"To take one back: {paint.name('zesty-anchor undo --run N')}")


def _summary(changes: Iterable[ChangeReport]) -> str:
    tally: dict[str, int] = {}
    for change in changes:
        tally[change.outcome] = tally.get(change.outcome, 0) + 1
    words = {
        "done": "done",
        "simulated": "only told",
        "failed": "failed",
        "waited": "not begun",
        "taken back": "taken back",
    }
    return ", ".join(
        f"{count(tally[key], 'change')} {word}" if key == "done" else f"{tally[key]} {word}"
        for key, word in words.items()
        if key in tally
    )


_HEADS = {
    "done": {"new": "new", "system": "for the system", "files": "your files", "removed": "taken away"},
    "taken back": {
        "new": "off the shelf",
        "system": "for the system",
        "files": "your files",
        "removed": "brought back",
    },
}
"""The lines of a summary, by what the groups of kinds are counted under; files of our own are in none."""


def brought(paint: Paint, changes: Iterable[ChangeReport], outcome: str = "done") -> None:
    """What is new for the person, or is so no more, in a line each; files of ours are nothing to look at."""
    done = [change for change in changes if change.outcome == outcome]
    for summary, head in _HEADS[outcome].items():
        subjects = [
            KINDS[change.kind].of_subject.format(change.subject)
            for change in done
            if KINDS[change.kind].heading.summary == summary
        ]
        if subjects:
            more = f", and {len(subjects) - _MOST_NAMED} more" if len(subjects) > _MOST_NAMED else ""
            paint.write(f"{head + ':':16}{', '.join(subjects[:_MOST_NAMED])}{more}")


def _standing(paint: Paint, done: Outcome) -> str:
    if done.proof is None:
        return paint.bad("not proved, since not all was done.")
    if done.proof.ok and done.failed:
        return paint.bad("what was done is verified, and not all was done (above).")
    if done.proof.ok:
        apart = len(done.proof.earlier)
        checks = sum(len(shell.checks) for shell in done.proof.shells) - apart
        shells = count(len({shell.shell for shell in done.proof.shells}), "shell")
        starts = count(len(done.proof.shells), "fresh start")
        answers = "checked in new shells" if apart else "every fresh shell answers as the manifest says"
        more = f"; {count(apart, 'check')} failed before this run too" if apart else ""
        return paint.good(answers) + f" ({count(checks, 'check')} in {starts} of {shells}{more})."
    return paint.bad("but fresh shells do not all answer as the manifest says (above).")


def _failure(paint: Paint, change: ChangeReport) -> None:
    paint.write(paint.bad("failed: ") + f"{change.action} {change.subject}: {change.problem}")
    if change.where:
        paint.write(f"  where: {change.where}")
    if change.advice:
        paint.write(f"  next:  {change.advice}")


def notices(paint: Paint, notices: Iterable[str]) -> None:
    """What a person should decide on, or know."""
    for notice in notices:
        paint.write(paint.look("look: ") + notice)
