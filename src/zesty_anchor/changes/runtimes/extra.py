"""The change that puts a command-line package into an installed version, by the runtime's own package
tool.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from contextlib import nullcontext
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage, version_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.changes.runtimes.install import check_names
from zesty_anchor.changes.runtimes.leaving import away
from zesty_anchor.files import folders, own_folders
from zesty_anchor.files.inventory import Inventory, remove_same, take
from zesty_anchor.files.removal import discard
from zesty_anchor.manifest.recipe import ADDRESS
from zesty_anchor.manifest.wanted import Wanted, WantedExtra, WantedVersion
from zesty_anchor.shelf import place
from zesty_anchor.shelf.build import Unhurried, build
from zesty_anchor.shelf.receipt import SLIPS, Extra, extras_in, files_in, note_extras, note_files
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import authorities, plain_environment


class ExtraRecord(Record, kw_only=True, tag="extra"):
    """The version's folder, the package, the ``cache`` that was made for it (empty: it was there), its files
    ``before`` (until it is done), and those that it ``brought`` (None: it was cut off).
    """

    folder: str
    extra: str
    cache: str = ""
    before: list[str] = msgspec.field(default_factory=list)
    brought: list[str] | None = None
    files: Inventory = msgspec.field(default_factory=dict)

    def places(self) -> tuple[str, ...]:
        """It is in the version's folder."""
        return (f"{self.folder}/{self.extra}",)


class AddExtra(BaseChange, frozen=True):
    """Put one package into one version."""

    wanted: WantedVersion
    extra: WantedExtra
    after: str
    kind: ClassVar[str] = "extra"
    action: ClassVar[str] = "add"
    stage: ClassVar[Stage] = Stage.OBTAIN
    touches: ClassVar[frozenset[str]] = frozenset({"shelf"})

    @property
    def subject(self) -> str:
        """The package, and where it goes."""
        return f"{self.extra.shown} to {self.wanted.runtime} {self.wanted.version}"

    @property
    def key(self) -> str:
        """Names the change among all others."""
        return f"extra:{self.wanted.runtime}:{self.wanted.version}:{self.extra.asked}"

    @property
    def needs(self) -> frozenset[str]:
        """The version comes first."""
        return frozenset({version_key(self.wanted.runtime, self.wanted.version)})

    @property
    def follows(self) -> frozenset[str]:
        """One package after the other, since they write into the same folder."""
        return frozenset({self.after} - {""})

    @property
    def pending(self) -> bool:
        """Whether it cannot be known exactly yet: it waits for a manager or a program, and is planned anew
        then.
        """
        return self.wanted.pending

    @property
    def detail(self) -> str:
        """Who does it."""
        own = ", since you installed it in the version before" if self.extra.carried else ""
        return f"by the package tool of {self.wanted.runtime}{own}"

    def prepare(self, bench: Bench) -> ExtraRecord:
        """Write down the files that the version has now."""
        cache = _cache(bench, self.wanted.runtime)
        return ExtraRecord(
            folder=str(self.wanted.folder),
            extra=self.extra.asked,
            cache="" if os.path.lexists(cache) else str(cache),
            before=_files(self.wanted.folder),
            # Ours in any case: the package that made it may have failed since.
            made=[
                *folders.missing(cache.parent.parent),
                str(cache.parent),
                *folders.missing(bench.locations.staging),
            ],
        )

    def carry_out(self, bench: Bench, record: ExtraRecord) -> None:
        """Run the runtime's package tool. The tool gets a home of its own, so that it leaves nothing in the
        person's.
        """
        tool, folder = self.wanted.recipe.extras, self.wanted.folder
        assert tool is not None
        cache = _cache(bench, self.wanted.runtime)
        own_folders.make(cache)
        room = place.stage(bench.locations.staging, "extra")
        before = take(folder, digests=False)
        given = tool_environment(self.wanted, self.extra, bench.environ, bench.locations.home, room, cache)
        step = (tool.carry if self.extra.carried else None) or tool.install
        registry = (
            bench.registry(tool.registry, self.extra.name)
            if tool.registry and step == tool.install
            else nullcontext("")
        )
        try:
            with registry as address:
                build(
                    [step], (), room,
                    {**given, **at_registry(address), "OFFLINE": "yes" if bench.offline else ""},
                    bench.log / f"extra-{self.wanted.runtime}-{self.wanted.version}.log",
                    Unhurried(lambda text: bench.told(self.key, f"add {self.subject}, {text}")),
                    lambda line: "",
                    what=f"the package tool of {self.wanted.runtime}", interrupted=bench.interrupted,
                )  # fmt: skip
        finally:
            discard(room)
            # Also where it failed, or was interrupted: what came while it was at work is its own.
            record.brought = sorted(set(_files(folder)) - set(record.before))
            record.files = {
                name: item for name, item in take(folder, without=SLIPS).items() if name not in before
            }
        listed = files_in(folder)
        if listed is not None and not self.extra.carried:
            note_files(folder, listed, record.files)
        bins = {os.path.normpath(part) for part in self.wanted.recipe.bin}
        commands = sorted(Path(f).name for f in record.brought if (os.path.dirname(f) or ".") in bins)
        there = {Path(name).name for name in record.before if (os.path.dirname(name) or ".") in bins}
        check_names(self.wanted, [folder / part for part in self.wanted.recipe.bin], there)
        if not commands and tool.registry not in (None, ADDRESS):
            bench.remark(f"{self.extra.name}, added to {self.wanted.runtime}, has no commands")
        if not self.extra.carried:  # it stays the person's own
            note_extras(
                folder, {**extras_in(folder), self.extra.asked: Extra(self.extra.version, tuple(commands))}
            )
        record.before = []


