"""Where something comes from, as a person reads it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

from zesty_anchor.show.choices import Chosen, in_effect
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import table


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
    def remark(self) -> str:
        """What is wrong with it."""

    @property
    def ours(self) -> bool:
        """Whether our generated files brought it."""


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
    def decided(self) -> Chosen | None:
        """What decided the version."""


def traced(paint: Paint, found: Traced, shown: Callable[[str], str]) -> None:
    """A table: what answers, whose it is, the line that brought it, and in which shells it wins."""
    if not found.answers:
        paint.write(paint.look(f"nothing answers to {found.name} in a fresh shell"))
    value = found.name == "PATH" or found.name.startswith("$")
    rows = [(_value if value else _answer)(paint, each, shown) for each in found.answers]
    for line, each in zip(table(rows, [7, 10, 10, 10]), found.answers, strict=True):
        paint.write(f"  {line}")
        if not value:
            places = [f"in {_where(each.wins_in)}"] if each.wins_in else []
            places += [f"behind another in {_where(each.hidden_in)}"] if each.hidden_in else []
            paint.write(paint.faint(f"           {'; '.join(places)}"))
    for told in found.cut_off:
        paint.write(paint.bad("cut off: ") + told)
    if found.here and found.answers and found.here not in [each.path for each in found.answers if each.wins]:
        paint.write(paint.look("in the shell that you called from, another one answers: ") + shown(found.here))
    if found.decided is not None:
        in_effect(paint, found.decided)


def _answer(paint: Paint, each: Origin, shown: Callable[[str], str]) -> list[str]:
    what = shown(each.path) if each.kind in ("file", "launcher") else f"{each.kind}: {shown(each.path)}"
    mark = paint.good("answers") if each.wins else paint.faint("behind")
    return [mark, paint.name(what), each.owner, paint.faint(_line(each, shown))]


def _value(paint: Paint, each: Origin, shown: Callable[[str], str]) -> list[str]:
    value = shown(each.path) if each.kind == "entry" else each.path
    remark = paint.bad(each.remark) if each.remark else ""
    where = paint.faint(f"in {_where([*each.wins_in, *each.hidden_in])}")
    return [remark, paint.name(value), each.owner, paint.faint(_line(each, shown)), where]


def _line(each: Origin, shown: Callable[[str], str]) -> str:
    if each.startup_file is None:
        if each.ours:
            return "by the manifest"
        return "the system's" if each.kind in ("file", "entry", "variable") else ""
    return f"by {shown(each.startup_file)}" + (f":{each.line}" if each.line else "")


def _where(shells: Sequence[str]) -> str:
    return ", ".join(dict.fromkeys(shells))
