"""Why a check failed: asked of the shell's start, line by line, and of what stands on the shelf."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable
from pathlib import Path

import msgspec

from zesty_anchor.files.edit import lines_of
from zesty_anchor.files.text_file import content_of
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.checks import FOLLOWS, follows, personal, programs, questions
from zesty_anchor.proof.question import Question
from zesty_anchor.proof.result import HERE, PROGRAMS, Cause, CheckResult, Proof, ShellResult
from zesty_anchor.proof.starts import NO_ERROR, SILENT, STARTS
from zesty_anchor.proof.verified import Drift
from zesty_anchor.shells.known import FOLLOW, LAUNCH, SHELLS
from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.shells.shell import MARK
from zesty_anchor.survey.machine import Machine, known_blocks
from zesty_anchor.survey.startup.provenance import found_in, traces
from zesty_anchor.survey.startup.start_troubles import printing
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Place
from zesty_anchor.survey.startup.troubles import broken

PROVISION = "zesty-anchor provision"
NOT_YET = "asked for, and not provisioned yet"
_OURS = ("place", "once", "variable", "follows")
_ENDS = "it ends the reading of"
_LEAVES = re.compile(r"(?:return|exit|exec|logout|bye)\b(?!\s+\d*[<>])")
_UNSETS = re.compile(r"(?:unset|unsetenv|set (?:-\w+ )*(?:-\w*e\w*|--erase))\s(?:.*\s)?")
_HOOKS = re.compile(r"(?:chpwd_functions|PROMPT_COMMAND|PS1)=")
_PLACE = re.compile(r"(?P<file>(?:~|/)[^\s:\[]*)(?:: line |:|\[| \(line )(?P<line>\d+)")

PlaceOf = Callable[..., str]
"""The manifest's file and the line of a key, by the path of that key."""


def explained(proof: Proof, wanted: Wanted, machine: Machine, place_of: PlaceOf, drift: Iterable[Drift] = ()) -> Proof:
    """The same proof, with the cause of each check that failed and what mends it. The shells concerned are started once more, and
    watched. ``drift`` is what stands otherwise than the manifest says.
    """
    if proof.ok:
        return proof
    asked = {q.name: q for q in (*questions(wanted, machine.locations), *programs(wanted))}
    asked |= {check.name: personal(check, wanted) for check in wanted.checks if check.run is not None}
    asked[FOLLOWS] = follows("")
    failing = {result.shell for result in proof.shells if not result.ok and result.shell != HERE}
    abouts = {asked[c.name].about for _, c in proof.failures if c.name in asked} - {"", "PATH"} | {"cd"}
    started = traces(machine, failing, abouts) if failing else []
    by_start = {(trace.shell, trace.context): trace for trace in started}
    reasons = _Reasons(wanted, machine, place_of, drift)

    def of(result: ShellResult, check: CheckResult) -> CheckResult:
        if check.ok or check.cause is not None:
            return check
        trace = by_start.get((result.shell, result.context))
        if result.context == PROGRAMS:
            trace = next((t for t in started if t.shell == result.shell), None)
        cause, mend = reasons.of(check, asked.get(check.name), trace)
        return msgspec.structs.replace(check, cause=cause, mend=check.mend or mend)

    shells = tuple(
        msgspec.structs.replace(result, checks=tuple(of(result, check) for check in result.checks))
        for result in proof.shells
    )
    return Proof(proof.ok, shells)


