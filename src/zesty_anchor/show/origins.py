"""Where something comes from, as a person reads it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from itertools import groupby
from operator import itemgetter
from string import ascii_uppercase
from typing import Protocol

from zesty_anchor.show.choices import Chosen, active
from zesty_anchor.show.columns import columns
from zesty_anchor.show.listing import installs
from zesty_anchor.show.paint import Paint
from zesty_anchor.survey.installs_there import InstallThere


class Origin(Protocol):
    """One thing that answers to a name."""

    @property
    def path(self) -> str:
        """The file, or the definition, or the value."""

    @property
    def kind(self) -> str:
        """alias, function, builtin, file, launcher, variable or entry."""

    @property
    def owner(self) -> str:
        """Who put it there; empty where that is the line."""

    @property
    def startup_file(self) -> str | None:
        """The file whose line brought it."""

    @property
    def line(self) -> int | None:
        """That line."""

    @property
    def wins(self) -> bool:
        """Whether it is the first somewhere."""

    @property
    def wins_in(self) -> Sequence[str]:
        """Where it is the first."""

    @property
    def hidden_in(self) -> Sequence[str]:
        """Where another one is before it."""

    @property
    def first_in(self) -> Sequence[tuple[str, str]]:
        """The same, as pairs of a shell and a way of starting it."""

    @property
    def remark(self) -> str:
        """What is wrong with it."""

    @property
    def ours(self) -> bool:
        """Whether our generated files brought it."""


class Elsewhere(Protocol):
    """What a command runs where no shell of a terminal is started."""

    @property
    def where(self) -> str:
        """What starts it: cron, sudo, ssh, the desktop."""

    @property
    def path(self) -> str:
        """The file; empty where it is not found."""

    @property
    def instead(self) -> str:
        """What to write there to run ours; empty where it runs."""

    @property
    def lasting(self) -> str:
        """What changes it for good; empty: nothing does."""


class Traced(Protocol):
    """All that answers to one name."""

    @property
    def name(self) -> str:
        """The name."""

    @property
    def answers(self) -> Sequence[Origin]:
        """Those that win first."""

    @property
    def here(self) -> str:
        """What answers in the shell that called."""

    @property
    def cut_off(self) -> Sequence[str]:
        """Shells that never became ready."""

    @property
    def asked(self) -> Sequence[tuple[str, str]]:
        """The shells that were asked, with their ways of starting."""

    @property
    def decided(self) -> Chosen | None:
        """What decided the version."""

    @property
    def elsewhere(self) -> Sequence[Elsewhere]:
        """What runs where no shell is started."""

    @property
    def installs(self) -> Sequence[InstallThere]:
        """Those of the runtime that it is a command of."""


_COLUMNS = ("login", "interactive", "both", "ssh", "script")
_WAYS = {
    "login": ("login",),
    "interactive": ("interactive",),
    "login, interactive": ("both",),
    "command over ssh": ("ssh",),
    "script, or command over ssh": ("ssh", "script"),
}
"""The columns that a way of starting fills."""


def traced(paint: Paint, found: Traced, shown: Callable[[str], str]) -> None:
    """First why, then which of them answers where, a letter each, then what the letters stand for and what is
    shadowed.
    """
    if not found.answers:
        paint.write(paint.look(f"{found.name} is not found in any new shell"))
        if not found.name.startswith("$") and found.name.isidentifier():
            command = f"zesty-anchor trace '${found.name}'"
            paint.write(f"for a variable of that name: {paint.name(command)}")
    if found.decided is not None:
        active(paint, found.decided)
        paint.write()
    if found.name == "PATH":
        _entries(paint, found, shown)
    elif found.answers:
        _lettered(paint, found, shown)
    if len(found.installs) > 1 or any(not each.ours for each in found.installs):
        paint.write()
        paint.write(paint.head("Installed on this machine"))
        installs(paint, found.installs)
    if found.elsewhere:
        paint.write()
        paint.write(paint.head("Outside your terminals"))
        _elsewhere(paint, found.elsewhere, shown)
    for told in found.cut_off:
        paint.write(paint.bad("cut off: ") + told)
    if found.here and found.answers and found.here not in [each.path for each in found.answers if each.wins]:
        paint.write(paint.look("the shell that you called from runs another one: ") + shown(found.here))


def _entries(paint: Paint, found: Traced, shown: Callable[[str], str]) -> None:
    """The entries of PATH in their order, each below the shells that have it, which are named once."""
    shells = {shell for shell, _ in found.asked}
    rows = [(_those(each, shells), _value(paint, each, shown)) for each in found.answers]
    if paint.plain:
        columns(paint, [[value[0], where, *value[1:]] for where, value in rows])
        return
    for where, together in groupby(rows, key=itemgetter(0)):
        paint.write(paint.head(where[:1].upper() + where[1:]))
        columns(paint, [value for _, value in together], [0, 10, 10])


def _those(each: Origin, shells: Collection[str]) -> str:
    there = [*each.wins_in, *each.hidden_in]
    return "in every shell" if set(there) >= set(shells) else f"in {_where(there)}"


def _elsewhere(paint: Paint, found: Sequence[Elsewhere], shown: Callable[[str], str]) -> None:
    """A row for each place, those with the same answer together; then what to write there, and what changes
    it for good.
    """
    alike: dict[tuple[str, str, str], list[str]] = {}
    for each in found:
        alike.setdefault((each.path, each.instead, each.lasting), []).append(each.where)
    rows = []
    for (path, instead, lasting), places in alike.items():
        ways = [paint.name(instead), *([f"or {paint.name(lasting)}"] if lasting else [])]
        runs = shown(path) if path else paint.look("not found")
        rows.append([_places(places), runs, " ".join(ways) if instead else ""])
    columns(paint, rows, [6, 12], heads=("by", "", "to run the active one, write"))


def _places(places: Sequence[str]) -> str:
    """The places in one line; of several that begin alike ("ssh to bash"), that is said once."""
    found: dict[str, list[str]] = {}
    for place in places:
        head, _, name = place.rpartition(" to ")
        found.setdefault(head, []).append(name)
    return ", ".join(
        f"{head} to {', '.join(names)}" if head else ", ".join(names) for head, names in found.items()
    )


def _lettered(paint: Paint, found: Traced, shown: Callable[[str], str]) -> None:
    winning = [each for each in found.answers if each.first_in]
    letters = {
        pair: letter for each, letter in zip(winning, ascii_uppercase, strict=False) for pair in each.first_in
    }
    if len(winning) == 1 and all(pair in letters for pair in found.asked):
        paint.write(f"every new shell ({', '.join(dict.fromkeys(s for s, _ in found.asked))}) to")
    elif not paint.plain:
        _grid(paint, found.asked, letters)
    single = len(winning) == 1 and all(pair in letters for pair in found.asked)
    rows = [
        [" " if single else _in_ways(each.first_in) if paint.plain else letter, *_told(paint, each, shown)]
        for each, letter in zip(winning, ascii_uppercase, strict=False)
    ]
    shadowed = [each for each in found.answers if not each.first_in]
    rows += [["", *_told(paint, each, shown, "shadowed everywhere")] for each in shadowed]
    columns(paint, rows, [1])


def _in_ways(pairs: Sequence[tuple[str, str]]) -> str:
    """The shells, with the ways of starting each, in words."""
    found: dict[str, list[str]] = {}
    for shell, way in pairs:
        found.setdefault(shell, []).append(way)
    return "in " + ", ".join(f"{shell} ({'; '.join(ways)})" for shell, ways in found.items())


def _grid(paint: Paint, asked: Sequence[tuple[str, str]], letters: Mapping[tuple[str, str], str]) -> None:
    """A row a shell, a column a way of starting it; a dot where nothing answers, nothing where it is not
    asked.
    """
    cells: dict[str, dict[str, str]] = {}
    for shell, way in asked:
        for column in _WAYS.get(way, ()):
            cells.setdefault(shell, {})[column] = letters.get((shell, way), "·")
    heads = [column for column in _COLUMNS if any(column in row for row in cells.values())]
    rows = [["", *(paint.faint(column) for column in heads)]]
    rows += [
        [shell, *(_letter(paint, row.get(column, "")) for column in heads)] for shell, row in cells.items()
    ]
    columns(paint, rows, [6])
    paint.write()


def _letter(paint: Paint, letter: str) -> str:
    return paint.faint(letter) if letter == "·" else paint.good(letter)


def _told(paint: Paint, each: Origin, shown: Callable[[str], str], more: str = "") -> list[str]:
    """What it is, the line that brought it, and whose it is: in the end, since that may be long."""
    what = shown(each.path) if each.kind in ("file", "launcher") else f"{each.kind}: {shown(each.path)}"
    whose = ", ".join(word for word in (each.owner, paint.faint(more)) if word)
    return [paint.name(what), paint.faint(_line(each, shown)), whose]


def _value(paint: Paint, each: Origin, shown: Callable[[str], str]) -> list[str]:
    value = shown(each.path) if each.kind == "entry" else each.path
    remark = paint.bad(each.remark) if each.remark else ""
    return [paint.name(value), paint.faint(_line(each, shown)), each.owner, remark]


def _line(each: Origin, shown: Callable[[str], str]) -> str:
    if each.startup_file is None:
        if each.ours:
            return "by the manifest"
        return "the system's" if each.kind in ("file", "entry", "variable") else ""
    return f"by {shown(each.startup_file)}" + (f":{each.line}" if each.line else "")


def _where(shells: Sequence[str]) -> str:
    return ", ".join(dict.fromkeys(shells))
