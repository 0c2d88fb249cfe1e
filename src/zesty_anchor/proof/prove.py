"""Opening fresh shells of every kind and checking what the manifest promises."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.checks import Question, about, identity, judge_all, programs, questions
from zesty_anchor.proof.result import Proof, ShellResult
from zesty_anchor.shelf.receipt import note_proved, proved_in
from zesty_anchor.shells.fresh import SECONDS, ask, clean_environment, unlittered
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.shell import Context
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.system.host import user_name

_PROGRAM_SECONDS = 900.0


def prove(wanted: Wanted, machine: Machine, jobs: int = 4, *, again: bool = True) -> Proof:
    """Ask every shell that is set up, in each of its contexts, ``jobs`` at a time.

    Without ``again`` those questions are left out whose answers hang on a version alone and were right before. Which were is
    written down with the versions.
    """
    versions = {
        version.folder: {identity(q, wanted.shells): q.name for q in about(version)} for version in wanted.versions
    }
    known = {} if again else {folder: proved_in(folder) for folder in versions}
    left_out = {i for folder, proved in known.items() for i in proved & versions[folder].keys()}
    asked = [q for q in questions(wanted, machine.locations) if identity(q, wanted.shells) not in left_out]
    small = [q for q in programs(wanted) if identity(q, wanted.shells) not in left_out]
    rounds = [
        (shell, context, asked)
        for shell in machine.shells
        if shell.name in wanted.shells
        for context in SHELLS[shell.name].contexts
    ]
    if small and rounds:
        shell, login, _ = rounds[0]
        rounds.append((shell, Context("programs", login.options), small))
    around = machine.around
    leaves = [path for name in wanted.shells for path in SHELLS[name].leaves(around)]
    with unlittered(leaves), ThreadPoolExecutor(max(1, jobs)) as pool:
        results = tuple(pool.map(lambda r: _one(r[0], r[1], r[2], machine), rounds))
    failed = {check.name for result in results for check in result.checks if not check.ok}
    seen = {check.name for result in results for check in result.checks} - failed
    for folder, named in versions.items():
        proved = {i for i, name in named.items() if name in seen} | (known.get(folder, frozenset()) & named.keys())
        if proved != proved_in(folder):
            note_proved(folder, proved)
    return Proof(all(result.ok for result in results), results)


def _one(shell: InstalledShell, context: Context, asked: list[Question], machine: Machine) -> ShellResult:
    environment = clean_environment(
        machine.environ, machine.locations.home, shell.program, user_name(), machine.login_path
    )
    seconds = _PROGRAM_SECONDS if context.name == "programs" else SECONDS
    runs = list(dict.fromkeys(question.run for question in asked))
    # To look a command up starts nothing, and some shells remember what they found.
    lookups = {question.run for question in asked if question.how == "place"}
    answered = ask(SHELLS[shell.name], shell.program, context, environment, runs, seconds=seconds, harmless=lookups)
    started = answered.startup_ms is not None
    checks = judge_all(asked, dict(zip(runs, answered.answers, strict=True)), started)
    return ShellResult(
        shell=shell.name,
        context=context.name,
        ok=all(check.ok for check in checks),
        startup_ms=round(answered.startup_ms or 0.0, 1),
        checks=checks,
    )