class Extras(BaseKind):
    """The kind."""

    name = "extra"
    heading = Heading.VERSIONS
    record = ExtraRecord

    def look(self, wanted: Wanted, machine: Machine) -> Mapping[Path, Mapping[str, Extra]]:
        """The packages that each version has already. One that gives way to the same version from elsewhere
        takes its packages along.
        """
        found = {}
        for version in wanted.versions:
            receipt = machine.shelf.get((version.runtime, version.version)) if version.extras else None
            if receipt is not None and receipt.through == version.through:
                found[version.folder] = extras_in(version.folder)
        return found

    def plan(self, wanted: Wanted, facts: Mapping[Path, Mapping[str, Extra]]) -> Iterable[AddExtra]:
        """One for each package that a version does not have."""
        for version in wanted.versions:
            after = ""
            for extra in version.extras:
                there = facts.get(version.folder, {}).get(extra.asked)
                if there is None or (extra.version and there.version not in ("", extra.version)):
                    change = AddExtra(version, extra, after)
                    after = change.key
                    yield change

    def take_back(self, record: ExtraRecord, bench: Bench) -> Reverted:
        """Remove what the package brought; a version that is gone took it along."""
        folder = Path(record.folder)
        if record.cache:
            discard(Path(record.cache))
        if not folder.is_dir():
            return WHOLE
        told: tuple[str, ...] = ()
        if record.files:
            remove_same(folder, record.files)
        else:
            # It was cut off: nobody knows who put there what came since. Nothing of it is lost.
            came = sorted(set(_files(folder)) - set(record.before) - set(record.brought or ()) - SLIPS)
            told = away([folder / name for name in came], folder, bench)
            for name in record.brought or ():
                (folder / name).unlink(missing_ok=True)
            for inner in sorted(
                {(folder / n).parent for n in (*came, *(record.brought or ()))}, key=_depth, reverse=True
            ):
                _remove_empty(inner, folder)
        note_extras(
            folder, {asked: extra for asked, extra in extras_in(folder).items() if asked != record.extra}
        )
        listed = files_in(folder)
        if listed is not None and record.files:
            note_files(folder, {name: item for name, item in listed.items() if name not in record.files})
        return Reverted(told)


def tool_environment(
    version: WantedVersion,
    extra: WantedExtra,
    environ: Mapping[str, str],
    home: Path,
    room: Path,
    cache: Path,
) -> dict[str, str]:
    """The environment in which a version's package tool adds a package: ``home`` is the person's, ``room``
    and ``cache`` are the folders that it may write to beside the version's own.
    """
    return {
        **plain_environment(environ, room, (*version.bins, *version.below)),
        **dict(version.variables),
        "TMPDIR": str(room), "NAME": extra.name, "VERSION": extra.version, "FOLDER": str(version.folder),
        "CACHE": str(cache), "PERSON": str(home), "AUTHORITIES": authorities(environ), "OFFLINE": "",
    }  # fmt: skip


def at_registry(address: str) -> dict[str, str]:
    """The variables that lead a package tool to a registry on this machine; none for no address."""
    direct = {"no_proxy": "127.0.0.1", "NO_PROXY": "127.0.0.1"} if address else {}
    return {"REGISTRY": address, **direct}


def _depth(folder: Path) -> int:
    return len(folder.parts)


def _cache(bench: Bench, runtime: str) -> Path:
    return bench.locations.cache / "packages" / runtime


def _files(folder: Path) -> list[str]:
    return [
        os.path.relpath(os.path.join(root, name), folder)
        for root, _, names in os.walk(folder)
        for name in names
    ]


def _remove_empty(inner: Path, folder: Path) -> None:
    while inner != folder and inner.is_dir() and not any(inner.iterdir()):
        inner.rmdir()
        inner = inner.parent
