"""What is fetched for one version."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from zesty_anchor.changes.bench import Bench
from zesty_anchor.feeds.linked import LINKED
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.manifest.wanted import Artefact, WantedVersion
from zesty_anchor.shelf import place
from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.checkout import check_out
from zesty_anchor.shelf.deb_package import unpack_deb
from zesty_anchor.shelf.download import Unpack, kept_file, obtain
from zesty_anchor.shelf.linking import link_all
from zesty_anchor.shelf.single import put_single
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.signature import check


class Download:
    """What is fetched for one version: its archive and its further files, counted together. Their folders are
    ``rooms``.
    """

    def __init__(self, key: str, version: WantedVersion, bench: Bench, rooms: list[Path]) -> None:
        self._key = key
        self._version = version
        self._bench = bench
        self._rooms = rooms
        self._done = 0
        sizes = [part.artefact.size for part in version.parts] + [
            version.artefact.size if version.artefact else None
        ]
        self._total = None if None in sizes else sum(size or 0 for size in sizes)

    def room(self) -> Path:
        """A new empty folder beside the shelf."""
        room = place.stage(self._bench.locations.staging, f"{self._version.runtime}-{self._version.version}")
        self._rooms.append(room)
        return room

    def archive(self, artefact: Artefact | None) -> tuple[Path, str]:
        """Fetch, check and unpack one file. Returns its folder, and the digest of what came. Raises
        ``Problem``.
        """
        assert artefact is not None
        room, bench, version = self.room(), self._bench, self._version
        if artefact.digest.startswith("commit:"):
            check_out(artefact.url, artefact.digest.removeprefix("commit:"), room, bench.environ)
            return room, artefact.digest
        if artefact.digest.startswith(f"{LINKED}:"):
            link_all(Path(artefact.digest.removeprefix(f"{LINKED}:")), room)
            return room, artefact.digest
        kept = kept_file(bench.locations.downloads, artefact.digest, artefact.url)
        before = self._done

        def moved(done: int, total: int | None) -> None:
            self._done = before + done
            bench.moved(self._key, self._done, self._total if version.parts else total)

        try:
            digest = obtain(
                lambda: bench.open_body(artefact.url, f"the feed {version.feed!r}"),
                artefact.digest,
                artefact.size,
                kept,
                room,
                moved,
                unpack=_way(artefact),
                bounds=Bounds(artefact.largest, named=True) if artefact.largest else Bounds(),
            )
        except NotThere as problem:
            shown = f"zesty-anchor list {version.runtime}"
            problem.advice = (
                f"the feed lists it, and does not hold it: name another version ({shown} shows them), or wait"
                " until it does"
            )
            raise
        if artefact.key is not None:
            try:
                check(artefact.signature, artefact.key, f"{version.runtime} {version.version}", file=kept)
            except Problem:
                kept.unlink()
                raise
        return room, digest


def _way(artefact: Artefact) -> Unpack | None:
    """How a file is unpacked that is no plain archive."""
    if artefact.package:
        return unpack_deb
    return partial(put_single, command=artefact.single) if artefact.single else None
