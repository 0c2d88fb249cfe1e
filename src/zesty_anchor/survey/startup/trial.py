"""Whether lines can go, shown by the shells themselves: fresh ones with and without them, in a copy of the
home.

Every way of starting is asked as it is, and without the old install and its lines. What a shell has then must
be what it had before, but for the old install's own paths. Where it is not, it is asked once more as it is
(what differs there, differs by itself), and without the old install but with its lines (what is missing
there, does not hang on them).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path

import msgspec

from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.litter import make_folders
from zesty_anchor.shells.reading import Context
from zesty_anchor.shells.sealed import World, in_copy, in_links
from zesty_anchor.shells.together import together
from zesty_anchor.survey.machine import InstalledShell, Machine
from zesty_anchor.survey.startup.places import Places
from zesty_anchor.survey.startup.readers import reader_of, reads_of
from zesty_anchor.survey.startup.start_state import Facts, StartState, contexts_of, start_state
from zesty_anchor.survey.startup.statement import Statement, blanked, without
from zesty_anchor.system.namespaces import Closed

Found = dict[Path, list[Statement]]
"""The statements that speak of what is to go, by file."""

Started = tuple[list[StartState], tuple[str, ...]]
"""The starts, and the harmful commands that were called."""

Round = tuple[InstalledShell, Context]

_EVALUATED = """
PS1 PS2 PS4 PROMPT PROMPT2 RPS1 RPROMPT PROMPT_COMMAND prompt rprompt fish_prompt fish_right_prompt
fish_mode_prompt precmd preexec chpwd periodic cwdcmd postcmd
"""
_PROMPTS = frozenset(_EVALUATED.split())
"""What a shell evaluates at a prompt or on entering a folder: variables, functions and aliases (bash(1),
"PROMPTING"; zshparam(1), zshmisc(1), "Hook Functions"; fish-doc, "fish_prompt"; tcsh(1), "Special aliases").
"""

_AT_ONCE = 8
_MOST_TRIALS = 24
"""How often shells are asked again to find the line that makes a difference, before all of them stay."""


class Difference(msgspec.Struct, frozen=True):
    """What a new shell has otherwise without the lines: ``was`` and ``is_now`` are None where it has it
    not.
    """

    shell: str
    context: str
    key: str
    was: str | None
    is_now: str | None

    def told(self) -> str:
        """In words."""
        where = f"in {self.shell} ({self.context})" if self.shell else "at a start"
        if self.key == "unread":
            return "no shell that is installed here reads it"
        if self.key == "unready":
            return f"{where} the shell never gets ready, so it cannot be tried"
        if self.key == "ready":
            return f"{where} the shell would not get ready without it"
        if self.key == "call":
            return f"{where} this would be run without it: {self.is_now}"
        if self.key == "said":
            return f"{where} the shell would print without it: {self.is_now}"
        what = (
            "the exit status of its start"
            if self.key == "status"
            else _short(self.key.replace("exported ", "variable "))
        )
        if self.is_now is None:
            return f"{where} {what} would be gone without it"
        if self.was is None:
            return f"{where} {what} would come without it"
        return f"{where} {what} would be {_short(self.is_now)} without it"


class Noise(msgspec.Struct, frozen=True):
    """What a new shell would print, or run at a prompt, once ``folder`` is gone: ``told`` in words."""

    folder: str
    told: str


class Judged(msgspec.Struct, frozen=True):
    """The statements, and what keeps using the old install whichever of them go."""

    found: Found
    noise: tuple[Noise, ...] = ()


def _short(text: str) -> str:
    first = text.strip().splitlines()[0] if text.strip() else "empty"
    return first if len(first) <= 60 else first[:57] + "..."


def judged(
    find: Callable[[], Found],
    texts: Mapping[Path, bytes],
    places: Places,
    gone: Sequence[Path],
    machine: Machine,
    likely: Collection[Path] = (),
) -> Judged:
    """The statements that ``find`` finds, with those that must stay not serving any more, and why; and what
    would be printed all the same without the old install.

    ``texts`` are all files that shells read at their start, ``gone`` what will not be there. The shells that
    read ``likely`` files are started before those have been looked through, which goes on beside it. Raises
    ``Problem`` where the shells cannot be asked.
    """
    early, looked = list(_rounds(machine, set(likely))) if likely else [], list[Found]()
    before = (
        _started(early, texts, World(machine.locations.home), machine, lambda: looked.append(find()))
        if early
        else None
    )
    found = _read_elsewhere(looked[0] if looked else find(), texts, machine)
    if not any(found.values()):
        return Judged(found)
    rounds = list(_rounds(machine, {path for path, each in found.items() if each}))
    trial = _Trial(texts, places, gone, machine, rounds, before if rounds == early else None)
    differences = trial.differences(found)
    for path, statement in reversed(list(_serving(found))):
        if not differences or trial.count > _MOST_TRIALS:
            break
        fewer = _read_elsewhere(_staying(found, path, statement, differences[0].told()), texts, machine)
        left = trial.differences(fewer)
        if len(left) < len(differences):
            found, differences = fewer, left
    if differences:
        for path, statement in list(_serving(found)):
            found = _staying(found, path, statement, differences[0].told())
    stays = any(not each.serves for statements in found.values() for each in statements)
    return Judged(found, tuple(trial.noise(found)) if stays else ())


def _serving(found: Found) -> Iterator[tuple[Path, Statement]]:
    return ((path, each) for path, statements in found.items() for each in statements if each.serves)


def _staying(found: Found, path: Path, statement: Statement, why: str) -> Found:
    stays = msgspec.structs.replace(statement, serves=False, why=why)
    return {**found, path: [stays if each == statement else each for each in found[path]]}


def _read_elsewhere(found: Found, texts: Mapping[Path, bytes], machine: Machine) -> Found:
    """What sets a variable that a line which stays reads, stays."""
    while True:
        left = {path: blanked(content, found.get(path, [])) for path, content in texts.items()}
        names = {name for _, each in _serving(found) for name in each.names}
        read = {name: list(reads_of(name, left)) for name in names}
        before = found
        for path, each in list(_serving(found)):
            for name in sorted(each.names):
                if reads := reader_of(name, read[name], path, each.line, left):
                    place = f"{machine.locations.shown(reads.file)}:{reads.line}"
                    found = _staying(found, path, each, f"{place} reads {name}")
                    break
        if found is before:
            return found


class _Trial:
    """Asks the shells that read a changed file."""

    def __init__(
        self,
        texts: Mapping[Path, bytes],
        places: Places,
        gone: Sequence[Path],
        machine: Machine,
        rounds: list[Round],
        before: Started | None,
    ) -> None:
        """``before`` are the starts as it is, where they have been made already."""
        self._texts, self._places, self._gone, self._machine = texts, places, tuple(gone), machine
        self._rounds = rounds
        self.count = 0
        self._before = before or self._start({}, ())
        self._places = places.with_values(self._values(places.names))

    @cached_property
    def _again(self) -> Started:
        """Once more as it is: what differs then, differs by itself. Asked only where something differs."""
        return self._start({}, ())

    @cached_property
    def _missing(self) -> Started:
        """Without the old install, and with its lines."""
        return self._start({}, self._gone)

    def _values(self, names: Iterable[str]) -> Iterator[str]:
        """What the variables hold that are to go."""
        for state in self._before[0]:
            for name in names:
                for kind in ("exported", "variable"):
                    value = state.facts.get(f"{kind} {name}", "")
                    yield from re.findall(r"/[^\s:\"']*", value)

    def differences(self, found: Found) -> list[Difference]:
        """What would be otherwise without the statements that serve."""
        self.count += 1
        changed = {
            path: without(self._texts[path], each)
            for path, each in found.items()
            if any(s.serves for s in each)
        }
        first = self._before[0]
        if not first:
            return [Difference("", "", "unread", None, None)]
        if all(state.cut_off for state in first):
            return [Difference(first[0].shell, first[0].context, "unready", None, None)]
        after = self._start(changed, self._gone)
        if not self._compared(after, self._before, self._before):
            return []
        return self._compared(after, self._again, self._missing)

    def noise(self, found: Found) -> Iterator[Noise]:
        """What shells would print at their start, and run at their prompts, of the old install: where the
        lines that stay are the reason.
        """
        changed = {path: without(self._texts[path], each) for path, each in found.items()}
        after = self._start(changed, self._gone)[0]
        seen = set[Noise]()
        for was, now in zip(self._before[0], after, strict=True):
            where = f"in {now.shell} ({now.context})"
            new = [] if was.cut_off or now.cut_off else [line for line in now.said if line not in was.said]
            told = [(line, f"{where} this would be printed at each start: {_short(line)}") for line in new]
            told += [
                (value, f"{where} {key} runs a program of it") for key, value in self._at_prompts(now.facts)
            ]
            for text, words in told:
                folder = self._places.folder_in(text)
                if folder and Noise(folder, words) not in seen:
                    seen.add(Noise(folder, words))
                    yield Noise(folder, words)

    def _at_prompts(self, facts: Facts) -> Iterator[tuple[str, str]]:
        """What is evaluated at a prompt and runs something, with variables written out."""
        known = {}
        for key, value in facts.items():
            kind, _, name = key.partition(" ")
            path = (
                next(iter(re.findall(r"/[^\s:\"']*", value)), "") if kind in ("variable", "exported") else ""
            )
            if path and self._places.within(path):
                known[name] = path
        for key, value in facts.items():
            kind, _, name = key.partition(" ")
            runs = kind in ("function", "alias") or name == "PROMPT_COMMAND" or "$(" in value or "`" in value
            if name in _PROMPTS and kind in ("variable", "function", "alias") and runs:
                yield f"{kind} {name}", self._places.plain(value, known)

    def _compared(self, after: Started, again: Started, missing: Started) -> list[Difference]:
        differences = [
            difference
            for a, twice, c, b in zip(self._before[0], again[0], missing[0], after[0], strict=True)
            for difference in self._between(a, twice, c, b)
        ]
        known = {self._rest(call) for call in (*self._before[1], *again[1], *missing[1])}
        return differences + [
            Difference("", "", "call", None, call) for call in after[1] if self._rest(call) not in known
        ]

    def _start(self, changed: Mapping[Path, bytes], gone: tuple[Path, ...]) -> Started:
        return _started(
            self._rounds, self._texts, World(self._machine.locations.home, changed, gone), self._machine
        )

    def _between(
        self, a: StartState, twice: StartState, c: StartState, b: StartState
    ) -> Iterator[Difference]:
        if a.cut_off:
            return
        if b.cut_off:
            if not c.cut_off:
                yield Difference(a.shell, a.context, "ready", None, None)
            return
        differing = {key for key, _ in a.facts.items() ^ b.facts.items()}
        for key in (each for each in {**a.facts, **b.facts} if each in differing):
            was, missing, now = a.facts.get(key), c.facts.get(key), b.facts.get(key)
            same = now in (was, missing) or was != twice.facts.get(key) or (key == "status" and now == "0")
            if not same and not self._is_own(key, was, missing, now):
                yield Difference(a.shell, a.context, key, was, now)
        known = {*a.said, *twice.said, *c.said}
        for line in b.said:
            if line not in known and self._rest(line) not in {self._rest(each) for each in known}:
                yield Difference(a.shell, a.context, "said", None, line)

    def _is_own(self, key: str, was: str | None, missing: str | None, now: str | None) -> bool:
        """Whether a difference is that of the old install: its paths are missing, or what was there for it
        alone is.
        """
        if now is not None:
            return any(each is not None and self._rest(each) == self._rest(now) for each in (was, missing))
        if was is None:
            return False
        kind, _, name = key.partition(" ")
        if name in self._places.names:
            return True
        if kind in ("alias", "function", "completion", "key", "trap"):
            return self._places.speaks(self._places.plain(was, {}))
        words = self._words(was.partition("=")[2] if re.match(r"(?:declare|typeset|export)\b", was) else was)
        return bool(words) and self._places.within(words[0])

    def _rest(self, value: str) -> tuple[str, ...]:
        """The words of a value that are no path of the old install. Where our own folders stand on PATH hangs
        on how it was changed before, and does not matter: what is wanted comes first in any case, and verify
        proves that.
        """
        ours = f"{self._machine.locations.data}/"
        return tuple(w for w in self._words(value) if not self._places.within(w) and not w.startswith(ours))

    def _words(self, value: str) -> list[str]:
        # What a line with CRLF leaves at the end of a value is of no use to anybody.
        value = re.sub(
            r"\$'((?:[^'\\]|\\.)*)'", lambda quoted: re.sub(r"\\r|\\C-M", "", quoted[1]), value
        ).replace("\r", "")
        plain = self._places.plain(re.sub(r"\[\d+\]=", " ", value), {})  # the numbers of an array's entries
        return [word for word in re.split(r"[:=\s\"'()]+", plain) if word]


def _started(
    rounds: Sequence[Round],
    texts: Mapping[Path, bytes],
    world: World,
    machine: Machine,
    meanwhile: Callable[[], object] | None = None,
) -> Started:
    """Start shells in a copy of the home that is as ``world`` says, without network, and with the commands
    that do harm written down.
    """

    def task(home: Path) -> list[StartState]:
        recorders = "" if home == machine.locations.home else str(home.parent / "recorders")
        folders = (path for shell, _ in rounds for path in SHELLS[shell.name].folders(machine.places))
        own = machine.locations.home
        make_folders(home / path.relative_to(own) for path in folders if path.is_relative_to(own))
        return together(
            _AT_ONCE,
            lambda each, stop: start_state(each[0], each[1], machine, home, recorders, interrupted=stop),
            rounds,
        )

    world = msgspec.structs.replace(world, sealed=True)
    try:
        return in_copy(world, task, meanwhile)
    except Closed:
        return in_links(msgspec.structs.replace(world, texts={**texts, **world.texts}), task)


def _rounds(machine: Machine, changed: set[Path]) -> Iterator[Round]:
    """Every way of starting the shells that read one of these files; all shells where some other file reads
    one of them.
    """
    read = {
        name: {reading.file for reading in SHELLS[name].reads(machine.around)}
        for name in (s.name for s in machine.shells)
    }
    by_another = changed - set().union(*read.values())
    for shell in machine.shells:
        if by_another or read[shell.name] & changed:
            yield from ((shell, context) for context in contexts_of(shell))
