"""The report as one page: HTML that needs no script and nothing from anywhere else."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.past_runs import PastRun
from zesty_anchor.planning.reported import Report
from zesty_anchor.proof.result import Cause, CheckResult, Proof, ShellResult
from zesty_anchor.show.sizes import amount, count, lasted
from zesty_anchor.survey.startup.start_cost import ShellCost
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.visible import visible

GENERATOR = b'<meta name="generator" content="zesty-anchor'
"""By this a page of ours is known."""
VERDICTS = {
    "ok": "All checks passed",
    "pending": "The manifest asks for more than was provisioned",
    "changed": "Something was changed since installation",
    "failing": "Some checks failed",
}
"""What each state means, in a line."""
_MOST_LINES = 10
_MOST_STEPS = 24


class Bar(msgspec.Struct, frozen=True):
    """A bar of a figure: its words, where it begins and how long it is in parts of the whole, the value in
    words, and its kind.
    """

    words: str
    start: float
    length: float
    value: str
    kind: str = ""


class Row(msgspec.Struct, frozen=True):
    """A row of the proof: a check, and for each shell in how many ways of starting it was well, and in how
    many it was asked.
    """

    name: str
    cells: tuple[tuple[int, int], ...]


class CauseTold(msgspec.Struct, frozen=True):
    """Why checks failed, once, with all that hangs on it."""

    cause: Cause | None
    checks: tuple[str, ...]
    shells: tuple[str, ...]
    first: CheckResult


def page(found: Report, home: Path) -> str:
    """The whole page. Paths in the ``home`` are told from ``~`` on: its name may be nobody else's
    business.
    """
    from jinja2 import Environment, PackageLoader, StrictUndefined

    def plain(value: Any) -> Any:
        """Text without credentials, and with nothing in it that cannot be seen."""
        return visible(without_credentials(value)).replace(f"{home}/", "~/") if type(value) is str else value

    environment = Environment(
        loader=PackageLoader("zesty_anchor", "show"),
        autoescape=True,
        undefined=StrictUndefined,
        finalize=plain,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters |= {"plain": plain, "when": when, "amount": amount, "lasted": lasted, "count": count}
    proof = found.verified.proof
    last = next((run for run in found.runs if not run.undone), None)
    return environment.get_template("report.html.j2").render(
        found=found,
        verdict=VERDICTS[found.verified.state],
        shells=list(dict.fromkeys(result.shell for result in proof.shells)),
        checks=sum(len(shell.checks) for shell in proof.shells),
        failed=[row for row in matrix(proof) if any(well < asked for well, asked in row.cells)],
        passed=[row for row in matrix(proof) if all(well == asked for well, asked in row.cells)],
        everywhere=max((len(entry.wins_in) for entry in found.path), default=0),
        causes=causes(proof),
        last=last,
        steps=timeline(last) if last is not None else [],
        starts=starts(proof.shells),
        costs=[(cost, lines(cost)) for cost in (found.costs.shells if found.costs is not None else ())],
    )


def when(moment: float) -> str:
    """A moment (seconds since 1970) as this machine's clock has it."""
    return f"{datetime.datetime.fromtimestamp(moment).astimezone():%Y-%m-%d %H:%M %Z}"


def matrix(proof: Proof) -> list[Row]:
    """A row for each check, those that failed first. Pure."""
    shells = list(dict.fromkeys(result.shell for result in proof.shells))
    rows = [
        Row(name, tuple((sum(by_shell.get(shell, ())), len(by_shell.get(shell, ()))) for shell in shells))
        for name, by_shell in proof.marks.items()
    ]
    return sorted(rows, key=lambda row: all(well == asked for well, asked in row.cells))


def causes(proof: Proof) -> list[CauseTold]:
    """Each cause once. Pure."""
    return [
        CauseTold(
            key if isinstance(key, Cause) else None,
            tuple(dict.fromkeys(check.name for _, check in found)),
            tuple(
                dict.fromkeys(
                    f"{shell.shell}{f' ({shell.context})' if shell.context else ''}" for shell, _ in found
                )
            ),
            found[0][1],
        )
        for key, found in proof.by_cause.items()
    ]


def timeline(run: PastRun) -> list[Bar]:
    """What ran when in a run, beside what: the longest of its changes in their order, then the proof at its
    end. Pure.
    """
    whole = max(run.ended - run.began, 0.001)
    named = [
        change for change in run.changes if change.began and KINDS[change.kind].heading is not Heading.OURS
    ]
    longest = sorted(named, key=lambda change: -change.seconds)[:_MOST_STEPS]
    over = max((change.began + change.seconds for change in named), default=run.ended) - run.began
    proof = run.ended - run.began - over
    bars = [
        Bar(
            f"{change.action} {change.subject}",
            min(1.0, max(0.0, (change.began - run.began) / whole)),
            min(1.0, change.seconds / whole),
            lasted(change.seconds),
            "" if change.state == "done" else "bad",
        )
        for change in sorted(longest, key=lambda change: change.began)
    ]
    asked = (
        [Bar("verify in new shells", over / whole, proof / whole, lasted(proof))]
        if run.verified and bars
        else []
    )
    return [*bars, *asked]


def starts(shells: Iterable[ShellResult]) -> list[Bar]:
    """How long each new shell took until its first command. Pure."""
    asked = [shell for shell in shells if shell.context and shell.startup_ms]
    most = max((shell.startup_ms for shell in asked), default=1.0)
    return [
        Bar(f"{shell.shell}, {shell.context}", 0.0, shell.startup_ms / most, f"{shell.startup_ms:.0f} ms")
        for shell in asked
    ]


def lines(cost: ShellCost) -> Sequence[Bar]:
    """Slowest lines of a shell's start. Pure."""
    most = cost.starts[0].median or 1.0
    return [
        Bar(
            f"{line.file}:{line.line}  {line.text[:48]}",
            0.0,
            min(1.0, line.milliseconds / most),
            f"{line.milliseconds:.1f} ms",
        )
        for line in cost.lines[:_MOST_LINES]
        if line.milliseconds >= 1
    ]
