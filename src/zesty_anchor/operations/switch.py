"""Choosing versions: for the session, the project or by default."""

from __future__ import annotations

import os
from pathlib import Path

import msgspec

from zesty_anchor.changes.person.choice import WriteChoice, pin, with_default
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.outcome import Outcome
from zesty_anchor.engine.questions import settle
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.manifest.pin import pin_files
from zesty_anchor.operations.agreed import agreed
from zesty_anchor.operations.calling_shell import reload_line
from zesty_anchor.operations.in_step import keep_launchers
from zesty_anchor.operations.obtain import check_want, installed, newest_of, refuse_manager
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.projects import note_projects
from zesty_anchor.operations.provision import provision
from zesty_anchor.operations.running import carry_out_alone
from zesty_anchor.planning.agreement import agree, is_own
from zesty_anchor.planning.choices import SESSION, Choice, choice_of, chooser, pinned_at_home
from zesty_anchor.planning.listing import Switched
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.resolve import Asked
from zesty_anchor.planning.workstation import Workstation, with_manifest
from zesty_anchor.system.problem import Problem, UsageProblem


def choice(workstation: Workstation, runtime: str) -> Choice:
    """What is in effect for one runtime in the current folder. Raises ``UsageProblem`` where the manifest
    does not have it.
    """
    keep_launchers(workstation)
    return choice_of(workstation, look_at(workstation), runtime)


def for_session(
    workstation: Workstation, person: Person, runtime: str, want: str, *, install: bool = False
) -> Switched:
    """Choose for the session. The shell itself must take the answer, so it is asked for there."""
    _refuse_outside_shell(workstation, f"{runtime} {want}{' --install' if install else ''}")
    version = installed(
        workstation, person, look_at(workstation), Asked(runtime, want, False), install=install
    )
    words = " ".join([*_others(workstation, runtime), f"{runtime}={version}"])
    return Switched(Choice(runtime, version, "session", f"${SESSION}"), words)


def forget_session(workstation: Workstation, runtime: str) -> Switched:
    """Drop the session's choice."""
    workstation.check_runtime(runtime)
    _refuse_outside_shell(workstation, f"{runtime} --forget")
    rest = " ".join(_others(workstation, runtime))
    without = msgspec.structs.replace(workstation, environ={**workstation.environ, SESSION: rest})
    return Switched(choice(without, runtime), rest)


def for_project(
    workstation: Workstation, person: Person, runtime: str, want: str, *, install: bool = False
) -> Switched:
    """Pin a version for the project: in the file that pins it already, else in a new one in this folder."""
    machine = look_at(workstation)
    _agree_to_pin_at_home(workstation, person)
    asked = Asked(runtime, want, False)
    if install:  # the newest of the line, and not only the newest of those that are installed
        asked = newest_of(workstation, machine, asked)
    version = installed(workstation, person, machine, asked, install=install)
    note_projects(workstation, [workstation.folder])
    pinned = [
        (file, found)
        for file, found in chooser(workstation, look_at(workstation)).pins(workstation.folder)
        if found.runtime == runtime and found.requirement is None
    ]
    file = (
        pinned[0][0] if pinned else workstation.folder / pin_files(runtime, workstation.recipes[runtime])[0]
    )
    line = pinned[0][1].line if pinned else 0
    _refuse_link(file)
    _write(workstation, person, pin(file, runtime, want, line))
    place = f"{workstation.locations.shown(file)}:{line or 1}"
    return Switched(Choice(runtime, version, "project", place), written=str(file))


def forget_project(workstation: Workstation, person: Person, runtime: str) -> Switched:
    """Remove this folder's pin of a runtime. Raises ``Problem`` where it stands elsewhere, or in a shared
    file.
    """
    file = workstation.folder / f".{runtime}-version"
    if not file.is_file():
        decided = choice(workstation, runtime)
        raise Problem(
            f"no {file.name} in this folder pins {runtime}",
            where=f"{runtime} {decided.version} is active: {decided.scope}, by {decided.decided_by}",
            advice="take the pin out of the file that is named",
        )
    workstation.check_runtime(runtime)
    _refuse_link(file)
    _write(workstation, person, Edit(read_text_file(file), None))
    return Switched(choice(workstation, runtime), written=str(file))


def by_default(workstation: Workstation, person: Person, runtime: str, want: str) -> tuple[Outcome, bool]:
    """Write the default version into the manifest, and make the machine follow, in one run: all of it or
    nothing.

    Returns what the provisioning came to, and whether the manifest had to be changed.
    """
    workstation.check_runtime(runtime)
    refuse_manager(workstation, runtime)
    check_want(want)
    file = read_text_file(workstation.file)
    before = (file.content or b"").decode("utf-8")
    text = with_default(before, runtime, want, workstation.manifest.runtimes[runtime].want)
    if text == before:
        outcome = provision(workstation, person, about=frozenset(workstation.recipes[runtime].commands))
        return _with_pins(outcome, workstation), False
    change = WriteChoice(Edit(file, text.encode()), workstation.locations.shown(workstation.file))
    agreed(workstation, person)
    changed = with_manifest(workstation, workstation.file, text)
    about = frozenset(changed.recipes[runtime].commands)
    outcome = provision(changed, person, first=[change], is_agreed=True, about=about, whole=True)
    if outcome.well and not is_own(changed):
        agree(changed)  # the person chose it here
    return _with_pins(outcome, changed), True


def _with_pins(outcome: Outcome, workstation: Workstation) -> Outcome:
    """An outcome, with what pins in the home decide instead of the default."""
    pinned = pinned_at_home(workstation, look_at(workstation))
    return msgspec.structs.replace(outcome, notices=(*outcome.notices, *pinned))


def _agree_to_pin_at_home(workstation: Workstation, person: Person) -> None:
    """Ask before a pin is written that decides in all of the home. Raises ``AnswerNeeded`` where nobody can
    be asked.
    """
    if workstation.folder != workstation.locations.home or person.yes:
        return
    text = (
        "this folder is your home: a pin here decides in every folder below that has none of its own;"
        " write it?"
    )
    settle([Question("pin", text, "--yes, or --default", safe=True)], person.asker, yes=person.yes)


def _refuse_link(file: Path) -> None:
    """A project may not have another file written than its own."""
    if file.is_symlink():
        raise UsageProblem(
            f"{file} is a link, and a pin is not written through one",
            where=f"it leads to {os.readlink(file)}",
            advice="put a file in its place, then choose again",
        )


def _write(workstation: Workstation, person: Person, edit: Edit) -> None:
    """Make one edit, if it changes anything."""
    if edit.after != edit.file.content:
        carry_out_alone(person, workstation, [WriteChoice(edit, workstation.locations.shown(edit.file.path))])


def _others(workstation: Workstation, runtime: str) -> list[str]:
    """The session's choices of other runtimes, as words."""
    words = workstation.environ.get(SESSION, "").split()
    return [word for word in words if not word.startswith(f"{runtime}=")]


def _refuse_outside_shell(workstation: Workstation, words: str) -> None:
    if not workstation.environ.get("ZESTY_ANCHOR_SHELL"):
        raise UsageProblem(
            "a session's choice lives in the shell itself, and this one has not read what we wrote for it",
            advice=(
                f"{reload_line(workstation)} && za switch {words}   (or choose with --project or --default)"
            ),
        )
