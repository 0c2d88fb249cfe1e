"""Opening fresh shells of every kind and checking what the manifest promises."""

from __future__ import annotations

from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.checks import Question, about, judge_all, programs, questions
from zesty_anchor.proof.proved import Proved, identity
from zesty_anchor.proof.result import Proof, ShellResult
from zesty_anchor.shells.fresh import SECONDS, ask, clean_environment, unlittered
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.shell import Context
from zesty_anchor.shells.together import Interrupted, together
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.system.host import user_name

_PROGRAM_SECONDS = 900.0


def prove(wanted: Wanted, machine: Machine, jobs: int = 4, *, before: Proved | None = None) -> Proof:
    """Ask every shell that is set up, in each of its contexts, ``jobs`` at a time.

    With what was proved ``before``, those questions are left out whose answers hang on a version alone and were right then;
    what is proved now is written down there.
    """
    hanging = {
        version.folder: {q: identity(q, version, wanted.shells) for q in about(version)} for version in wanted.versions
    }
    done = {
        version.folder: {q for q, i in hanging[version.folder].items() if before and before.holds(version, i)}
        for version in wanted.versions
    }
    left_out = {q for proved in done.values() for q in proved}
    asked = [q for q in questions(wanted, machine.locations) if q not in left_out]
    small = [q for q in programs(wanted) if q not in left_out]
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
    with unlittered(leaves, machine.locations.state):
        results = tuple(together(jobs, lambda r, stop: _one(r[0], r[1], r[2], machine, stop), rounds))
    if before:
        failed = {check.name for result in results for check in result.checks if not check.ok}
        well = {check.name for result in results for check in result.checks} - failed
        before.write(
            {
                str(folder): frozenset(i for q, i in of.items() if q in done[folder] or q.name in well)
                for folder, of in hanging.items()
            }
        )
    return Proof(all(result.ok for result in results), results)


def _one(
    shell: InstalledShell, context: Context, asked: list[Question], machine: Machine, interrupted: Interrupted
) -> ShellResult:
    environment = clean_environment(
        machine.environ, machine.locations.home, shell.program, user_name(), machine.login_path
    )
    seconds = _PROGRAM_SECONDS if context.name == "programs" else SECONDS
    runs = list(dict.fromkeys(question.run for question in asked))
    # To look a command up starts nothing, and some shells remember what they found.
    lookups = {question.run for question in asked if question.how == "place"}
    answered = ask(
        SHELLS[shell.name],
        shell.program,
        context,
        environment,
        runs,
        seconds=seconds,
        harmless=lookups,
        interrupted=interrupted,
    )
    started = answered.startup_ms is not None
    checks = judge_all(asked, dict(zip(runs, answered.answers, strict=True)), started)
    return ShellResult(
        shell=shell.name,
        context=context.name,
        ok=all(check.ok for check in checks),
        startup_ms=round(answered.startup_ms or 0.0, 1),
        checks=checks,
    )
