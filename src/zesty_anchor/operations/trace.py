"""Tracing where a command, a variable or the entries of PATH come from."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cached_property

from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.planning.choices import Choice, choice_of
from zesty_anchor.planning.elsewhere import Paths, elsewhere
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.traced import Traced
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.recipes import with_word
from zesty_anchor.survey.installs_there import InstallThere, installs_there
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import Origin, origins, traces
from zesty_anchor.survey.startup.startup_trace import StartupTrace
from zesty_anchor.system.host import answering


def trace(workstation: Workstation, name: str, meanwhile: Callable[[], object]) -> Traced:
    """Ask new shells of every kind. ``name`` is a command, ``$NAME`` for a variable, or ``PATH``.
    ``meanwhile`` is what can be done as long as they start.
    """
    machine = look_at(workstation)
    named = _Named(workstation, name, machine)
    started = traces(machine, asked=[name], meanwhile=lambda: (named.decided, named.recipes, meanwhile()))
    owners = Owners(machine)
    answers = tuple(origins(name, started, machine, owners))
    return Traced(
        name,
        answers,
        "" if named.no_command else next(iter(answering(name, machine.path)), ""),
        tuple(f"{each.shell} ({each.context}): {each.cut_off}" for each in started if each.cut_off),
        named.decided,
        tuple((each.shell, each.context) for each in started),
        named.installs([each.path for each in started], owners),
        tuple(elsewhere(name, machine, _first(name, answers, started))) if named.decided is not None else (),
    )


def _first(name: str, answers: Iterable[Origin], started: Iterable[StartupTrace]) -> Paths:
    """What each new shell that became ready runs; empty: nothing."""
    paths = {(each.shell, each.context): "" for each in started if not each.cut_off}
    return paths | {pair: each.path for each in answers for pair in each.first_in if pair in paths}


class _Named:
    """What is known of a name without asking a shell. Each is found once."""

    def __init__(self, workstation: Workstation, name: str, machine: Machine) -> None:
        self._workstation = workstation
        self._name = name
        self._machine = machine
        self.no_command = name.startswith("$") or name == "PATH"

    @cached_property
    def _wanted(self) -> str | None:
        return _of_runtime(self._name, self._workstation.recipes)

    @cached_property
    def decided(self) -> Choice | None:
        """Which version of the runtime is in effect; None where the manifest has none that bears the name, or
        has a command of it.
        """
        return choice_of(self._workstation, self._machine, self._wanted) if self._wanted else None

    @cached_property
    def recipes(self) -> Mapping[str, Recipe]:
        """The recipe of the runtime; where the manifest has none of that name, of one that a shipped recipe
        is of.
        """
        recipes = self._workstation.recipes
        if self._wanted is None and not self.no_command:
            recipes = with_word(self._name, self._workstation.locations.recipes)
        runtime = _of_runtime(self._name, recipes)
        return {runtime: recipes[runtime]} if runtime is not None and not self.no_command else {}

    def installs(self, paths: list[str], owners: Owners) -> tuple[InstallThere, ...]:
        """Every install of the runtime that is here. ``paths`` are those of new shells."""
        together = ":".join(dict.fromkeys(folder for path in paths for folder in path.split(":")))
        found = installs_there(self.recipes, self._machine, owners, together) if self.recipes else {}
        return tuple(each for some in found.values() for each in some)


def _of_runtime(name: str, recipes: Mapping[str, Recipe]) -> str | None:
    """The runtime that bears the name, or has a command of it."""
    return next((r for r, recipe in recipes.items() if name == r or name in recipe.commands), None)
