"""The reason why one check failed in one start of a shell, and what fixes it."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable
from pathlib import Path

from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.checks import FETCHED, FOLLOWS, STARTED, about
from zesty_anchor.proof.question import Question
from zesty_anchor.proof.result import STARTS, Cause, CheckResult
from zesty_anchor.proof.starts import NO_ERROR, SILENT
from zesty_anchor.proof.verified import PROVISION, Drift
from zesty_anchor.proof.written import Written
from zesty_anchor.shells.known import FOLLOW, SH
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.provenance import Found, found_in
from zesty_anchor.survey.startup.start_troubles import printing
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Place

NOT_YET = "not provisioned yet"
_OURS = ("place", "once", "variable", "follows")
_LEAVES = re.compile(r"(?:return|exit|exec|logout|bye)\b(?!\s+\d*[<>])")
_UNSETS = re.compile(r"(?:unset|unsetenv|set (?:-\w+ )*(?:-\w*e\w*|--erase))\s(?:.*\s)?")
_HOOKS = re.compile(r"(?:chpwd_functions|PROMPT_COMMAND|PS1)=")
_PLACE = re.compile(r"(?P<file>(?:~|/)[^\s:\[]*)(?:: line |:|\[| \(line )(?P<line>\d+)")

PlaceOf = Callable[..., str]
"""The manifest's file and the line of a key, by the path of that key."""


