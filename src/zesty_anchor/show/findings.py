"""The survey as a person reads it."""

from __future__ import annotations

from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import table
from zesty_anchor.survey.findings import Answering, Findings


def findings(paint: Paint, found: Findings) -> None:
    """Everything, in the order in which a person asks."""
    paint.write(f"{paint.head('Machine')}   {found.system}, {found.platform}")
    shells = ", ".join(f"{s.program}{' (login shell)' if s.login else ''}" for s in found.shells)
    paint.write(f"{paint.head('Shells')}    {shells or 'none that we know'}")
    paint.write(f"{paint.head('Manifest')}  {found.manifest or 'none found here'}")
    paint.write()
    paint.write(paint.head("Startup files"))
    rows = []
    readers: dict[str, list[str]] = {}
    for file in found.startup_files:
        readers.setdefault(file.file, []).append(file.shell)
    for file in {file.file: file for file in found.startup_files if file.exists}.values():
        notes = [f"leads to {file.links_to}"] if file.links_to else []
        notes += [] if file.writable else ["read-only"]
        notes += ["holds our block"] if file.block else []
        rows.append([paint.name(file.file), f"read by {', '.join(readers[file.file])}", ", ".join(notes)])
    for line in table(rows, [18, 12]):
        paint.write(f"  {line}")
    absent = dict.fromkeys(file.file for file in found.startup_files if not file.exists)
    if absent:
        paint.write(paint.faint(f"  not there: {', '.join(absent)}"))
    if found.manifest:
        paint.write()
        _answers(paint, found)
    if found.shelf:
        paint.write()
        paint.write(paint.head("On the shelf"))
        for standing in found.shelf:
            paint.write(f"  {paint.name(standing.runtime)} {standing.version}")


def _answers(paint: Paint, found: Findings) -> None:
    paint.write(paint.head("Who answers in a fresh shell to the manifest's commands"))
    merged: dict[tuple[str, str, str, bool], list[str]] = {}
    for answer in found.answers:
        merged.setdefault(_what(answer), []).append(answer.shell)
    rows = []
    for (command, path, owner, wins), shells in merged.items():
        place = paint.good("answers") if wins else paint.faint("behind it")
        rows.append(
            [
                paint.name(command),
                place,
                ", ".join(shells),
                path,
                paint.faint(f"of {owner}" if owner != "unknown" else "of unknown origin"),
            ]
        )
    rows += [[paint.name(command), paint.look("nothing answers yet"), "", "", ""] for command in found.unanswered]
    for line in table(rows, [10]):
        paint.write(f"  {line}")


def _what(answer: Answering) -> tuple[str, str, str, bool]:
    return answer.command, answer.path, answer.owner, answer.wins
