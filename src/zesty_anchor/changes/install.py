"""The change that brings one version onto the shelf."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import ClassVar

from zesty_anchor.changes import folders
from zesty_anchor.changes.base import BaseChange
from zesty_anchor.changes.change import ALL_PACKAGES, Bench, Question, Record, Stage
from zesty_anchor.manifest.wanted import Artefact, Wanted, WantedVersion
from zesty_anchor.problem import Problem
from zesty_anchor.shelf import place
from zesty_anchor.shelf.download import kept_file, obtain
from zesty_anchor.shelf.receipt import Receipt, write
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.removal import discard


class Install(BaseChange, frozen=True):
    """Fetch, check and unpack one version."""

    wanted: WantedVersion
    artefact: Artefact
    kind: ClassVar[str] = "version"
    action: ClassVar[str] = "install"
    stage: ClassVar[Stage] = Stage.OBTAIN

    @property
    def subject(self) -> str:
        """Runtime and version."""
        return f"{self.wanted.runtime} {self.wanted.version}"

    @property
    def key(self) -> str:
        """See ``Change``."""
        return f"version:{self.wanted.runtime}:{self.wanted.version}"

    @property
    def _room(self) -> str:
        return f"{self.wanted.runtime}-{self.wanted.version}"

    @property
    def detail(self) -> str:
        """The want, and where it comes from."""
        role = "the default" if self.wanted.default else "kept beside it"
        return f'want "{self.wanted.want}" of the feed {self.wanted.feed}, {role}'

    @property
    def needs(self) -> frozenset[str]:
        """The packages that its recipe needs come first."""
        return frozenset({ALL_PACKAGES}) if self.wanted.packages else frozenset()

    @property
    def questions(self) -> tuple[Question, ...]:
        """A licence to accept, and a file that nothing pins."""
        asked = []
        name, runtime = self.subject, self.wanted.runtime
        if self.wanted.licence and not self.wanted.licence_accepted:
            asked.append(
                Question(
                    "licence",
                    f"{name} comes under the licence {self.wanted.licence}: do you accept it?",
                    f'[runtimes.{runtime}] licence = "accepted"',
                )
            )
        if not self.artefact.digest and not self.wanted.unpinned_accepted:
            asked.append(
                Question(
                    "digest",
                    f"nothing pins {name}: its feed gives no digest that could be checked. Take whatever arrives?",
                    f'[runtimes.{runtime}] unpinned = "accepted"',
                )
            )
        return tuple(asked)

    @property
    def size(self) -> int | None:
        """Bytes to fetch."""
        return self.artefact.size

    def prepare(self, bench: Bench) -> Record:
        """See ``Change``."""
        locations = bench.locations
        if os.path.lexists(self.wanted.folder):
            raise Problem(
                f"the place of {self.subject} on the shelf is taken by something that this program did not put there",
                where=str(self.wanted.folder),
                advice="move it away, then run the command again",
            )
        kept = kept_file(locations.downloads, self.artefact.digest, self.artefact.url)
        return {
            "folder": str(self.wanted.folder),
            "staged": str(locations.staging / self._room),
            "kept": None if kept.exists() else str(kept),
            "made": [
                made
                for folder in (self.wanted.folder.parent, locations.staging, locations.downloads)
                for made in folders.missing(folder)
            ],
        }

    def carry_out(self, bench: Bench, record: Record) -> None:
        """See ``Change``."""
        locations, target = bench.locations, self.wanted.folder
        for folder in (target.parent, locations.staging, locations.downloads):
            folders.make(folder)
        room = place.stage(locations.staging, self._room)
        try:
            digest = obtain(
                lambda: bench.open_body(self.artefact.url, f"the feed {self.wanted.feed!r}"),
                self.artefact.digest,
                self.artefact.size,
                kept_file(locations.downloads, self.artefact.digest, self.artefact.url),
                room,
                lambda done, total: bench.moved(self.key, done, total),
            )
            self._shelve(place.content(room), target, digest)
        except Problem as problem:
            problem.where = f"{self.subject}, {self.artefact.url}" + (
                f": {problem.where}" if problem.where and problem.where != self.artefact.url else ""
            )
            raise
        finally:
            discard(room)

    def _shelve(self, folder: Path, target: Path, digest: str) -> None:
        absent = [c for c in self.wanted.recipe.commands if not self._has(folder, c)]
        if absent:
            raise Problem(
                f"the archive holds no command {absent[0]!r}",
                where=f"looked in: {', '.join(self.wanted.recipe.bin)}",
                advice=f"mend bin or commands in the recipe of {self.wanted.runtime!r}",
            )
        write(
            folder,
            Receipt(
                runtime=self.wanted.runtime,
                version=self.wanted.version,
                feed=self.wanted.feed,
                url=self.artefact.url,
                digest=digest,
                channels=self.wanted.channels,
            ),
        )
        place.put(folder, target)

    def _has(self, folder: Path, command: str) -> bool:
        return any((folder / part / command).is_file() for part in self.wanted.recipe.bin)


class Installs:
    """The kind."""

    name = "version"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[Install]:
        """See ``Kind``."""
        for version in wanted.versions:
            if (version.runtime, version.version) in machine.shelf:
                continue
            assert version.artefact is not None
            yield Install(version, version.artefact)

    def take_back(self, record: Record, bench: Bench) -> Sequence[str]:
        """See ``Kind``."""
        folder, staging = Path(record["folder"]), bench.locations.staging
        if folder.exists():
            folders.make(staging)
            gone = place.take_off(folder, staging)
            if gone is not None:
                discard(gone)
        if record["kept"]:
            Path(record["kept"]).unlink(missing_ok=True)
            for partial in Path(record["kept"]).parent.glob(Path(record["kept"]).name + ".*.part"):
                partial.unlink(missing_ok=True)
        staged = Path(record["staged"])
        for room in staged.parent.glob(staged.name + ".*"):
            discard(room)
        folders.remove_empty(record["made"])
        return ()