class _Reasons:
    def __init__(self, wanted: Wanted, machine: Machine, place_of: PlaceOf, drift: Iterable[Drift]) -> None:
        self._altered = {each.place: each for each in drift if each.state == "altered"}
        self._pending = {each.place: each for each in drift if each.state == "pending"}
        self._wanted = wanted
        self._machine = machine
        self._place_of = place_of
        self._shown = machine.locations.shown
        self._blocks = known_blocks(machine.locations)
        self._broken = [trouble for trouble in broken(machine) if trouble.line]

    def of(self, check: CheckResult, question: Question | None, trace: StartupTrace | None) -> tuple[Cause, str]:
        """The cause, and what mends it."""
        if trace is not None and trace.cut_off:
            return self._cut_off(trace)
        if question is None:
            return self._of_start(check, trace)
        if trace is not None and question.how in _OURS and self._not_yet(trace.shell):
            return Cause(NOT_YET, self._not_yet(trace.shell)), PROVISION
        damaged = self._damage(question, check.observed)
        if damaged is not None:
            return damaged
        if trace is not None:
            found = self._found(question, check, trace)
            if found is not None:
                return found
        return self._by_itself(question)

    def _not_yet(self, shell: str) -> str:
        """A file of ours that this shell reads, and that is not as the manifest asks by now; empty for none."""
        places = (self._shown(file.path) for name, file in self._machine.generated.items() if name in (shell, "sh"))
        return next((place for place in places if place in self._pending), "")

    def _found(self, question: Question, check: CheckResult, trace: StartupTrace) -> tuple[Cause, str] | None:
        if question.name == FOLLOWS:
            return self._follows(trace)
        if question.about.startswith("$"):
            return self._variable(question.about[1:], trace)
        if question.about == "PATH":
            return self._path(trace)
        if question.how in ("place", "outside"):
            return self._command(question, trace)
        if question.about:
            # What it prints hangs on which one answers.
            return self._command(question, trace, only_others=True)
        word = re.search(r"(?:^|[:\s])([\w.+-]+): (?:command )?not found", check.observed)
        if word is not None:
            return self._nobody(word[1], trace)
        return None

    def _cut_off(self, trace: StartupTrace) -> tuple[Cause, str]:
        """The shell never took a command."""
        last = next((step for step in reversed(trace.steps) if step.file), None)
        why = trace.cut_off.split(", at ")[0]
        if last is None:
            return Cause(why), f"look at what {trace.shell} reads: zesty-anchor trace PATH"
        what = (
            f"{why}: {_word(last.text)}" if not _LEAVES.match(last.text) else f"it ends the shell: {_word(last.text)}"
        )
        cause = self._cause(what, Place(last.file, last.line))
        return cause, f"take {cause.place} out, or guard it: [ -t 0 ] || …"

    def _of_start(self, check: CheckResult, trace: StartupTrace | None) -> tuple[Cause, str]:
        """Something about the start itself."""
        told = _PLACE.search(check.observed) if check.name in (SILENT, NO_ERROR) else None
        if told is not None:
            home = str(self._machine.locations.home)
            file = told["file"].replace("~", home, 1) if told["file"][0] == "~" else told["file"]
            if Path(file).is_relative_to(self._machine.locations.data):
                return self._changed(*self._machine.generated) or (Cause(check.observed, self._shown(file)), PROVISION)
            syntax = next((each for each in self._broken if each.file == self._shown(file)), None)
            cause = self._cause(check.observed, Place(file, syntax.line if syntax is not None else int(told["line"])))
            return cause, f"put {cause.place} right"
        if check.name == SILENT and trace is not None:
            place = printing(trace, check.observed)
            if place is not None:
                cause = self._cause(
                    "it prints where there is no terminal, which breaks scp, rsync and git over ssh", place
                )
                return cause, f"guard {cause.place}: [ -t 1 ] && …"
        if check.name == NO_ERROR:
            syntax = next((t for t in self._broken if trace is None or trace.shell in t.shells), None)
            if syntax is not None:
                return Cause(
                    syntax.what, syntax.file, syntax.line, self._row(syntax.file, syntax.line)
                ), f"put {syntax.file}:{syntax.line} right"
        if check.name.startswith(f"{STARTS} within") and trace is not None:
            slow = _slowest(trace)
            if slow is not None:
                cause = self._cause(f"this line takes {slow[1] * 1000:.0f} ms", slow[0])
                return cause, f"take {cause.place} out, or read it only when it is needed"
        return Cause("the shell's own answer; no line of a file was found that brings it"), "zesty-anchor survey"

    def _follows(self, trace: StartupTrace) -> tuple[Cause, str]:
        """Why a shell does not look at the folder that it enters."""
        changed = self._changed(f"{FOLLOW}{trace.shell}")
        if changed is not None:
            return changed
        found = next(iter(found_in("cd", trace, self._machine)), None)
        if found is not None and found.place is not None:
            cause = self._cause(
                f"cd is {'an' if found.kind == 'alias' else 'a'} {found.kind} of the person's own", found.place
            )
            return cause, f"delete {cause.place}"
        step = next(
            (s for s in reversed(trace.steps) if s.file and _HOOKS.match(s.text) and "za__" not in s.text), None
        )
        if step is not None:
            cause = self._cause("it sets what the shell does at a new folder", Place(step.file, step.line))
            return cause, self._mend(Place(step.file, step.line), trace)
        return self._unread(trace)

    def _damage(self, question: Question, observed: str) -> tuple[Cause, str] | None:
        """A version whose files are not as they were put there."""
        for version in self._wanted.versions:
            concerned = (
                question.about in (*version.recipe.commands, version.runtime)
                or f"{version.runtime} {version.version}" in question.name
            )
            extra = any(question.about in extra.commands for extra in version.extras)
            if version.damage and (concerned or extra or f"{version.folder}/" in observed):
                first = version.damage[0]
                file = self._shown(version.folder / first.name) if first.name else self._shown(version.folder)
                return Cause(
                    f"{version.runtime} {version.version} is damaged: {first.name or 'it'} {first.what}", file
                ), PROVISION
        return None

    def _command(
        self, question: Question, trace: StartupTrace, *, only_others: bool = False
    ) -> tuple[Cause, str] | None:
        """Who answers in place of the version."""
        name = question.about
        found = next(iter(found_in(name, trace, self._machine)), None)
        if found is None:
            return self._nobody(name, trace)
        ours = (
            Path(found.path).is_relative_to(self._machine.locations.data) if found.path.startswith("/") else found.ours
        )
        if ours:
            if found.kind == "launcher" and self._launcher(name) is not None:
                return self._launcher(name)
            if only_others:
                return None
            return Cause(
                f"{name} resolves to {self._shown(found.path)}, another version", self._shown(found.path)
            ), PROVISION
        if found.kind in ("alias", "function", "builtin"):
            cause = self._cause(
                f"{name} is {'an' if found.kind == 'alias' else 'a'} {found.kind} of the shell", found.place
            )
            return cause, f"delete {cause.place}" if found.place else f"zesty-anchor trace {name}"
        where = f"{name} resolves to {self._shown(found.path)}"
        if found.place is not None:
            cause = self._cause(f"{where}: its folder stands first on PATH", found.place)
            return cause, self._mend(found.place, trace)
        lost = self._lost(os.path.dirname(question.expected.split("\0")[0]), trace)
        return lost or (Cause(where, self._shown(found.path)), f"zesty-anchor trace {name}")

    def _nobody(self, name: str, trace: StartupTrace) -> tuple[Cause, str]:
        """Nothing answers: our folders are not on PATH, or what was in them is gone."""
        for version in self._wanted.versions:
            names = {*version.recipe.commands, *(c for extra in version.extras for c in extra.commands)}
            if version.default and name in names:
                lost = self._lost(str(version.bins[0]), trace)
                if lost is not None:
                    return lost
                file = self._shown(version.bins[0] / name)
                return Cause(f"{file} is missing, or may not be run", file), PROVISION
        return Cause(f"nothing on PATH is called {name}"), f"install it: [prerequisites] packages, or [runtimes.{name}]"

    def _lost(self, folder: str, trace: StartupTrace) -> tuple[Cause, str] | None:
        """Why a folder of ours is not on PATH."""
        if folder in trace.path.split(":"):
            return None
        held = [folder in step.path.split(":") for step in trace.steps] + [False]
        gone = [n for n in range(len(trace.steps)) if held[n] and not held[n + 1]]
        if gone and trace.steps[gone[-1]].file:
            step = trace.steps[gone[-1]]
            cause = self._cause("it takes our folders off PATH", Place(step.file, step.line))
            return cause, self._mend(Place(step.file, step.line), trace)
        return self._unread(trace)

    def _unread(self, trace: StartupTrace) -> tuple[Cause, str]:
        """Why the shell did not read what we wrote."""
        machine = self._machine
        changed = self._changed(trace.shell, "sh")
        if changed is not None:
            return changed
        syntax = next((t for t in self._broken if trace.shell in t.shells), None)
        if syntax is not None:
            row = self._row(syntax.file, syntax.line)
            return Cause(syntax.what, syntax.file, syntax.line, row), f"put {syntax.file}:{syntax.line} right"
        read = {step.file for step in trace.steps if step.file}
        for site in SHELLS[trace.shell].sites(machine.around):
            text = machine.startup[site.file].content
            ours = self._own_line(text or b"")
            if ours is None and MARK.encode() in (text or b""):
                cause = self._cause("our line in it was changed", Place(str(site.file), _marked(text or b"")))
                return cause, PROVISION
            if ours is None:
                return Cause(f"our line is not in {self._shown(site.file)}", self._shown(site.file)), PROVISION
            last = next((s for s in reversed(trace.steps) if s.file == str(site.file)), None)
            if str(site.file) in read and last is not None and last.line < ours:
                cause = self._cause(
                    f"{_ENDS} {self._shown(site.file)}, above our line {ours}",
                    Place(last.file, last.line),
                )
                return cause, PROVISION
        return Cause(f"{trace.shell} does not read what was written for it"), PROVISION

    def _variable(self, name: str, trace: StartupTrace) -> tuple[Cause, str] | None:
        found = next(iter(found_in(f"${name}", trace, self._machine)), None)
        if found is not None and found.place is not None:
            cause = self._cause(f"it sets {name} last", found.place)
            return cause, self._mend(found.place, trace)
        if found is not None and found.ours:
            return self._changed(trace.shell, "sh")
        for step in reversed(trace.steps):
            unset = _UNSETS.match(step.text)
            if unset and re.search(rf"\b{re.escape(name)}\b", step.text[unset.end() - 1 :]) and step.file:
                place = Place(step.file, step.line)
                cause = self._cause(f"it takes {name} away", place)
                return cause, self._mend(place, trace)
        return self._unread(trace)

    def _changed(self, *names: str) -> tuple[Cause, str] | None:
        """What we wrote for a shell was changed by somebody, or is gone."""
        for name in names:
            file = self._machine.generated.get(name)
            found = self._altered.get(self._shown(file.path)) if file is not None else None
            if found is not None:
                return Cause(found.what, found.place), PROVISION
        return None

    def _launcher(self, name: str) -> tuple[Cause, str] | None:
        """The launcher of a command, or what all of them read."""
        changed = self._changed(LAUNCH)
        folder = self._shown(self._machine.locations.launchers)
        if changed is None and folder in self._altered:
            return Cause(f"{folder}/{name} is not the launcher that was written", f"{folder}/{name}"), PROVISION
        return changed

    def _own_line(self, content: bytes) -> int | None:
        """The number of our line in a startup file, the later one of two."""
        rows = [n for n, row in enumerate(content.split(b"\n"), 1) if row.strip() in self._blocks]
        return rows[-1] if rows else None

    def _path(self, trace: StartupTrace) -> tuple[Cause, str] | None:
        for found in found_in("PATH", trace, self._machine):
            if found.remark == "twice" and found.place is not None:
                cause = self._cause(f"it puts {self._shown(found.path)} on PATH once more", found.place)
                return cause, self._mend(found.place, trace)
        for folder in (*self._wanted.path_first, *self._wanted.default_bins, *self._wanted.path_last):
            lost = self._lost(folder, trace)
            if lost is not None:
                return lost
        return None

    def _by_itself(self, question: Question) -> tuple[Cause, str]:
        """Nothing of the shell's: the check itself, or what it runs."""
        for number, check in enumerate(self._wanted.checks):
            if check.name == question.name:
                place = self._place_of("checks", number, "run")
                file, _, line = place.rpartition(":")
                what = f"what it runs answers otherwise: {check.run}"
                return Cause(
                    what, self._shown(file), int(line), check.run or ""
                ), f"run it by hand, or edit {self._shown(file)}:{line}"
        return Cause(f"what it runs answers otherwise: {_word(question.run)}"), f"run it by hand: {_word(question.run)}"

    def _mend(self, place: Place, trace: StartupTrace) -> str:
        """What puts a line right that stands where ours should: our line goes below it. In fish we have none: its own files are read
        after ours.
        """
        if trace.shell != "fish" and Path(place.file).is_relative_to(self._machine.locations.home):
            return PROVISION
        return f"delete {self._shown(place.file)}:{place.line}"

    def _cause(self, what: str, place: Place | None) -> Cause:
        if place is None:
            return Cause(what)
        shown = self._shown(place.file)
        return Cause(what, shown, place.line, self._row(place.file, place.line))

    def _row(self, file: str, line: int) -> str:
        home = str(self._machine.locations.home)
        path = Path(home + file[1:]) if file.startswith("~/") else Path(file)
        rows = (content_of(path) or b"").decode("utf-8", "replace").splitlines()
        return rows[line - 1].strip() if 0 < line <= len(rows) else ""


