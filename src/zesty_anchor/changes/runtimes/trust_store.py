"""The change that gives an installed version the certificate authorities of the manifest, where it has those
in a file of its own.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage, version_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.feeds.linked import LINKED
from zesty_anchor.files import folders
from zesty_anchor.files.digest import digest_of, digest_of_file
from zesty_anchor.files.inventory import Item, item_at
from zesty_anchor.files.removal import discard
from zesty_anchor.files.replace import content_of, replace
from zesty_anchor.manifest.wanted import Wanted, WantedVersion
from zesty_anchor.shelf import place
from zesty_anchor.shelf.build import Unhurried, build
from zesty_anchor.shelf.receipt import Receipt, files_in, note_files, read, write
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import plain_environment
from zesty_anchor.system.problem import Problem


class TrustStoreRecord(Record, kw_only=True, tag="trust-store"):
    """The version's folder, the file in it as it ``was`` (None: there was none), where its content is kept
    (None: it was a link) and the digest of the new one (empty: it was not written); the digest of the
    authorities before.
    """

    folder: str
    file: str = ""
    was: Item | None = None
    before: str | None = None
    after_digest: str = ""
    authorities_before: str = ""

    def attic_copies(self) -> dict[str, str]:
        """The content before."""
        return {self.before: f"{self.folder}/{self.file}"} if self.before else {}

    def places(self) -> tuple[str, ...]:
        """The file."""
        return (f"{self.folder}/{self.file}",)


class MakeTrustStore(BaseChange, frozen=True):
    """Make the file of one version from the ``authorities``, which have this ``digest``."""

    wanted: WantedVersion
    authorities: str
    digest: str
    kind: ClassVar[str] = "trust-store"
    action: ClassVar[str] = "edit"
    stage: ClassVar[Stage] = Stage.OBTAIN
    touches: ClassVar[frozenset[str]] = frozenset({"shelf"})

    @property
    def subject(self) -> str:
        """Runtime and version."""
        return f"certificate authorities of {self.wanted.runtime} {self.wanted.version}"

    @property
    def key(self) -> str:
        """Names the change among all others."""
        return f"trust-store:{self.wanted.runtime}:{self.wanted.version}"

    @property
    def needs(self) -> frozenset[str]:
        """The version comes first."""
        return frozenset({version_key(self.wanted.runtime, self.wanted.version)})

    @property
    def detail(self) -> str:
        """What it trusts then."""
        return f"from {self.authorities}"

    def prepare(self, bench: Bench) -> TrustStoreRecord:
        """Keep the file that is there. The version may not be there yet: then it is kept when it is."""
        record = TrustStoreRecord(
            folder=str(self.wanted.folder), made=list(folders.missing(bench.locations.staging))
        )
        receipt = read(self.wanted.folder)
        if receipt is not None:
            record.authorities_before = receipt.authorities
            self._keep(record, bench)
        return record

    def carry_out(self, bench: Bench, record: TrustStoreRecord) -> None:
        """Make it, put it in its place, and note it as the version's own. Raises ``Problem`` where the step
        of the recipe fails.
        """
        folder = self.wanted.folder
        if not record.file:
            self._keep(record, bench)
        content = made_store(self.wanted, folder, self.authorities, self.key, bench)
        record.after_digest = digest_of(content)
        bench.noted()
        file = folder / record.file
        if file.is_symlink():  # what it leads to may be the system's
            file.unlink()
        replace(file, content, 0o644)
        _note(folder, record.file, item_at(file), self.digest)

    def _keep(self, record: TrustStoreRecord, bench: Bench) -> None:
        record.file = store_file(self.wanted, self.wanted.folder)
        file = self.wanted.folder / record.file
        if os.path.lexists(file):
            record.was = item_at(file)
        if not file.is_symlink():
            record.before = bench.attic.keep(file.name, content_of(file))


class TrustStores(BaseKind):
    """The kind."""

    name = "trust-store"
    heading = Heading.TRUST
    record = TrustStoreRecord

    def look(self, wanted: Wanted, machine: Machine) -> Mapping[tuple[str, str], Receipt]:
        """What is installed."""
        return machine.shelf

    def plan(self, wanted: Wanted, facts: Mapping[tuple[str, str], Receipt]) -> Iterable[MakeTrustStore]:
        """One for each version of ours that does not have them."""
        versions = [v for v in wanted.versions if v.recipe.trust_store is not None and not v.through]
        if not wanted.authorities or not versions:
            return
        digest = digest_of_file(Path(wanted.authorities))
        for version in versions:
            receipt = facts.get((version.runtime, version.folder.name))
            source = receipt.digest if receipt is not None else version.artefact and version.artefact.digest
            if (source or "").startswith(f"{LINKED}:"):
                continue  # an install of the system, by links: nothing of that is changed
            if receipt is None or receipt.authorities != digest:
                yield MakeTrustStore(version, wanted.authorities, digest)

    def take_back(self, record: TrustStoreRecord, bench: Bench) -> Reverted:
        """Put the file of before back; one that somebody changed since stays."""
        folder = Path(record.folder)
        if not record.after_digest or not folder.is_dir():
            return WHOLE
        file = folder / record.file
        there = content_of(file)
        if there is None or digest_of(there) != record.after_digest:
            shown = bench.locations.shown(file)
            return Reverted((f"{shown} stays: it was changed since",)) if there is not None else WHOLE
        if record.before is not None and record.was is not None:
            replace(file, Path(record.before).read_bytes(), record.was.mode)
            os.utime(file, ns=(record.was.changed, record.was.changed))
        else:
            file.unlink()
            if record.was is not None and record.was.kind == "link":
                file.symlink_to(record.was.holds)
        _note(folder, record.file, record.was, record.authorities_before)
        return WHOLE


def store_file(version: WantedVersion, folder: Path) -> str:
    """The file, relative to the version's folder: the first that is there, else the first that could be.
    Raises ``Problem`` where the version has no place for it.
    """
    assert version.recipe.trust_store is not None
    names = version.recipe.trust_store.files
    there = [name for name in names if (folder / name).exists()]
    fits = [name for name in names if (folder / name).parent.is_dir()]
    if not there and not fits:
        raise Problem(
            f"{version.runtime} {version.version} has no folder for {' or '.join(names)}",
            where=version.recipe_place,
            advice="fix files of trust-store in the recipe",
        )
    return (there or fits)[0]


def made_store(version: WantedVersion, folder: Path, authorities: str, key: str, bench: Bench) -> bytes:
    """The content of the file for these authorities, made by the version in ``folder``, in a home of its own.
    Raises ``BuildFailed``.
    """
    assert version.recipe.trust_store is not None
    subject = f"{version.runtime}-{version.version}"
    room = place.stage(bench.locations.staging, f"trust-{subject}")
    bins = tuple(folder / part for part in version.recipe.bin)
    try:
        store = room / "store"
        build(
            [version.recipe.trust_store.run], (), room,
            {**plain_environment(bench.environ, room, (*bins, *version.below)), "TMPDIR": str(room),
            "AUTHORITIES": authorities, "STORE": str(store)},
            bench.log / f"trust-{subject}.log",
            Unhurried(lambda text: bench.told(key, f"certificate authorities of {subject}, {text}")),
            lambda line: "", what="the making of its certificate authorities",
            interrupted=bench.interrupted,
        )  # fmt: skip
        content = content_of(store)
    finally:
        discard(room)
    if not content:
        raise Problem(
            f"the recipe's step for the certificate authorities of {subject} made no file",
            where=version.recipe_place,
            advice="fix run of trust-store in the recipe: it writes $STORE",
        )
    return content


def _note(folder: Path, name: str, item: Item | None, authorities: str) -> None:
    """Note the file as one that was put into the version (None: as none), and whose authorities it has."""
    files = files_in(folder)
    if files is not None:
        rest = {other: each for other, each in files.items() if other != name or item is not None}
        note_files(folder, rest, {name: item} if item is not None else None)
    receipt = read(folder)
    if receipt is not None:
        write(folder, msgspec.structs.replace(receipt, authorities=authorities))


def has_store(version: WantedVersion, folder: Path) -> bool:
    """Whether a version has the file already, be it by a link."""
    store = version.recipe.trust_store
    return store is None or any(os.path.exists(folder / name) for name in store.files)
