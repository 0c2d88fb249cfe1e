"""The change that makes a key of OpenSSH for a person."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes.base import BaseChange, PlainKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import ALL_PACKAGES, Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.files import folders
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.removal import discard
from zesty_anchor.files.replace import Changed, content_of, remove, replace
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.shelf.place import stage
from zesty_anchor.shells.pty import under_pty
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import ssh
from zesty_anchor.system.problem import Problem

PASSPHRASE = "passphrase"
_SECONDS = 60


class KeyRecord(Record, kw_only=True, tag="ssh-key"):
    """The file of the private half, and the digests of both halves: written down before they are put in place
    (None: they were not made yet).
    """

    file: str
    digests: list[str] | None = None

    def places(self) -> tuple[str, ...]:
        """Both halves."""
        return tuple(map(str, _halves(Path(self.file))))


class MakeKey(BaseChange, frozen=True):
    """Make a key of OpenSSH. It is there before any installer is at work, which would be taken for its
    maker.
    """

    file: Path
    name: str
    algorithm: str
    comment: str
    asked: bool
    after_packages: bool
    kind: ClassVar[str] = "ssh-key"
    action: ClassVar[str] = "make"
    stage: ClassVar[Stage] = Stage.PREPARE
    touches: ClassVar[frozenset[str]] = frozenset({"identity"})

    @property
    def subject(self) -> str:
        """The file of its private half."""
        return self.name

    @property
    def key(self) -> str:
        """The file."""
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
        """The passphrase, unless the manifest wants none."""
        text = f"a passphrase for the new key {self.name}"
        return (
            (Question(PASSPHRASE, text, 'passphrase = "none" in [identity]', secret=True),)
            if self.asked
            else ()
        )

    def prepare(self, bench: Bench) -> KeyRecord:
        """Write down where it will stand."""
        needed = (self.file.parent, bench.locations.staging)
        return KeyRecord(
            file=str(self.file), made=[made for folder in needed for made in folders.missing(folder)]
        )

    def carry_out(self, bench: Bench, record: KeyRecord) -> None:
        """Make it in a room of our own, write down what it is, and put it in place where nothing has come
        meanwhile. The folder and the private half are for the person alone (ssh(1), "FILES").
        """
        folders.make(bench.locations.staging)
        room = stage(bench.locations.staging, "key")
        try:
            made = room / self.file.name
            make_key(made, self.algorithm, self.comment, bench.secrets.get(PASSPHRASE, ""), bench.environ)
            contents = [half.read_bytes() for half in _halves(made)]
        finally:
            discard(room)
        record.digests = [digest_of(content) for content in contents]
        bench.noted()
        self.file.parent.mkdir(parents=True, exist_ok=True)
        if str(self.file.parent) in record.made:
            self.file.parent.chmod(0o700)
        try:
            for half, content, mode in zip(_halves(self.file), contents, (0o600, 0o644), strict=True):
                replace(half, content, mode, instead_of=None)
        except Changed:
            raise Problem(
                f"{half} is there already", advice="it was not touched; run the command again"
            ) from None


class Keys(PlainKind):
    """The kind."""

    name = "ssh-key"
    heading = Heading.IDENTITY
    record = KeyRecord

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[MakeKey]:
        """One, where the manifest wants a key and there is none. A key that is there is never touched."""
        facts, identity = machine.identity, wanted.identity
        if facts is None or identity is None or identity.key is None or facts.has_key:
            return
        file = ssh.key_file(machine.locations.home, identity.key)
        yield MakeKey(
            file, machine.locations.shown(file), identity.key, identity.email or "",
            identity.passphrase == "asked", bool(facts.waits_for),
        )  # fmt: skip

    def take_back(self, record: KeyRecord, bench: Bench) -> Reverted:
        """Remove those halves that are as they were made. One that is not (a new passphrase, or another key)
        is the person's.
        """
        if record.digests is None:
            return WHOLE
        told = []
        for half, digest in zip(_halves(Path(record.file)), record.digests, strict=True):
            content = content_of(half)
            if content is None:
                continue
            if digest_of(content) == digest:
                remove(half)
            else:
                told.append(f"{bench.locations.shown(half)} is not as it was made, and stays")
        return Reverted(tuple(told))


def make_key(file: Path, kind: str, comment: str, passphrase: str, environ: Mapping[str, str]) -> None:
    """Make a key with ssh-keygen(1), where there is none. Raises ``Problem`` where it cannot be made.

    The passphrase goes to ssh-keygen's own question, so that no list of processes shows it.
    """
    import pexpect

    words = [ssh.tool("ssh-keygen", environ), "-q", "-t", kind, "-C", comment, "-f", str(file)]
    try:
        with under_pty(words, environ, file.parent, seconds=_SECONDS, encoding="utf-8") as child:
            for _ in range(2):
                if child.expect(["passphrase[^:]*: ", pexpect.EOF]) == 0:
                    child.sendline(passphrase)
            child.expect(pexpect.EOF)
            said = str(child.before or "").strip()
    except FileNotFoundError:
        raise ssh.MISSING from None
    if child.exitstatus != 0 or not file.is_file():
        raise Problem(f"ssh-keygen made no key: {said}", advice="a passphrase has five letters at least")


def _halves(file: Path) -> tuple[Path, Path]:
    return file, file.with_name(file.name + ".pub")
