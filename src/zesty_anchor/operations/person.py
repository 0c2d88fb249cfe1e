"""The person who called this program: how they are told, and asked."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.engine.reporter import Reporter, Silent
from zesty_anchor.system.privilege import REHEARSAL, Access, access

if TYPE_CHECKING:
    from zesty_anchor.engine.questions import Asker
    from zesty_anchor.system.root_hand import RootHand


class Person(msgspec.Struct, frozen=True):
    """Who is told of the work and asked about it.

    ``asker`` is None where nobody can be asked; with ``yes`` it is not asked what is safe. ``jobs`` is how
    much may go on at a time. ``trusted`` is a manifest that they said may run what it names. ``hand`` is what
    stayed behind as root, where the program was started through sudo and stepped down. In a rehearsal
    (``rehearses``) what needs privilege is shown and not run. ``password`` gives sudo's, where the person has
    given it already; it is a function, so that nothing that shows this shows it.
    """

    reporter: Reporter = Silent()
    asker: Asker | None = None
    yes: bool = False
    jobs: int = 4
    hand: RootHand | None = None
    trusted: Path | None = None
    rehearses: bool = False
    password: Callable[[], str] | None = None


def finder(person: Person, environ: Mapping[str, str]) -> Callable[[], Access]:
    """Finds the way to privilege, when it is asked to."""
    if person.rehearses:
        return lambda: REHEARSAL
    return lambda: access(environ, person.hand)
