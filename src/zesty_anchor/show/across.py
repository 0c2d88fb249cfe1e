"""What a command came to on many machines, as a person reads it: by what is equal."""

from __future__ import annotations

import shlex
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from xml.etree import ElementTree

from zesty_anchor.files.replace import replace
from zesty_anchor.planning.spread import STATES, OnHost, Spread, State, alike
from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import Paint
from zesty_anchor.show.sizes import count, lasted

_MOST_NAMED = 8


def spread(
    paint: Paint, done: Spread, *, whole: bool, options: Sequence[str] = (), words: Sequence[str] = ()
) -> None:
    """The machines by what it came to there, the worst first; ``whole`` shows each by itself. ``options`` are
    those that a retry needs again, ``words`` what follows the command.
    """
    counts = Counter(each.state for each in done.hosts)
    parts = [f"{counts[state]} {state}" for state in STATES if counts[state]]
    head = f"{done.command} on {count(len(done.hosts), 'host')}: {', '.join(parts)}"
    paint.write(f"{(paint.good if done.ok else paint.bad)(head)} ({lasted(done.seconds)}).")
    if whole:
        rows = [
            [paint.name(e.host), _state(paint, e.state), lasted(e.seconds), "; ".join(e.says)]
            for e in done.hosts
        ]
        columns(paint, rows, [14, 12, 8])
    else:
        for group in alike(done.hosts):
            more = f" and {len(group.hosts) - _MOST_NAMED} more" if len(group.hosts) > _MOST_NAMED else ""
            names = ", ".join(group.hosts[:_MOST_NAMED]) + more
            number = f"{len(group.hosts)} alike" if len(group.hosts) > 1 else "1"
            paint.write()
            paint.write(f"  {_state(paint, group.state)}  {number}: {paint.name(names)}")
            for line in group.says:
                paint.write(f"    {line}")
            if group.state == "unreachable":
                paint.write(f"    try: {paint.name(shlex.join(('ssh', group.hosts[0])))}")
    if not done.ok:
        again = [each.host for each in done.hosts if not each.ok]
        if len(again) < len(done.hosts) and len(again) <= _MOST_NAMED and done.command != "diff":
            retry = shlex.join(("zesty-anchor", "across", *options, ",".join(again), done.command, *words))
            paint.write()
            paint.write(f"To retry: {paint.name(retry)}")


def _state(paint: Paint, state: State) -> str:
    colour = {"ok": paint.good, "failed": paint.bad, "unreachable": paint.bad}.get(state, paint.look)
    return colour(state)


def write_junit(file: Path, done: Spread) -> None:
    """Write JUnit's XML: one suite, a case for each machine."""
    failed = sum(not each.ok for each in done.hosts)
    top = ElementTree.Element("testsuites", name=f"{done.command} on {len(done.hosts)} hosts")
    suite = ElementTree.SubElement(
        top, "testsuite", name=done.command, tests=str(len(done.hosts)), failures=str(failed),
        time=f"{done.seconds:.3f}",
    )  # fmt: skip
    for each in done.hosts:
        case = ElementTree.SubElement(
            suite, "testcase", classname=done.command, name=each.host, time=f"{each.seconds:.3f}"
        )
        if not each.ok:
            ElementTree.SubElement(case, "failure", message=f"{each.state}: {'; '.join(each.says)}")
    replace(file.absolute(), ElementTree.tostring(top, encoding="utf-8", xml_declaration=True), 0o644)


def write_report(file: Path, done: Spread, pages: Mapping[str, str] | None = None) -> None:
    """Write one HTML page with a matrix: a row for each machine, a column for each thing that was found.
    ``pages`` are the pages of machines, beside it.
    """
    from jinja2 import Environment, PackageLoader

    says = list(dict.fromkeys(line for each in done.hosts for line in each.says))
    page = Environment(loader=PackageLoader("zesty_anchor", "show"), autoescape=True)
    text = page.get_template("across.html.j2").render(
        done=done,
        groups=alike(done.hosts),
        says=says,
        rows=_rows(done.hosts, says),
        lasted=lasted,
        pages=pages or {},
    )
    replace(file.absolute(), text.encode(), 0o644)


def _rows(hosts: tuple[OnHost, ...], says: list[str]) -> list[tuple[OnHost, list[bool]]]:
    ordered = sorted(hosts, key=lambda each: STATES.index(each.state))
    return [(each, [line in each.says for line in says]) for each in ordered]
