"""Opening new shells of every kind and checking what the manifest promises."""

from __future__ import annotations

import os
import threading
from collections.abc import Collection, Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.checks import (
    ABSOLUTE,
    ENVIRONMENT,
    FOLLOWS,
    LOOKUPS,
    about,
    fetches,
    follows,
    personal,
    programs,
    questions,
    without_shells,
)
from zesty_anchor.proof.in_folder import PinnedFolder, by_pin, in_folder, missing_in, no_folder, with_checks
from zesty_anchor.proof.judging import environment_in, judge_all
from zesty_anchor.proof.outside import outside
from zesty_anchor.proof.proved import Proved, identity
from zesty_anchor.proof.question import Question
from zesty_anchor.proof.result import HERE, IN_FOLDER, PROGRAMS, Proof, ShellResult
from zesty_anchor.proof.starts import start_checks
from zesty_anchor.shells.fresh import SECONDS, Answer, Answers, Line, ask
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.litter import make_folders, unlittered
from zesty_anchor.shells.marked_start import PRIVATE
from zesty_anchor.shells.reading import Context
from zesty_anchor.shells.together import Interrupted, together
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.survey.startup.start_environment import start_environment

_PROGRAM_SECONDS = 900.0


class Asking(msgspec.Struct, frozen=True):
    """What is to be asked: only the checks of these names, and only these shells (none named: all); whether
    the package tools fetch something (``online``); with what was proved ``before``, those questions are left
    out whose answers depend on a version alone and were right then, and what a startup file of the person's
    prints, or puts on PATH, was so before. In each of the ``folders`` shells that follow the folder are asked
    for the versions that are pinned there.
    """

    only: tuple[str, ...] = ()
    shells: tuple[str, ...] = ()
    online: bool = False
    before: Proved | None = None
    folders: tuple[PinnedFolder, ...] = ()


class _Round(NamedTuple):
    """One start of one shell, what it is asked, and in which folder (None: in the home)."""

    shell: InstalledShell
    context: Context
    asked: list[Question]
    folder: PinnedFolder | None = None


class _Asked(NamedTuple):
    """What came of a round: the answers by their command lines, and the key of those that it shares with
    others.
    """

    answers: Answers
    by_run: dict[str, Answer]
    key: tuple[object, ...]


def prove(wanted: Wanted, machine: Machine, jobs: int = 4, asking: Asking | None = None) -> Proof:
    """Ask every shell that is set up, in each of its contexts, ``jobs`` at a time. What is proved now is
    written down where it is told what was ``before``.
    """
    asking = asking or Asking()
    before = asking.before
    hanging = {
        version.folder: {q: identity(q, version, wanted.shells) for q in about(version)}
        for version in wanted.versions
    }
    done = {
        version.folder: {q for q, i in hanging[version.folder].items() if before and before.holds(version, i)}
        for version in wanted.versions
    }
    left_out = {q for proved in done.values() for q in proved}
    rounds = _rounds(wanted, machine, asking, left_out)
    around = machine.around
    leaves = [path for name in wanted.shells for path in SHELLS[name].leaves(around)]
    shared = _Shared()
    with unlittered(leaves, machine.locations.state):
        make_folders(path for name in wanted.shells for path in SHELLS[name].folders(around))
        asked = together(jobs, lambda r, stop: _one(r, machine, shared, stop), rounds)
    ours = str(machine.locations.data) if before else ""
    most_ms = wanted.shell_choices.most_startup_ms
    own = {name for name, _ in wanted.variables}
    watched = {name for recipe in wanted.recipes.values() for name in recipe.diverted} - own
    results = [
        _judged(each, found, shared, most_ms, asking, ours, watched)
        for each, found in zip(rounds, asked, strict=True)
    ]
    results += _without_shell(wanted, machine, asking)
    results = [result for result in results if result.checks]
    if before:
        failed = {check.name for result in results for check in result.checks if not check.ok}
        well = {check.name for result in results for check in result.checks} - failed
        before.write(
            {
                str(folder): frozenset(i for q, i in of.items() if q in done[folder] or q.name in well)
                for folder, of in hanging.items()
            },
            {},
        )
    return Proof(all(result.ok for result in results), tuple(results))