def _marked(content: bytes) -> int:
    """The number of the row that bears our mark, the last one."""
    return max(marked_rows(lines_of(content)), default=-1) + 1


def _slowest(trace: StartupTrace) -> tuple[Place, float] | None:
    """The line of a file that takes longest, and its seconds."""
    taken: dict[Place, float] = {}
    for step, following in zip(trace.steps, trace.steps[1:], strict=False):
        if step.file:
            place = Place(step.file, step.line)
            taken[place] = taken.get(place, 0.0) + max(0.0, following.at - step.at)
    return max(taken.items(), key=lambda each: each[1], default=None)


def _word(text: str) -> str:
    first = text.splitlines()[0] if text else ""
    return first if len(first) <= 80 else f"{first[:77]}…"


def lines_outdone(proof: Proof, machine: Machine) -> tuple[frozenset[Path], frozenset[Path]]:
    """The startup files in which our line is to stand last, since a line of the person's wins; and those where it is to stand above
    what ends their reading. Pure.
    """
    last: set[Path] = set()
    first: set[Path] = set()
    for result, check in proof.failures:
        cause = check.cause
        if cause is None or not cause.line or check.mend != PROVISION or result.shell not in SHELLS:
            continue
        files = {site.file for site in SHELLS[result.shell].sites(machine.around)}
        ended = {file for file in files if cause.what.startswith(_ENDS) and machine.locations.shown(file) == cause.file}
        first |= ended
        last |= set() if ended else files
    return frozenset(last - first), frozenset(first)
