"""Answering a shell that entered a folder whose pins have changed."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from zesty_anchor.operations.answers import write_answers
from zesty_anchor.operations.in_step import is_provisioned
from zesty_anchor.operations.obtain import bring, may
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.projects import note_pins
from zesty_anchor.planning.choices import asked_for, chooser
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.ownership import in_other_hands


def answer(workstation: Workstation, person: Person, files: Sequence[Path], *, may_install: bool) -> None:
    """Resolve the pins in these files for the shells, after installing what is missing if the manifest says
    so.

    A shell that stayed open after all was taken back is given nothing: no trace may come back.
    """
    if not is_provisioned(workstation):
        return
    machine = look_at(workstation)
    choosing = chooser(workstation, machine)
    policy = workstation.manifest.shells.missing
    missing = [m for m in choosing.missing(files) if not m.pin.wrong and not in_other_hands(m.file)]
    if missing and may_install and policy in ("ask", "install"):
        texts = ", ".join(f"{m.pin.runtime} {m.pin.want}" for m in missing)
        if policy == "install" or may(person, f"this project wants {texts}; install it now?"):
            bring(workstation, person, asked_for(missing, machine, Offers(workstation)))
            choosing = chooser(workstation, look_at(workstation))
    write_answers(choosing, workstation, files)
    note_pins(workstation, choosing, files)
