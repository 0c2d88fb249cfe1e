"""The report as Markdown (CommonMark, with the tables and ``<details>`` that trackers take), for a ticket."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from zesty_anchor.planning.reported import Report
from zesty_anchor.show.report import VERDICTS, CauseTold, causes, when
from zesty_anchor.show.sizes import count
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.visible import visible

MARKED = b"<!-- zesty-anchor report -->"
"""By this a text of ours is known; no page shows it (CommonMark, 4.6)."""
_LEAST = 2
"""Letters that a name must have to be looked for: a shorter one is part of too many words."""
_SPECIAL = re.compile(r"([\\`*_\[\]<>|])")


def ticket(found: Report, home: Path, hidden: dict[str, str]) -> str:
    """The report: first what is wrong, then what is installed, folded what is well. Paths in the ``home``
    begin with ``~``; each of the ``hidden`` names is replaced by its word.
    """
    text = "\n".join(_parts(found)) + "\n"
    text = visible(without_credentials(text)).replace(f"{home}/", "~/")
    for name, word in hidden.items():
        if len(name) >= _LEAST:
            text = re.sub(rf"(?<![\w-]){re.escape(name)}(?![\w-])", word, text)
    return text


def _parts(found: Report) -> Iterator[str]:
    proof = found.verified.proof
    checks = [check for shell in proof.shells for check in shell.checks]
    failed = sum(not check.ok for check in checks)
    yield MARKED.decode()
    yield f"# {VERDICTS[found.verified.state]}"
    yield ""
    passed = f"{len(checks) - failed} of {count(len(checks), 'check')} passed"
    yield f"{passed} in {count(len(proof.shells), 'start')} of shells. {found.system}, {found.platform};"
    yield f"zesty-anchor {found.program}; {when(found.at)}."
    for number, cause in enumerate(causes(proof), 1):
        yield from in_markdown(number, cause)
    if found.verified.drift:
        yield from ("", "## Different from the manifest", "")
        yield from (f"- {_code(each.place)}: {_text(each.what)}" for each in found.verified.drift)
    if found.next:
        yield from ("", "## To do next", "")
        for step in found.next:
            yield f"1. {_code(step.fix)}" + "".join(f"  \n   {_text(why)}" for why in step.why[:3])
    yield from ("", "## Installed", "")
    rows = [(e.runtime, e.version, ", ".join(e.wants), e.feed, e.decided_by) for e in found.stands]
    yield from _table(("runtime", "version", "want", "feed", "active by"), rows)
    asked = [(each.key, each.text) for each in found.asked]
    yield from _folded("The manifest asks for", _table(("key", "value"), asked))
    path = [
        (e.path, f"{e.startup_file}:{e.line}" if e.startup_file else e.owner, ", ".join(e.wins_in))
        for e in found.path
    ]
    yield from _folded("PATH", _table(("entry", "by", "in"), path))
    runs = [(str(run.run), when(run.began), run.verified or "no") for run in found.runs]
    yield from _folded("Last runs", _table(("run", "when", "verified"), runs))


def in_markdown(number: int, told: CauseTold) -> Iterator[str]:
    """One cause, as lines of Markdown. Pure."""
    cause = told.cause
    yield from ("", f"## Cause {number}: {_text(cause.what if cause else 'not found')}", "")
    if cause is not None and cause.place:
        yield f"- at {_code(cause.place)}" + (f": {_code(cause.text)}" if cause.text else "")
    yield f"- fails: {_text('; '.join(told.checks))}"
    yield f"- in: {_text(', '.join(told.shells))}"
    yield f"- expected: {_code(told.first.expected)}"
    yield f"- observed: {_code(told.first.observed)}"
    if told.first.fix:
        yield f"- fix: {_code(told.first.fix)}"


def _table(heads: Sequence[str], rows: Iterable[Sequence[str]]) -> Iterator[str]:
    yield f"| {' | '.join(heads)} |"
    yield "|" + "---|" * len(heads)
    for row in rows:
        yield "| " + " | ".join(_text(cell) for cell in row) + " |"


def _folded(title: str, lines: Iterable[str]) -> Iterator[str]:
    yield from ("", "<details>", f"<summary>{title}</summary>", "", *lines, "", "</details>")


def _text(text: str) -> str:
    """A text in which nothing is markup (CommonMark, 2.4)."""
    return _SPECIAL.sub(r"\\\1", " ".join(text.split()))


def _code(text: str) -> str:
    """A code span, whatever it holds (CommonMark, 6.1)."""
    one = " ".join(text.split())
    longest = max(map(len, re.findall("`+", one)), default=0)
    if not longest:
        return f"`{one}`" if one else "(nothing)"
    fence = "`" * (longest + 1)
    return f"{fence} {one} {fence}"
