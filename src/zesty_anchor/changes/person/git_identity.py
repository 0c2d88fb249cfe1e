"""The changes that make a person known: to git, by a key of OpenSSH, and hosts to the person."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange, FileChange
from zesty_anchor.changes.change import ALL_PACKAGES, Bench, Question, Record, Stage
from zesty_anchor.files import folders
from zesty_anchor.files.edit import Edit, put_back
from zesty_anchor.manifest.model import Identity
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.identity import NAMES, IdentityFacts
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import git_config, ssh
from zesty_anchor.system.problem import Problem

PASSPHRASE = "passphrase"


class SetIdentity(FileChange, frozen=True):
    """Edit git's file, or the known hosts."""

    kind: ClassVar[str] = "identity"
    stage: ClassVar[Stage] = Stage.SHELL


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
        """See ``Change``. It is never begun: it is planned anew first."""
        raise Problem(f"{self.waits_for} is not installed", advice="add its package to [prerequisites] packages")

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        raise AssertionError


class Identities:
    """The kind."""

    name = "identity"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[SetIdentity | IdentityLater]:
        """See ``Kind``. Values that are there stay, unless the manifest says otherwise."""
        facts, identity = machine.identity, wanted.identity
        if facts is None or identity is None:
            return
        if facts.waits_for:
            yield IdentityLater(facts.waits_for)
            return
        values = {git: getattr(identity, key) for key, git in NAMES.items() if getattr(identity, key)}
        needed = {
            name: value
            for name, value in values.items()
            if facts.git_values[name] is None or (identity.replace and facts.git_values[name] != value)
        }
        if needed:
            edit = Edit(facts.git_file, git_config.with_values(facts.git_file.content, needed))
            edit.check_writable()
            yield SetIdentity(edit, machine.locations.shown(facts.git_file.path))
        lines = list(_lines(identity, facts))
        if lines:
            content = facts.known_hosts.content or b""
            gap = b"" if not content or content.endswith(b"\n") else b"\n"
            edit = Edit(facts.known_hosts, content + gap + "".join(f"{line}\n" for line in lines).encode())
            edit.check_writable()
            yield SetIdentity(edit, machine.locations.shown(facts.known_hosts.path))

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        return put_back(record)


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
                advice="find out which one is right before anything else; then mend the manifest, or that file",
            )
        offered = {ssh.fingerprint(line): line for line in facts.offered[host.label]}
        if host.fingerprint not in offered:
            raise Problem(
                f"{host.label} does not offer the key that the manifest pins: {host.fingerprint}",
                where=f"it offers: {', '.join(offered)}",
                advice="somebody may stand in between; ask whoever runs it for the right fingerprint",
            )
        yield offered[host.fingerprint]


class MakeKey(BaseChange, frozen=True):
    """Make a key of OpenSSH."""

    file: Path
    name: str
    algorithm: str
    comment: str
    asked: bool
    after_packages: bool
    kind: ClassVar[str] = "ssh-key"
    action: ClassVar[str] = "make"
    stage: ClassVar[Stage] = Stage.OBTAIN

    @property
    def subject(self) -> str:
        """The file of its private half."""
        return self.name

    @property
    def key(self) -> str:
        """See ``Change``."""
        return f"ssh-key:{self.name}"

    @property
    def needs(self) -> frozenset[str]:
        """OpenSSH itself, where it is still to be installed."""
        return frozenset({ALL_PACKAGES} if self.after_packages else ())

    @property
    def detail(self) -> str:
        """What it will be."""
        guard = "with a passphrase" if self.asked else "without a passphrase, as the manifest says"
        return f"{self.algorithm}, {guard}"

    @property
    def questions(self) -> tuple[Question, ...]:
        """See ``Change``."""
        text = f"a passphrase for the new key {self.name}"
        return (Question(PASSPHRASE, text, 'passphrase = "none" in [identity]', secret=True),) if self.asked else ()

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        return {"file": str(self.file), "made": folders.missing(self.file.parent)}

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``. The folder and the private half are for the person alone (ssh(1), "FILES")."""
        self.file.parent.mkdir(parents=True, exist_ok=True)
        if record["made"]:
            self.file.parent.chmod(0o700)
        ssh.make_key(self.file, self.algorithm, self.comment, bench.secrets.get(PASSPHRASE, ""))
        os.chmod(self.file, 0o600)
        record["digests"] = [_digest(file) for file in _halves(self.file)]


class Keys:
    """The kind."""

    name = "ssh-key"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[MakeKey]:
        """See ``Kind``. A key that is there is never touched."""
        facts, identity = machine.identity, wanted.identity
        if facts is None or identity is None or identity.key is None or facts.has_key:
            return
        file = ssh.key_file(machine.locations.home, identity.key)
        yield MakeKey(
            file, machine.locations.shown(file), identity.key, identity.email or "",
            identity.passphrase == "asked", bool(facts.waits_for),
        )  # fmt: skip

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``. One that was changed since (a new passphrase) is the person's, and stays."""
        file = Path(record["file"])
        if "digests" in record and file.exists() and [_digest(f) for f in _halves(file)] != record["digests"]:
            return (f"{bench.locations.shown(file)} was changed since it was made, and stays",)
        for half in _halves(file):
            half.unlink(missing_ok=True)
        return ()


def _halves(file: Path) -> tuple[Path, Path]:
    return file, file.with_name(file.name + ".pub")


def _digest(file: Path) -> str:
    return hashlib.sha256(file.read_bytes()).hexdigest() if file.is_file() else ""