class Reasons:
    """Looks for it: in what stands on the shelf, in what we wrote, in what the shell did line by line."""

    def __init__(self, wanted: Wanted, machine: Machine, place_of: PlaceOf, drift: Iterable[Drift]) -> None:
        self._written = Written(wanted, machine, drift)
        self._wanted = wanted
        self._machine = machine
        self._place_of = place_of
        self._shown = machine.locations.shown

    def of(
        self, check: CheckResult, question: Question | None, trace: StartupTrace | None
    ) -> tuple[Cause, str]:
        """The cause, and what fixes it."""
        if trace is not None and trace.landed:
            return self._handed_over(trace)
        if trace is not None and trace.cut_off:
            return self._cut_off(trace)
        if question is None:
            return self._of_start(check, trace)
        if trace is not None and question.how in _OURS and self._written.not_yet(trace.shell):
            return Cause(NOT_YET, self._written.not_yet(trace.shell)), PROVISION
        damaged = self._damage(question, check.observed)
        if damaged is not None:
            return damaged
        if trace is not None:
            found = self._found(question, check, trace)
            if found is not None:
                return found
        return self._by_itself(question)

    def _found(self, question: Question, check: CheckResult, trace: StartupTrace) -> tuple[Cause, str] | None:
        if question.name == FOLLOWS:
            return self._follows(trace)
        if question.about.startswith("$"):
            return self._variable(question.about[1:], trace)
        if question.how == "absolute":
            return self._relative(trace)
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
            f"{why}: {_word(last.text)}"
            if not _LEAVES.match(last.text)
            else f"it ends the shell: {_word(last.text)}"
        )
        cause = self._written.cause(what, Place(last.file, last.line))
        return cause, f"take {cause.place} out, or guard it: [ -t 0 ] || …"

    def _handed_over(self, trace: StartupTrace) -> tuple[Cause, str]:
        """Another shell took the commands, one that is not set up."""
        last = next((step for step in reversed(trace.steps) if step.file), None)
        by = (
            f"{self._shown(last.file)}:{last.line}"
            if last is not None
            else f"a startup file of {trace.shell}"
        )
        file, _, line = self._place_of("shells", "use").rpartition(":")
        what = f"{by} hands the terminal over to {trace.landed}, which [shells] use leaves out"
        names = '", "'.join((*self._wanted.shells, trace.landed))
        return Cause(what, self._shown(file), int(line)), f'write [shells] use = ["{names}"] in the manifest'

    def _of_start(self, check: CheckResult, trace: StartupTrace | None) -> tuple[Cause, str]:
        """Something about the start itself."""
        told = _PLACE.search(check.observed) if check.name in (SILENT, NO_ERROR) else None
        if told is not None:
            home = str(self._machine.locations.home)
            file = told["file"].replace("~", home, 1) if told["file"][0] == "~" else told["file"]
            if Path(file).is_relative_to(self._machine.locations.data):
                return self._written.changed(*self._machine.generated) or (
                    Cause(check.observed, self._shown(file)),
                    PROVISION,
                )
            syntax = next((each for each in self._written.broken if each.file == self._shown(file)), None)
            cause = self._written.cause(
                check.observed, Place(file, syntax.line if syntax is not None else int(told["line"]))
            )
            return cause, f"put {cause.place} right"
        if check.name == SILENT and trace is not None:
            place = printing(trace, check.observed)
            if place is not None:
                cause = self._written.cause(
                    "it prints where there is no terminal, which breaks scp, rsync and git over ssh", place
                )
                return cause, f"guard {cause.place}: [ -t 1 ] && …"
        if check.name == NO_ERROR:
            syntax = next((t for t in self._written.broken if trace is None or trace.shell in t.shells), None)
            if syntax is not None:
                return Cause(
                    syntax.what, syntax.file, syntax.line, self._written.row(syntax.file, syntax.line)
                ), f"put {syntax.file}:{syntax.line} right"
        if check.name.startswith(f"{STARTS} within") and trace is not None:
            slow = _slowest(trace)
            if slow is not None:
                cause = self._written.cause(f"this line takes {slow[1] * 1000:.0f} ms", slow[0])
                return cause, f"take {cause.place} out, or read it only when it is needed"
        return Cause(
            "the shell's own answer; no line of a file was found that brings it"
        ), "zesty-anchor survey"

    def _follows(self, trace: StartupTrace) -> tuple[Cause, str]:
        """Why a shell does not look at the folder that it enters."""
        changed = self._written.changed(f"{FOLLOW}{trace.shell}")
        if changed is not None:
            return changed
        found = next(iter(found_in("cd", trace, self._machine)), None)
        if found is not None and found.place is not None:
            kind = f"{'an' if found.kind == 'alias' else 'a'} {found.kind}"
            cause = self._written.cause(f"cd is {kind} that does not look at the folder", found.place)
            if not Path(found.place.file).is_relative_to(self._machine.locations.home):
                return cause, "define cd in a startup file of your own, above our line"
            return (
                cause,
                f"delete {cause.place}"
                if found.kind == "alias"
                else f"remove the function that begins at {cause.place}",
            )
        ours = {str(file.path) for file in self._machine.generated.values()}
        read = [number for number, step in enumerate(trace.steps) if step.file in ours]
        later = trace.steps[read[-1] + 1 :] if read else ()
        step = next((each for each in reversed(later) if each.file and _HOOKS.match(each.text)), None)
        if step is not None:
            cause = self._written.cause(
                "it sets what the shell does at a new folder", Place(step.file, step.line)
            )
            return cause, self._written.fix(Place(step.file, step.line), trace)
        return self._written.unread(trace)

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
            Path(found.path).is_relative_to(self._machine.locations.data)
            if found.path.startswith("/")
            else found.ours
        )
        if question.how == "outside" and found.kind == "file":
            return self._not_of_the_system(name, found, trace)
        if ours:
            if found.kind == "launcher" and self._written.launcher(name) is not None:
                return self._written.launcher(name)
            if only_others:
                return None
            return Cause(
                f"{name} resolves to {self._shown(found.path)}, another version", self._shown(found.path)
            ), PROVISION
        if found.kind in ("alias", "function", "builtin"):
            cause = self._written.cause(
                f"{name} is {'an' if found.kind == 'alias' else 'a'} {found.kind} of the shell", found.place
            )
            return cause, f"delete {cause.place}" if found.place else f"zesty-anchor trace {name}"
        where = f"{name} resolves to {self._shown(found.path)}"
        if found.place is not None:
            cause = self._written.cause(f"{where}: its folder is first on PATH", found.place)
            return cause, self._written.fix(found.place, trace)
        lost = self._written.lost(os.path.dirname(question.expected.split("\0")[0]), trace)
        return lost or (Cause(where, self._shown(found.path)), f"zesty-anchor trace {name}")

    def _not_of_the_system(self, name: str, found: Found, trace: StartupTrace) -> tuple[Cause, str]:
        """What answers in the home to a command that is left to the system."""
        what = f"{name} resolves to {self._shown(found.path)}, which is not the system's"
        folder = self._shown(os.path.dirname(found.path))
        for key in ("first", "last"):
            for number, entry in enumerate(getattr(self._wanted, f"path_{key}")):
                if entry == os.path.dirname(found.path):
                    file, _, line = self._place_of("path", key, number).rpartition(":")
                    cause = Cause(
                        f"{what}: [path] puts its folder there", self._shown(file), int(line), folder
                    )
                    return cause, f'take {folder} out of [path], or ask for a version: want = "latest"'
        if found.place is not None:
            cause = self._written.cause(f"{what}: its folder is first on PATH", found.place)
            return cause, f"delete {cause.place}"
        return Cause(what, self._shown(found.path)), f"zesty-anchor trace {name}"

    def _nobody(self, name: str, trace: StartupTrace) -> tuple[Cause, str]:
        """Nothing answers: our folders are not on PATH, or what was in them is gone."""
        for version in self._wanted.versions:
            names = {*version.recipe.commands, *(c for extra in version.extras for c in extra.commands)}
            if version.default and name in names:
                lost = self._written.lost(str(version.bins[0]), trace)
                if lost is not None:
                    return lost
                file = self._shown(version.bins[0] / name)
                return Cause(f"{file} is missing, or may not be run", file), PROVISION
        return Cause(
            f"nothing on PATH is called {name}"
        ), f"install it: [prerequisites] packages, or [runtimes.{name}]"

    def _variable(self, name: str, trace: StartupTrace) -> tuple[Cause, str] | None:
        found = next(iter(found_in(f"${name}", trace, self._machine)), None)
        if found is not None and found.place is not None:
            cause = self._written.cause(f"this line sets {name} last", found.place)
            return cause, self._written.fix(found.place, trace)
        if found is not None and found.ours:
            return self._written.changed(trace.shell, SH)
        for step in reversed(trace.steps):
            unset = _UNSETS.match(step.text)
            if unset and re.search(rf"\b{re.escape(name)}\b", step.text[unset.end() - 1 :]) and step.file:
                place = Place(step.file, step.line)
                cause = self._written.cause(f"this line unsets {name}", place)
                return cause, self._written.fix(place, trace)
        return self._written.unread(trace)

    def _path(self, trace: StartupTrace) -> tuple[Cause, str] | None:
        for found in found_in("PATH", trace, self._machine):
            if found.remark == "twice" and found.place is not None:
                cause = self._written.cause(
                    f"it puts {self._shown(found.path)} on PATH once more", found.place
                )
                return cause, self._written.fix(found.place, trace)
        for folder in (*self._wanted.path_first, *self._wanted.default_bins, *self._wanted.path_last):
            lost = self._written.lost(folder, trace)
            if lost is not None:
                return lost
        return None

    def _relative(self, trace: StartupTrace) -> tuple[Cause, str] | None:
        """Who put an empty or a relative entry on PATH."""
        for found in found_in("PATH", trace, self._machine):
            if not found.path.startswith("/") and found.place is not None:
                cause = self._written.cause(
                    "it adds an empty or relative PATH entry, so commands in the current folder are run",
                    found.place,
                )
                return cause, f"remove that entry from {cause.place}"
        return None

    def _by_itself(self, question: Question) -> tuple[Cause, str]:
        """Nothing of the shell's: the check itself, or what it runs."""
        if question.how == STARTED:
            return self._extra(question)
        if question.how == FETCHED:
            what = f"{question.name.partition(' ')[0]} package tool does not reach its registry"
            return Cause(what), "check its registry's address, the proxy, and [trust] system = true"
        for number, check in enumerate(self._wanted.checks):
            if check.name == question.name:
                place = self._place_of("checks", number, "run")
                file, _, line = place.rpartition(":")
                if check.folder is not None and not Path(check.folder).is_dir():
                    return Cause(
                        f"the folder of this check does not exist: {self._shown(check.folder)}",
                        self._shown(file),
                        int(line),
                    ), f"create it, or change folder of the check {check.name!r} in the manifest"
                what = f"what it runs prints something else: {check.run}"
                return Cause(
                    what, self._shown(file), int(line), check.run or ""
                ), f"run it by hand, or edit {self._shown(file)}:{line}"
        return Cause(
            f"what it runs prints something else: {_word(question.run)}"
        ), f"run it by hand: {_word(question.run)}"

    def _extra(self, question: Question) -> tuple[Cause, str]:
        """A command that an extra brought, and that cannot be loaded."""
        version, extra = next(
            (version, extra)
            for version in self._wanted.versions
            for extra in version.extras
            if question in about(version) and question.about in extra.commands
        )
        file, _, line = self._place_of("runtimes", version.runtime, "extras").rpartition(":")
        what = f"{question.about} does not start with {version.runtime} {version.version}"
        fix = f"choose another version of {extra.name} in extras, or remove it"
        return Cause(what, self._shown(file), int(line)), fix


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