def _rounds(wanted: Wanted, machine: Machine, asking: Asking, left_out: Collection[Question]) -> list[_Round]:
    """The starts, the slowest shells not last; each personal check where it belongs, the programs in a start
    of their own.
    """
    if not wanted.shells:
        shell = next((each for each in machine.shells if SHELLS[each.name].like_sh), None)
        alone = without_shells(wanted, machine.locations.launchers, online=asking.online)
        asked = [q for q in alone if _fits(q.name, asking)]
        return [_Round(shell, Context(PROGRAMS, ()), asked)] if shell is not None and asked else []
    asked = [*questions(wanted, machine.locations), ABSOLUTE]
    asked = [q for q in asked if q not in left_out and _fits(q.name, asking)]
    rounds = [
        _Round(shell, context, list(asked))
        for shell in machine.shells
        if shell.name in wanted.shells and (not asking.shells or shell.name in asking.shells)
        for context in SHELLS[shell.name].contexts
    ]
    if not rounds:
        return []
    for each in rounds if wanted.recipes and _fits(FOLLOWS, asking) else ():
        if SHELLS[each.shell.name].follows and "-i" in each.context.options:
            each.asked.append(follows(each.shell.name))
    once = next((r for r in rounds if r.shell.login and "-i" in r.context.options), rounds[0])
    for check in wanted.checks:
        if check.run is None or check.folder is not None or not _fits(check.name, asking):
            continue
        for each in [once] if check.once else rounds:
            if not check.shells or each.shell.name in check.shells:
                each.asked.append(personal(check, wanted))
    rounds += _in_folders(wanted, machine, asking, rounds)
    small = [*programs(wanted), *(fetches(wanted) if asking.online else ())]
    small = [q for q in small if q not in left_out and _fits(q.name, asking)]
    if small:
        first = rounds[0]
        rounds.insert(0, _Round(first.shell, Context(PROGRAMS, first.context.options), small))
    return rounds


def _in_folders(wanted: Wanted, machine: Machine, asking: Asking, rounds: Sequence[_Round]) -> list[_Round]:
    """A start in each folder with pins, or with a check of its own, of each shell that follows the folder;
    where none does, of the first, which enters it.
    """
    firsts = {each.shell.name: each for each in reversed(rounds)}
    followers = {
        each.shell.name: each
        for each in reversed(rounds)
        if SHELLS[each.shell.name].follows and "-i" in each.context.options
    }
    found = []
    for folder in with_checks(asking.folders, wanted, machine.locations):
        pins = [q for q in in_folder(folder, wanted) if _fits(q.name, asking)]
        asked = {shell: list(pins) for shell in followers if pins}
        for check in wanted.checks:
            if check.folder == folder.path and _fits(check.name, asking):
                shells = [n for n in check.shells or followers or (rounds[0].shell.name,) if n in firsts]
                for shell in shells[:1] if check.once else shells:
                    asked.setdefault(shell, []).append(personal(check, wanted))
        for shell, questions_of in asked.items():
            start = followers.get(shell, firsts[shell])
            context = msgspec.structs.replace(start.context, name=f"{IN_FOLDER}{folder.shown}")
            found.append(_Round(start.shell, context, questions_of, folder))
    return found


def _fits(name: str, asking: Asking) -> bool:
    return not asking.only or any(word.lower() in name.lower() for word in asking.only)


def _without_shell(wanted: Wanted, machine: Machine, asking: Asking) -> list[ShellResult]:
    """The checks that need no shell: the person's, then those of each folder with pins."""
    outer = [outside(c, wanted.folder, machine.locations.home) for c in wanted.checks if c.run is None]
    found = {
        "": [*outer, *no_folder(wanted)],
        **{f"{IN_FOLDER}{each.shown}": missing_in(each) for each in asking.folders},
    }
    results = []
    for context, checks in found.items():
        fitting = tuple(check for check in checks if _fits(check.name, asking))
        results.append(ShellResult(HERE, context, not any(c.decides for c in fitting), 0.0, fitting))
    return results


