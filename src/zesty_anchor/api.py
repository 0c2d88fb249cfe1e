"""Zesty Anchor as a library: load a manifest, preview it, provision, verify and undo.

    from pathlib import Path
    from zesty_anchor import api

    workstation = api.load(Path("workstation.toml"))
    for change in api.preview(workstation).changes:
        print(change.action, change.subject)

Nothing is printed and nobody is asked, unless a ``Person`` with a reporter or an asker is given. A question
that nobody can answer raises ``AnswersNeeded``, before anything was changed. All errors are ``Problem``; each
has ``what`` happened, ``where``, and ``advice``.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from zesty_anchor.engine.questions import AnswersNeeded
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.workstation import Workstation, open_workstation, with_manifest_here
from zesty_anchor.system.host import program_path
from zesty_anchor.system.own_program import own_words
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.engine.outcome import Outcome, RunDone, TakenBack
    from zesty_anchor.planning.plan import Plan
    from zesty_anchor.proof.verified import Verified

__all__ = [
    "AnswersNeeded", "Person", "Problem", "UsageProblem", "Workstation",
    "load", "preview", "provision", "repair", "runs", "undo", "verify", "without_manifest",
]  # fmt: skip


def without_manifest(
    *, environ: Mapping[str, str] | None = None, folder: Path | None = None, offline: bool = False
) -> Workstation:
    """The workstation of ``environ`` (its HOME and XDG_*_HOME; None: this process's environment), used from
    ``folder`` (None: the current folder), without a manifest. With ``offline`` no feed is asked. It is enough
    for ``undo`` and ``runs``.

    ``PATH`` of this process is set to the login PATH: what is started from here on is looked up there. Raises
    ``Problem`` where the journal cannot be read.
    """
    environment = dict(os.environ if environ is None else environ)
    os.environ["PATH"] = program_path(environment)
    program = own_words(sys.argv[0], environment)
    return open_workstation(environment, folder or Path.cwd(), program, offline=offline)


def load(
    manifest: Path | None = None,
    *,
    environ: Mapping[str, str] | None = None,
    folder: Path | None = None,
    offline: bool = False,
) -> Workstation:
    """The workstation with ``manifest`` (None: the one that the command line would find from ``folder``), its
    recipes and its lock.

    Raises ``UsageProblem`` with file and line for a mistake in it, ``NoManifest`` where there is none.
    """
    return with_manifest_here(without_manifest(environ=environ, folder=folder, offline=offline), manifest)


def preview(workstation: Workstation, person: Person | None = None) -> Plan:
    """What ``provision`` would do: ``changes`` in order, ``questions``, ``notices``, and ``commands`` that
    need privilege. Changes nothing.

    Raises ``Problem`` where no plan can be made.
    """
    from zesty_anchor.operations import preview as operation

    return operation.preview(workstation, person or Person())


def provision(workstation: Workstation, person: Person | None = None, *, deep: bool = False) -> Outcome:
    """Make the machine match the manifest, and verify it in new shells. With ``deep`` every file of every
    version is read.

    Returns the ``changes``, how many were ``changed`` and ``failed``, and the ``proof``; ``well`` tells
    whether everything asked for is there. Raises ``AnswersNeeded`` where a question has no answer,
    ``Problem`` where the run cannot begin.
    """
    from zesty_anchor.operations import provision as operation

    return operation.provision(workstation, person or Person(), deep=deep)


def verify(
    workstation: Workstation,
    person: Person | None = None,
    *,
    only: Sequence[str] = (),
    shells: Sequence[str] = (),
    deep: bool = False,
    online: bool = False,
) -> Verified:
    """Compare what is installed with the manifest, then check new shells. ``only`` keeps checks whose name
    contains one of these texts, ``shells`` shells of these names; ``online`` has the runtimes' own package
    tools fetch something, too.

    Returns the checks of each shell, what was changed since, and ``exit``, the exit status that the command
    line would have. Raises ``AnswersNeeded`` for a manifest that was not agreed to.
    """
    from zesty_anchor.operations import verify as operation
    from zesty_anchor.proof.prove import Asking

    asking = Asking(tuple(only), tuple(shells), online)
    return operation.verify(workstation, person or Person(), asking, deep=deep)[0]


def repair(
    workstation: Workstation,
    person: Person,
    *,
    only: Sequence[str] = (),
    shells: Sequence[str] = (),
    deep: bool = False,
    online: bool = False,
    show: Callable[[Verified], object] = lambda seen: None,
) -> tuple[Verified, Outcome | None]:
    """Verify, ``show`` what was found, ask the person about each fix, and carry out those that they take as
    one run, which ``undo`` reverses.

    Returns what is found in the end, and what the run did (None: nothing was taken). Raises ``AnswersNeeded``
    where nobody can be asked.
    """
    from zesty_anchor.operations import repair as operation
    from zesty_anchor.proof.prove import Asking

    asking = Asking(tuple(only), tuple(shells), online)
    return operation.repair(workstation, person, asking, deep=deep, show=show)


def undo(workstation: Workstation, person: Person | None = None, run: int | None = None) -> TakenBack:
    """Undo the last run, or the one of that number. Raises ``NothingLeft`` where there is none, ``Problem``
    where a later run needs what it did.
    """
    from zesty_anchor.operations import take_back as operation

    return operation.undo(workstation, person or Person(), run)


def runs(workstation: Workstation) -> list[RunDone]:
    """The runs that can be undone, the latest first."""
    from zesty_anchor.operations import take_back as operation

    return operation.runs(workstation)
