"""What was done in this home, run by run."""

from __future__ import annotations

import msgspec

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.opening import read_journal
from zesty_anchor.engine.past_runs import PastRun
from zesty_anchor.engine.twin import run_folder
from zesty_anchor.planning.promised import by_run
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.problem import UsageProblem


def history(workstation: Workstation) -> list[PastRun]:
    """All runs that are known, the latest first."""
    logs = workstation.locations.state / "logs"
    with read_journal(workstation.locations, KINDS) as journal:
        found, told = journal.past_runs(), by_run(journal.promises())
    return [
        msgspec.structs.replace(
            each,
            log=str(folder) if (folder := run_folder(logs, each.run)).is_dir() else "",
            differences=told.get(each.run, ()),
        )
        for each in found
    ]


def one(workstation: Workstation, run: int) -> PastRun:
    """The run of that number. Raises ``UsageProblem`` where there is none."""
    known = history(workstation)
    found = next((each for each in known if each.run == run), None)
    if found is None:
        numbers = ", ".join(str(each.run) for each in known) or "none"
        raise UsageProblem(
            f"there is no run {run}",
            where=f"runs that are known: {numbers}",
            advice="zesty-anchor history lists them",
        )
    return found