class _Shared:
    """The answers that hang on a shell's environment alone: of several shells that have the same one, one is
    asked.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._owners: set[tuple[object, ...]] = set()
        self.answers: dict[tuple[object, ...], dict[str, Answer]] = {}

    def owns(self, key: tuple[object, ...]) -> bool:
        """Whether whoever asks is the first with this key, and so the one that is to ask."""
        with self._lock:
            new = key not in self._owners
            self._owners.add(key)
            return new


def _one(each: _Round, machine: Machine, shared: _Shared, interrupted: Interrupted) -> _Asked:
    shell, context, asked, folder = each
    environment = start_environment(shell, machine)
    firsts = [q.run for q in asked if q.how in LOOKUPS]
    later = {q.run: q for q in asked if q.how not in LOOKUPS}
    runs = list(dict.fromkeys([*firsts, *([ENVIRONMENT] if any(q.shared for q in asked) else []), *later]))
    seconds = _PROGRAM_SECONDS if context.name == PROGRAMS else SECONDS
    lines = [_line(run, later.get(run), seconds) for run in runs]
    keys: list[tuple[object, ...]] = []

    def decide(answers: Sequence[Answer | None]) -> list[int]:
        keys.append(_key(shell.name, runs, answers))
        own = shared.owns(keys[0])
        return [n for n, run in enumerate(runs) if run in later and (own or not later[run].shared)]

    answered = ask(
        SHELLS[shell.name],
        shell.program,
        context,
        environment,
        lines,
        decide=decide,
        interrupted=interrupted,
        folder=Path(folder.path) if folder is not None else None,
    )
    by_run = {run: answer for run, answer in zip(runs, answered.answers, strict=True) if answer is not None}
    key = keys[0] if keys else ()
    if any(run in by_run and later[run].shared for run in later):
        shared.answers[key] = {run: by_run[run] for run in later if run in by_run and later[run].shared}
    return _Asked(answered, by_run, key)


def _line(run: str, later: Question | None, seconds: float) -> Line:
    if later is None:
        return Line(run, seconds, harmless=run != ENVIRONMENT)
    if later.check is not None:
        return Line(run, later.check.seconds, later=True, guarded=True)
    return Line(run, seconds, later=True)


def _key(shell: str, runs: Sequence[str], answers: Sequence[Answer | None]) -> tuple[object, ...]:
    """All that an answer hangs on: what answers to the commands, the variables that programs could look at,
    and the shell itself where one of its functions answers.
    """
    told = {run: answer.output for run, answer in zip(runs, answers, strict=True) if answer is not None}
    given = environment_in(told.pop(ENVIRONMENT, b""))
    kept = frozenset((name, value) for name, value in given.items() if not _is_passing(name))
    functions = any(output.strip() and not output.startswith((b"/", b"'", b"$")) for output in told.values())
    return (kept, frozenset(told.items()), shell if functions else "")


_PASSING = frozenset(
    b"SHELL SHLVL _ PWD OLDPWD COLUMNS LINES ENV HOST HOSTTYPE MACHTYPE OSTYPE VENDOR GROUP LOGNAME VERSION"
    b" TERM A__z NLSPATH".split()
)
"""Variables that shells set for themselves, each in its own way."""


def _is_passing(name: bytes) -> bool:
    own = os.fsdecode(name) in PRIVATE  # those name a folder of this one start
    return own or name in _PASSING or name.startswith((b"ZESTY_ANCHOR_", b"SSH_", b"_", b"KSH_"))


def _judged(
    each: _Round,
    found: _Asked,
    shared: _Shared,
    most_ms: int,
    asking: Asking,
    ours: str,
    watched: Collection[str],
) -> ShellResult:
    by_run = {**shared.answers.get(found.key, {}), **found.by_run}
    started = found.answers.startup_ms is not None
    given = environment_in(by_run[ENVIRONMENT].output) if ENVIRONMENT in by_run else {}
    checks = (
        []
        if each.context.name == PROGRAMS or each.folder
        else start_checks(each.context, found.answers, most_ms, ours)
    )
    checks = [check for check in checks if _fits(check.name, asking)]
    landed = found.answers.landed
    is_other = bool(landed) and SHELLS[landed].like_sh != SHELLS[each.shell.name].like_sh
    asked = [q for q in each.asked if not is_other or q.name != FOLLOWS]  # it is put to each language apart
    checks += judge_all(asked, by_run, started)
    if each.folder is not None and started:
        checks = [by_pin(check, each.folder) for check in checks]
    if ours and started:  # an entry of ours is always absolute
        checks = [
            msgspec.structs.replace(c, before=not c.ok) if c.name == ABSOLUTE.name else c for c in checks
        ]
    return ShellResult(
        shell=each.shell.name,
        context=each.context.name,
        ok=not any(check.decides for check in checks),
        startup_ms=round(found.answers.startup_ms or 0.0, 1),
        checks=tuple(checks),
        diverting=tuple(name for name in sorted(watched) if given.get(os.fsencode(name))),
    )
