"""One page with all that is known of this workstation."""

from __future__ import annotations

import time
from collections.abc import Iterator

from zesty_anchor import __version__
from zesty_anchor.files.digest import digest_of
from zesty_anchor.manifest.model import Manifest
from zesty_anchor.operations.attic import kept
from zesty_anchor.operations.history import history
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.survey import path_and_troubles
from zesty_anchor.operations.verify import still_proved, verify
from zesty_anchor.planning.choices import active_versions
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.reported import Asked, Report, Stands, ToDo
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.proof.prove import Asking
from zesty_anchor.proof.verified import Verified
from zesty_anchor.shelf.receipt import extras_in
from zesty_anchor.survey.findings import Trouble
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.past_costs import past_costs

_RUNS = 20
_TROUBLES = 5
"""How many troubles of the survey stand among what is to be done."""


def report(workstation: Workstation, person: Person, *, anew: bool = False) -> Report:
    """Look whether the last proof holds yet, and ask new shells where it does not, or ``anew``; look where
    PATH comes from and what is wrong; and put it together with what earlier runs did. Nothing is changed.

    Raises what ``verify`` raises.
    """
    verified = (None if anew else still_proved(workstation, person)) or verify(workstation, person, Asking())[
        0
    ]
    machine = look_at(workstation)
    path, troubles = path_and_troubles(workstation, machine)
    costs = past_costs(workstation.locations.state)
    return Report(
        at=time.time(),
        program=__version__,
        system=machine.host.title,
        platform=machine.host.platform,
        title=workstation.manifest.title,
        manifest=workstation.locations.shown(workstation.file),
        digest=digest_of(workstation.text.encode("utf-8", "surrogateescape")),
        asked=tuple(_asked(workstation.manifest)),
        stands=tuple(_stands(workstation, machine)),
        verified=verified,
        path=path,
        troubles=troubles,
        runs=tuple(history(workstation)[:_RUNS]),
        kept=tuple(kept(workstation)),
        costs=costs[-1] if costs else None,
        next=tuple(_next(verified, troubles)),
    )


def _asked(manifest: Manifest) -> Iterator[Asked]:
    """The manifest in words, without the values of variables: they may be nobody else's business."""
    use = manifest.shells.use
    yield Asked(
        "shells", "those that you use" if use is None else use if isinstance(use, str) else ", ".join(use)
    )
    for name, tool in manifest.tools.items():
        parts = [tool.want]
        parts += [f"beside it {', '.join(tool.also)}"] if tool.also else []
        parts += [f"with {', '.join(tool.extras)}"] if tool.extras else []
        parts += [f"through {tool.through}"] if tool.through else []
        yield Asked(".".join(manifest.step(name)), "; ".join(parts))
    for key, names in (
        ("prerequisites.packages", manifest.prerequisites.packages),
        ("prerequisites.sources", tuple(manifest.prerequisites.sources)),
        ("variables", tuple(manifest.variables)),
        ("path", (*manifest.path.first, *manifest.path.last)),
        ("settings", tuple(setting.file for setting in manifest.settings)),
        ("checks", tuple(check.name for check in manifest.checks)),
        ("conflicts.remove", tuple(filter(None,
        (each.path or each.package or each.variable or each.alternative
                                                 for each in manifest.conflicts.remove)))),
    ):  # fmt: skip
        if names:
            yield Asked(key, ", ".join(names))


def _stands(workstation: Workstation, machine: Machine) -> Iterator[Stands]:
    effect = {choice.runtime: choice for choice in active_versions(workstation, machine)}
    wants: dict[tuple[str, str], list[str]] = {}
    for name, tool in workstation.manifest.tools.items():
        for want in (tool.want, *tool.also):
            here = standing(workstation, name, want, machine, workstation.past.resolutions)
            if here is not None:
                wants.setdefault((name, here), []).append(want)
    for (name, folder_name), receipt in machine.shelf.items():
        folder = workstation.locations.shelf / name / folder_name
        choice = effect.get(name)
        yield Stands(
            runtime=name,
            version=receipt.version,
            wants=tuple(wants.get((name, folder_name), ())),
            decided_by=choice.decided_by if choice is not None and choice.version == receipt.version else "",
            folder=workstation.locations.shown(folder),
            feed=receipt.feed,
            url=receipt.url,
            digest=receipt.digest,
            signed_by=receipt.signed_by,
            on=receipt.on,
            extras=tuple(extras_in(folder)),
        )


def _next(verified: Verified, troubles: tuple[Trouble, ...]) -> list[ToDo]:
    """What fixes each thing, what fixes several things once."""
    found: dict[str, dict[str, None]] = {}
    for _, check in verified.proof.failures:
        if check.fix:
            cause = check.cause
            why = (
                f"{cause.place}: {cause.what}"
                if cause is not None and cause.place
                else cause.what
                if cause
                else check.name
            )
            found.setdefault(check.fix, {})[why] = None
    for drift in verified.drift:
        found.setdefault(drift.fix, {})[
            drift.what if drift.place in drift.what else f"{drift.place}: {drift.what}"
        ] = None
    for trouble in troubles[:_TROUBLES]:
        if trouble.fix:
            where = (
                f"{trouble.file}:{trouble.line}: "
                if trouble.line
                else f"{trouble.file}: "
                if trouble.file
                else ""
            )
            found.setdefault(trouble.fix, {})[where + trouble.what] = None
    return [ToDo(fix, tuple(why)) for fix, why in found.items()]
