"""The survey as a person reads it."""

from __future__ import annotations

from zesty_anchor.show.columns import columns
from zesty_anchor.show.listing import short_owner
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import amount, count
from zesty_anchor.survey.findings import Answering, Findings

_OURS = "zesty-anchor"


def findings(paint: Paint, found: Findings, *, whole: bool = False) -> None:
    """What is wrong first, the worst of it at the top; then the machine, and what answers on it. ``whole``
    names also the startup files that are not there.
    """
    _troubles(paint, found)
    _machine(paint, found, whole=whole)
    if found.answers or found.unanswered:
        paint.write()
        _answers(paint, found)
    _runtimes(paint, found)
    paint.write()
    what, command = ("see what would change", "preview") if found.manifest else ("write a manifest", "draft")
    paint.write(f"To {what}: {paint.name(f'zesty-anchor {command}')}")


def _machine(paint: Paint, found: Findings, *, whole: bool) -> None:
    """The machine in a few lines."""
    shells = ", ".join(f"{s.name}{' (login shell)' if s.login else ''}" for s in found.shells)
    shelf: dict[str, list[str]] = {}
    for standing in found.shelf:
        shelf.setdefault(standing.runtime, []).append(standing.version)
    readers: dict[str, list[str]] = {}
    for file in found.startup_files:
        readers.setdefault(file.file, []).append(file.shell)
    rows = [
        ["machine", f"{found.system}, {found.platform}; {amount(found.free)} free in the home"],
        [
            "packages",
            (f"{found.packages or 'no known package manager'}, privilege by {found.privilege or 'nobody'}"),
        ],
        ["shells", shells or "none"],
        ["manifest", found.manifest or "none here"],
        [
            "installed",
            "; ".join(f"{name} {', '.join(versions)}" for name, versions in shelf.items()) or "nothing",
        ],
    ]
    columns(paint, [[paint.head(name), what] for name, what in rows], [14], indent=0)
    paint.write()
    paint.write(paint.head("Startup files"))
    told = []
    for file in {file.file: file for file in found.startup_files if file.exists}.values():
        notes = [f"leads to {file.links_to}"] if file.links_to else []
        notes += [] if file.writable else ["read-only"]
        notes += ["managed by zesty-anchor"] if file.block else []
        told.append([paint.name(file.file), f"read by {', '.join(readers[file.file])}", ", ".join(notes)])
    columns(paint, told, [18, 12])
    absent = dict.fromkeys(file.file for file in found.startup_files if not file.exists)
    if absent and whole:
        paint.write(paint.faint(f"  do not exist: {', '.join(absent)}"))
    elif absent:
        paint.write(paint.faint(f"  {len(absent)} other startup files do not exist (-v lists them)"))


def _troubles(paint: Paint, found: Findings) -> None:
    if not found.troubles:
        paint.write(paint.good("No problems found") + " in startup files, on PATH or at shell start.")
        paint.write()
        return
    paint.write(paint.head(count(len(found.troubles), "problem")) + paint.faint(", most serious first"))
    for each in found.troubles:
        where = f"{each.file}:{each.line}" if each.line else each.file
        shells = paint.faint(f"  ({', '.join(each.shells)})") if each.shells else ""
        paint.write(f"  {paint.look(where) + '  ' if where else ''}{each.what}{shells}")
        if each.fix:
            paint.write(f"      {paint.faint('fix:')} {each.fix}")
    paint.write()


def _runtimes(paint: Paint, found: Findings) -> None:
    others = [each for each in found.runtimes if not each.owner.startswith("zesty-anchor")]
    if not others:
        return
    paint.write()
    paint.write(paint.head("Runtimes not installed by zesty-anchor"))
    rows = [
        [
            paint.name(each.name),
            each.version or "unknown",
            each.path,
            paint.faint(
                f"of {short_owner(each.owner)}" + (f", by {each.brought_by}" if each.brought_by else "")
            ),
        ]
        for each in others
    ]
    columns(paint, rows, [10, 8])


def _answers(paint: Paint, found: Findings) -> None:
    """A row for what a command resolves to, and for what stands behind it and is not ours."""
    paint.write(paint.head("What each command resolves to in a new shell"))
    asked = [shell.name for shell in found.shells]
    merged: dict[tuple[str, str, str, bool], list[Answering]] = {}
    for answer in found.answers:
        ours = answer.owner.startswith(_OURS)
        if answer.wins or not ours:
            key = "" if ours else answer.path
            merged.setdefault((answer.command, key, "" if ours else answer.owner, answer.wins), []).append(
                answer
            )
    rows, order = [], list(dict.fromkeys(answer.command for answer in found.answers))
    for (command, *_, wins), answers in sorted(
        merged.items(), key=lambda m: (order.index(m[0][0]), not m[0][3])
    ):
        shells = dict.fromkeys(answer.shell for answer in answers)
        # Of ours the folder of the version and its launcher are one thing, whichever comes first.
        told = max(answers, key=lambda answer: len(answer.owner))
        where = "in every shell" if len(shells) == len(asked) else f"in {', '.join(shells)}"
        rows.append(
            [
                paint.name(command),
                told.path,
                paint.faint(f"of {short_owner(told.owner)}"),
                paint.faint(where if wins else f"shadowed {where}"),
            ]
        )
    columns(paint, rows, [10])
    if found.unanswered:
        paint.write(f"  {paint.look('not found')}: {', '.join(map(paint.name, found.unanswered))}")
