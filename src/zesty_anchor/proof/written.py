"""What we wrote, and why a shell may not have read it, or not have kept it."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from zesty_anchor.files.edit import lines_of
from zesty_anchor.files.text_file import content_of
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.proof.result import Cause
from zesty_anchor.proof.verified import PROVISION, Drift
from zesty_anchor.shells.known import LAUNCH, SH, SHELLS
from zesty_anchor.shells.marked import marked_rows
from zesty_anchor.shells.reading import MARK
from zesty_anchor.survey.machine import Machine, known_blocks
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.survey.startup.step import Place
from zesty_anchor.survey.startup.troubles import broken

ENDS = "it ends the reading of"
UNREAD = "does not read what was written for it"


class Written:
    """What stands of it, and what became of it in one start of a shell."""

    def __init__(self, wanted: Wanted, machine: Machine, drift: Iterable[Drift]) -> None:
        self._altered = {each.place: each for each in drift if each.state == "changed"}
        self._pending = {each.place: each for each in drift if each.state == "pending"}
        self._wanted = wanted
        self._machine = machine
        self._blocks = known_blocks(machine.locations)
        self.shown = machine.locations.shown
        self.broken = [trouble for trouble in broken(machine) if trouble.line]
        """The startup files that their shell cannot read."""

    def not_yet(self, shell: str) -> str:
        """A file of ours that this shell reads, and that is not as the manifest asks by now; empty for
        none.
        """
        places = (
            self.shown(file.path) for name, file in self._machine.generated.items() if name in (shell, SH)
        )
        return next((place for place in places if place in self._pending), "")

    def lost(self, folder: str, trace: StartupTrace) -> tuple[Cause, str] | None:
        """Why a folder of ours is not on PATH."""
        if folder in trace.path.split(":"):
            return None
        held = [folder in step.path.split(":") for step in trace.steps] + [False]
        gone = [n for n in range(len(trace.steps)) if held[n] and not held[n + 1]]
        if gone and trace.steps[gone[-1]].file:
            step = trace.steps[gone[-1]]
            cause = self.cause("this line removes our folders from PATH", Place(step.file, step.line))
            return cause, self.fix(Place(step.file, step.line), trace)
        return self.unread(trace)

    def unread(self, trace: StartupTrace) -> tuple[Cause, str]:
        """Why the shell did not read what we wrote."""
        machine = self._machine
        changed = self.changed(trace.shell, SH)
        if changed is not None:
            return changed
        syntax = next((t for t in self.broken if trace.shell in t.shells), None)
        if syntax is not None:
            row = self.row(syntax.file, syntax.line)
            return Cause(syntax.what, syntax.file, syntax.line, row), f"put {syntax.file}:{syntax.line} right"
        read = {step.file for step in trace.steps if step.file}
        for site in SHELLS[trace.shell].sites(machine.around):
            text = machine.startup[site.file].content
            ours = self.own_line(text or b"")
            if ours is None and MARK.encode() in (text or b""):
                cause = self.cause("our line in it was changed", Place(str(site.file), _marked(text or b"")))
                return cause, PROVISION
            if ours is None:
                return Cause(f"our line is not in {self.shown(site.file)}", self.shown(site.file)), PROVISION
            last = next((s for s in reversed(trace.steps) if s.file == str(site.file)), None)
            if str(site.file) in read and last is not None and last.line < ours:
                cause = self.cause(
                    f"{ENDS} {self.shown(site.file)}, above our line {ours}",
                    Place(last.file, last.line),
                )
                return cause, PROVISION
        return Cause(f"{trace.shell} {UNREAD}"), PROVISION

    def changed(self, *names: str) -> tuple[Cause, str] | None:
        """What we wrote for a shell was changed by somebody, or is gone."""
        for name in names:
            file = self._machine.generated.get(name)
            found = self._altered.get(self.shown(file.path)) if file is not None else None
            if found is not None:
                return Cause(found.what, found.place), PROVISION
        return None

    def launcher(self, name: str) -> tuple[Cause, str] | None:
        """The launcher of a command, or what all of them read."""
        changed = self.changed(LAUNCH)
        folder = self.shown(self._machine.locations.launchers)
        if changed is None and folder in self._altered:
            return (
                Cause(f"{folder}/{name} is not the launcher that was written", f"{folder}/{name}"),
                PROVISION,
            )
        return changed

    def own_line(self, content: bytes) -> int | None:
        """The number of our line in a startup file, the later one of two."""
        rows = [n for n, row in enumerate(content.split(b"\n"), 1) if row.strip() in self._blocks]
        return rows[-1] if rows else None

    def fix(self, place: Place, trace: StartupTrace) -> str:
        """What puts a line right that stands where ours should: our line goes below it. A shell that reads
        our file by itself has none: the person's files are read after ours.
        """
        own_file = SHELLS[trace.shell].own_file(self._machine.locations.others)
        if own_file is None and Path(place.file).is_relative_to(self._machine.locations.home):
            return PROVISION
        return f"delete {self.shown(place.file)}:{place.line}"

    def cause(self, what: str, place: Place | None) -> Cause:
        """A cause that a line of a file is."""
        if place is None:
            return Cause(what)
        shown = self.shown(place.file)
        return Cause(what, shown, place.line, self.row(place.file, place.line))

    def row(self, file: str, line: int) -> str:
        """The text of a line; empty where there is none."""
        home = str(self._machine.locations.home)
        path = Path(home + file[1:]) if file.startswith("~/") else Path(file)
        rows = (content_of(path) or b"").decode("utf-8", "replace").splitlines()
        return rows[line - 1].strip() if 0 < line <= len(rows) else ""


def _marked(content: bytes) -> int:
    """The number of the row that bears our mark, the last one."""
    return max(marked_rows(lines_of(content)), default=-1) + 1
