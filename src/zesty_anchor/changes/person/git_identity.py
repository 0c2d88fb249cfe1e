"""The changes that make a person known to git, and hosts to the person."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, FileChange, FileTakeBack
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import Record
from zesty_anchor.files.edit import Edit
from zesty_anchor.manifest.model import Identity
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.identity import NAMES, IdentityFacts
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import git_config, ssh
from zesty_anchor.system.problem import Problem


class SetIdentity(FileChange, frozen=True):
    """Edit git's file, or the known hosts."""

    kind: ClassVar[str] = "identity"
    stage: ClassVar[Stage] = Stage.SHELL
    touches: ClassVar[frozenset[str]] = frozenset({"identity"})


class IdentityLater(BaseChange, frozen=True):
    """What cannot be planned before a program is there."""

    waits_for: str
    kind: ClassVar[str] = "identity"
    subject: ClassVar[str] = "git's configuration and the known hosts"
    action: ClassVar[str] = "edit"
    key: ClassVar[str] = "identity:later"
    stage: ClassVar[Stage] = Stage.SHELL
    pending: ClassVar[bool] = True

    @property
    def detail(self) -> str:
        """Why it waits."""
        return f"what exactly is known once {self.waits_for} is installed"

    def prepare(self, bench: Bench) -> Record:
        """It is never begun: it is planned anew first."""
        raise Problem(
            f"{self.waits_for} is not installed", advice="add its package to [prerequisites] packages"
        )

    def carry_out(self, bench: Bench, record: Record) -> None:
        """It is never begun."""
        raise AssertionError


class IdentityEdits(msgspec.Struct, frozen=True):
    """The edits that are needed, each with the name of its file, and the program that must be there first
    (empty: none).
    """

    edits: tuple[tuple[Edit, str], ...] = ()
    waits_for: str = ""


class Identities(FileTakeBack):
    """The kind."""

    name = "identity"
    heading = Heading.IDENTITY

    def look(self, wanted: Wanted, machine: Machine) -> IdentityEdits:
        """Have git write its file anew. Values that are there stay, unless the manifest says otherwise.

        Raises ``Problem`` where a host is known with, or offers, another key than the manifest pins.
        """
        facts, identity = machine.identity, wanted.identity
        if facts is None or identity is None:
            return IdentityEdits()
        if facts.waits_for:
            return IdentityEdits(waits_for=facts.waits_for)
        values = {git: getattr(identity, key) for key, git in NAMES.items() if getattr(identity, key)}
        needed = {
            name: value
            for name, value in values.items()
            if facts.git_values[name] is None or (identity.replace and facts.git_values[name] != value)
        }
        edits = []
        if needed:
            edits.append(
                Edit(facts.git_file, git_config.with_values(facts.git_file.content, needed, machine.environ))
            )
        lines = list(_lines(identity, facts))
        if lines:
            content = facts.known_hosts.content or b""
            gap = b"" if not content or content.endswith(b"\n") else b"\n"
            edits.append(
                Edit(facts.known_hosts, content + gap + "".join(f"{line}\n" for line in lines).encode())
            )
        return IdentityEdits(tuple((edit, machine.locations.shown(edit.file.path)) for edit in edits))

    def plan(self, wanted: Wanted, facts: IdentityEdits) -> Iterable[SetIdentity | IdentityLater]:
        """One for each file; or one that waits."""
        if facts.waits_for:
            yield IdentityLater(facts.waits_for)
        for edit, name in facts.edits:
            edit.check_writable()
            yield SetIdentity(edit, name)


def _lines(identity: Identity, facts: IdentityFacts) -> Iterator[str]:
    """The lines of the hosts that are not known yet, each with the fingerprint that the manifest pins."""
    for host in identity.hosts:
        known = facts.known[host.label]
        if host.fingerprint in known:
            continue
        if known:
            raise Problem(
                f"{host.label} is known with another key than the manifest pins",
                where=f"{facts.known_hosts.path}: {', '.join(known)}; the manifest: {host.fingerprint}",
                advice=(
                    "find out which one is right before anything else; then fix the manifest, or that file"
                ),
            )
        offered = {ssh.fingerprint(line): line for line in facts.offered[host.label]}
        if host.fingerprint not in offered:
            raise Problem(
                f"{host.label} does not offer the key that the manifest pins: {host.fingerprint}",
                where=f"it offers: {', '.join(offered)}",
                advice="somebody may stand in between; ask whoever runs it for the right fingerprint",
            )
        yield offered[host.fingerprint]
