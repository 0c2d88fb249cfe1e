"""What one command came to on several machines, and which of them it came to the same on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal

import msgspec

State = Literal["ok", "failed", "answer needed", "unreachable", "running", "not started"]
STATES: tuple[State, ...] = ("failed", "answer needed", "unreachable", "running", "not started", "ok")
"""The worst first."""
_MOST = 6


class OnHost(msgspec.Struct, frozen=True):
    """What a command came to on one machine: ``says`` in a few sentences, the exit status ``code`` (-1: there
    is none), how long it took in seconds, and the ``document`` that it printed there.
    """

    host: str
    state: State
    says: tuple[str, ...]
    code: int = -1
    seconds: float = 0.0
    document: Any = None

    @property
    def ok(self) -> bool:
        """Whether it did what it should."""
        return self.state == "ok"


class Spread(msgspec.Struct, frozen=True):
    """What a command came to on all of them."""

    command: str
    hosts: tuple[OnHost, ...]
    seconds: float = 0.0

    @property
    def ok(self) -> bool:
        """Whether it did what it should on each of them."""
        return all(each.ok for each in self.hosts)


class Alike(msgspec.Struct, frozen=True):
    """Machines on which a command came to the same."""

    hosts: tuple[str, ...]
    state: State
    says: tuple[str, ...]


def alike(hosts: Iterable[OnHost]) -> list[Alike]:
    """The machines by what it came to there, the worst first, and of those the largest group. Pure."""
    found: dict[tuple[State, tuple[str, ...]], list[str]] = {}
    for each in hosts:
        found.setdefault((each.state, each.says), []).append(each.host)
    groups = [Alike(tuple(names), state, says) for (state, says), names in found.items()]
    return sorted(groups, key=lambda group: (STATES.index(group.state), -len(group.hosts)))


def judged(command: str, code: int, document: Any) -> tuple[State, tuple[str, ...]]:
    """Whether a command did what it should, and what to say of it, by its exit status and its document.
    Pure.
    """
    if not isinstance(document, dict):
        return ("ok", ()) if code == 0 else ("failed", (f"exit status {code}",))
    if code == 5 and (asked := questions_of(document)):
        open_ones = [f"{each.get('text')} (answer: {each.get('answer')})" for each in asked]
        return "answer needed", tuple(_shortened(open_ones))
    if errors := document.get("errors"):
        says = tuple(_error(each) for each in errors[:_MOST] if isinstance(each, dict))
        return ("answer needed" if code == 5 else "failed"), says
    says = tuple(_SAYS.get(command, _plain)(document))
    return ("ok" if code == 0 or (command, code) in _FINE else "failed"), says


def questions_of(document: Any) -> list[Mapping[str, Any]]:
    """The questions that were open where a command ended with this document. Pure."""
    asked = document.get("questions") if isinstance(document, dict) else None
    return [each for each in asked or () if isinstance(each, dict)]


_FINE = {("preview", 3), ("status", 3), ("status", 6)}
"""Exit statuses that tell of a state, and of no failure."""


def _error(error: Mapping[str, Any]) -> str:
    text = str(error.get("what", "")).split("\n")[0]
    return f"{text} ({error['where']})" if error.get("where") else text


def _failed_changes(document: Mapping[str, Any]) -> list[str]:
    return [
        f"{each.get('subject')}: {each.get('problem') or 'failed'}"
        for each in document.get("changes", ())
        if each.get("outcome") in ("failed", "not undone")
    ]


def _failed_checks(proof: Any) -> list[str]:
    """The checks that failed, each with the shells that it failed in; after them the causes, each once."""
    found: dict[str, dict[str, None]] = {}
    causes: dict[str, None] = {}
    for shell in (proof or {}).get("shells", ()):
        for check in shell.get("checks", ()):
            if not check.get("ok") and not check.get("before"):
                found.setdefault(str(check.get("name")), {})[str(shell.get("shell"))] = None
                if cause := check.get("cause"):
                    place = f"{cause.get('file')}:{cause.get('line')}" if cause.get("file") else ""
                    causes[f"cause: {cause.get('what')}{f' ({place})' if place else ''}"] = None
    failed = [f'"{name}" failed in {", ".join(shells)}' for name, shells in found.items()]
    return [*failed, *causes]


def _shortened(lines: Sequence[str]) -> list[str]:
    more = len(lines) - _MOST
    return [*lines[:_MOST], *([f"and {more} more"] if more > 0 else [])]


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}{'' if number == 1 else 's'}"


def _provisioned(document: Mapping[str, Any]) -> list[str]:
    changed = document.get("changed", document.get("undone", 0))
    proof = document.get("proof")
    bad = [*_failed_changes(document), *_failed_checks(proof)]
    verified = ", verified" if proof and not bad else ""
    verb = "undone" if "undone" in document else "done"
    head = f"{_count(changed, 'change')} {verb}{verified}" if changed else "nothing to do"
    return [head, *_shortened(bad)]


def _verified(document: Mapping[str, Any]) -> list[str]:
    bad = _failed_checks(document)
    checks = sum(len(shell.get("checks", ())) for shell in document.get("shells", ()))
    drift = [f"{each.get('subject', each)} changed" for each in document.get("drift", ()) if each]
    return _shortened([*bad, *drift]) or [f"{_count(checks, 'check')} passed"]


def _previewed(document: Mapping[str, Any]) -> list[str]:
    pending = document.get("pending", 0)
    subjects = [
        str(each.get("subject")) for each in document.get("changes", ()) if each.get("kind") == "version"
    ]
    return [f"{_count(pending, 'change')} pending" if pending else "nothing to do", *_shortened(subjects)]


def _status(document: Mapping[str, Any]) -> list[str]:
    versions = ", ".join(f"{name} {version}" for name, version in document.get("versions", {}).items())
    return [f"{document.get('state')}: {versions or 'nothing installed'}"]


def _plain(document: Mapping[str, Any]) -> list[str]:
    return []


_VERDICTS = {
    "ok": "all checks passed",
    "pending": "changes pending",
    "changed": "changed since installation",
    "failing": "checks failed",
}


def _reported(document: Mapping[str, Any]) -> list[str]:
    verified = document.get("verified") or {}
    steps = len(document.get("next", ()))
    bad = _shortened(_failed_checks(verified.get("proof")))
    state = _VERDICTS.get(str(verified.get("state")), "not verified")
    return [f"{state}; {_count(steps, 'step')} to take next", *bad]


_SAYS = {
    "report": _reported,
    "provision": _provisioned,
    "upgrade": _provisioned,
    "undo": _provisioned,
    "verify": _verified,
    "preview": _previewed,
    "status": _status,
}


def differing(documents: Mapping[str, Any], locked: Mapping[str, str]) -> dict[str, tuple[str, ...]]:
    """By machine what is other than the lock says, from each one's ``status``: nothing where it is the same.
    What the lock does not name is compared with what most of the machines have. Pure.
    """
    there = {host: _versions(document) for host, document in documents.items()}
    names = dict.fromkeys((*locked, *(name for versions in there.values() for name in versions)))
    expected = {name: locked.get(name) or _most_have(name, there.values()) for name in names}
    found = {}
    for host, versions in there.items():
        rows = []
        for name, version in expected.items():
            here = versions.get(name, "")
            if here != version:
                source = "lock" if name in locked else "most"
                rows.append(f"{name} {here or 'not installed'} ({source}: {version or 'not installed'})")
        found[host] = tuple(rows)
    return found


def _versions(document: Any) -> dict[str, str]:
    versions = document.get("versions", {}) if isinstance(document, dict) else {}
    return versions if isinstance(versions, dict) else {}


def _most_have(name: str, there: Iterable[Mapping[str, str]]) -> str:
    counts: dict[str, int] = {}
    for versions in there:
        counts[versions.get(name, "")] = counts.get(versions.get(name, ""), 0) + 1
    return max(counts, key=lambda version: counts[version], default="")
