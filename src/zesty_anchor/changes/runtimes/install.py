"""The change that brings one version onto the shelf."""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, PlainKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import ALL_PACKAGES, Found, Stage, version_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import Record, Reverted
from zesty_anchor.changes.replacement import bring_back, replacement, set_aside, set_aside_is_done
from zesty_anchor.changes.runtimes.building import Building, earlier_of, kept_already
from zesty_anchor.changes.runtimes.download import Download
from zesty_anchor.changes.runtimes.leaving import empty, leave_shelf
from zesty_anchor.changes.runtimes.repairing import carried_over, told_damage
from zesty_anchor.changes.runtimes.trust_store import has_store, made_store, store_file
from zesty_anchor.files import folders
from zesty_anchor.files.move import flush_tree
from zesty_anchor.files.removal import discard
from zesty_anchor.manifest.build_options import built_as
from zesty_anchor.manifest.wanted import Artefact, Wanted, WantedVersion
from zesty_anchor.shelf import place
from zesty_anchor.shelf.build import Unhurried, build
from zesty_anchor.shelf.deb_package import merge
from zesty_anchor.shelf.download import UNPINNED, kept_file
from zesty_anchor.shelf.manager import write_call
from zesty_anchor.shelf.receipt import PartReceipt, Receipt, clear_slips, note_files, stock, write
from zesty_anchor.shelf.ruling import shadowing
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.closed import wait_until_closed
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.host import authorities, find_program, login_path, plain_environment
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem


def licence_question(wanted: WantedVersion) -> list[Question]:
    """The question whether a licence is accepted, where it is open."""
    if not wanted.licence or wanted.licence_accepted:
        return []
    text = f"{wanted.runtime} {wanted.version} comes under the licence {wanted.licence}: do you accept it?"
    return [Question("licence", text, f'[{_table(wanted)}] licence = "accepted"')]


def check_names(wanted: WantedVersion, bins: Iterable[Path], more: Iterable[str] = ()) -> None:
    """Raises ``Problem`` where a version contains a critical command (``ruling``) that nobody declared and
    that the system has.
    """
    named = {
        *wanted.recipe.commands,
        *wanted.links,
        *(name for part in wanted.parts for name in part.links),
        *wanted.replaces,
        *more,
    }
    found = shadowing(bins, named)
    if found:
        raise Problem(
            f"{wanted.runtime} {wanted.version} contains {', '.join(found)}, which would shadow the system's"
            " own, and its recipe does not list that",
            where=wanted.recipe_place,
            advice=(
                f"to allow it, write: [runtimes.{wanted.runtime}] replaces ="
                f" {msgspec.json.encode(found).decode()}"
            ),
        )


def _around(home: Path | None) -> tuple[Path, ...]:
    """The folder that a manager's home will be in."""
    return (home.parent,) if home is not None else ()


def _table(wanted: WantedVersion) -> str:
    return f"{'managers' if wanted.recipe.manager else 'runtimes'}.{wanted.runtime}"


class InstallRecord(Record, kw_only=True, tag="version"):
    """Where the version goes, what it ``replaced`` (see ``replacement``), whether that was the same one,
    damaged (``fixes``), the home of a manager that came with it (empty: none), where it is unpacked, and the
    downloads that are kept for it.
    """

    folder: str
    replaced: dict[str, str] = msgspec.field(default_factory=dict)
    fixes: bool = False
    home: str = ""
    staged: str = ""
    kept: list[str] = msgspec.field(default_factory=list)

    def in_attic(self) -> dict[str, str]:
        """The version that gave way."""
        return self.replaced

    def places(self) -> tuple[str, ...]:
        """The version's folder."""
        return (self.folder,)


class Install(BaseChange, frozen=True):
    """Fetch, check and unpack one version. It ``replaces`` the same version where that came through a
    manager, or is damaged. Without an ``artefact`` it is only told. ``kept`` names the build
    that is taken, where one of its source is there already (empty: none).
    """

    wanted: WantedVersion
    artefact: Artefact | None
    replaces: bool = False
    kept: str = ""
    kind: ClassVar[str] = "version"
    stage: ClassVar[Stage] = Stage.OBTAIN
    touches: ClassVar[frozenset[str]] = frozenset({"shelf"})
    fetches: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """Runtime and version."""
        return f"{self.wanted.runtime} {self.wanted.version}"

    @property
    def key(self) -> str:
        """Names the change among all others."""
        return version_key(self.wanted.runtime, self.wanted.version)

    @property
    def action(self) -> str:
        """What is done: one that is damaged is put right."""
        return "fix" if self.wanted.damage and self.replaces else "install"

    @property
    def _room(self) -> str:
        return f"{self.wanted.runtime}-{self.wanted.version}"

    @property
    def detail(self) -> str:
        """The want, and where it comes from; of a damaged one, what is the matter."""
        if self.wanted.damage:
            return told_damage(self.wanted.damage)
        role = "the default" if self.wanted.default else "kept beside it"
        if self.kept:
            return (
                f'want "{self.wanted.want}" of the feed {self.wanted.feed}, {role}, by the build {self.kept}'
            )
        built = f", built from source{_how_long(self.wanted)}" if self.wanted.source else ""
        built += f" with {earlier_of(self.wanted)}" if self.wanted.earlier else ""
        others = ", ".join(f"{each.runtime} {each.version}" for each in self.wanted.built_with)
        built += f", using {others}" if others and self.wanted.source else ""
        on = f", on {self.wanted.on}" if self.wanted.on else ""
        return f'want "{self.wanted.want}" of the feed {self.wanted.feed}, {role}{built}{on}'

    @property
    def needs(self) -> frozenset[str]:
        """The packages that its recipe needs come first, the version of another runtime that it runs on, and
        those that its build uses.
        """
        first = {ALL_PACKAGES} if self.wanted.packages else set()
        others = self.wanted.built_with if self.wanted.source else ()
        first |= {version_key(each.runtime, each.version) for each in others}
        return frozenset(first | ({version_key(*self.wanted.on.split())} if self.wanted.on else set()))

    @property
    def questions(self) -> tuple[Question, ...]:
        """A licence to accept, and a file that nothing pins."""
        name, table = self.subject, _table(self.wanted)
        asked = licence_question(self.wanted)
        if self.artefact is not None and not self.artefact.digest and not self.wanted.unpinned_accepted:
            asked.append(
                Question(
                    "digest",
                    f"nothing pins {name}: its feed gives no digest that could be checked. Take whatever"
                    " arrives?",
                    f'[{table}] unpinned = "accepted"',
                )
            )
        return tuple(asked)

    @property
    def size(self) -> int | None:
        """Bytes to fetch; None where not all is known."""
        if self.kept and self.artefact is not None and self.artefact.key is None and not self.wanted.parts:
            return 0  # what is kept of a build whose source is pinned needs no source
        parts = (part.artefact for part in self.wanted.parts)
        sizes = [each.size for each in (*([self.artefact] if self.artefact else ()), *parts)]
        return None if None in sizes else sum(size or 0 for size in sizes)

    def prepare(self, bench: Bench) -> InstallRecord:
        """Write down what it will make. Raises ``Problem`` where its place on the shelf is taken."""
        locations = bench.locations
        taken = os.path.lexists(self.wanted.folder)
        gives_way = self.replaces or (taken and bench.placed(str(self.wanted.folder)))
        if taken and not gives_way:
            raise Problem(
                f"the place of {self.subject} on the shelf is taken by something that this program did not"
                " put there",
                where=str(self.wanted.folder),
                advice="move it away, then run the command again",
            )
        fetched = [
            v.artefact for v in (self.wanted, self.wanted.earlier) if v is not None and v.artefact is not None
        ]
        fetched += [part.artefact for part in self.wanted.parts]
        kept = [kept_file(locations.downloads, each.digest, each.url) for each in fetched]
        home = self.wanted.home
        return InstallRecord(
            folder=str(self.wanted.folder),
            replaced=replacement(self.wanted.folder, bench.attic) if taken else {},
            fixes=taken and bool(self.wanted.damage or not self.replaces),
            home=str(home) if home is not None and not os.path.lexists(home) else "",
            staged=str(locations.staging / self._room),
            kept=[str(file) for file in kept if not file.exists()],
            made=[
                made
                for folder in (
                    self.wanted.folder.parent,
                    locations.staging,
                    locations.downloads,
                    *_around(home),
                )
                for made in folders.missing(folder)
            ],
        )

    def carry_out(self, bench: Bench, record: InstallRecord) -> None:
        """Obtain it beside the shelf, build it where it is a source, check it, and rename it into place."""
        for folder in (self.wanted.folder.parent, bench.locations.staging, bench.locations.downloads):
            folders.make(folder)
        rooms: list[Path] = []
        try:
            ready, digest, added = self._ready(self.wanted, bench, rooms)
            self._finish(ready, digest, added, bench)
            note_files(ready)
            if record.fixes:
                bench.remark(carried_over(self.wanted.folder, ready, self.subject, record.replaced, bench))
            flush_tree(ready)
            if bench.interrupted():
                raise KeyboardInterrupt
            wait_until_closed(
                ready / part / c for part in self.wanted.recipe.bin for c in self.wanted.recipe.commands
            )
            set_aside(record.replaced)
            place.put(ready, self.wanted.folder)
        except Problem as problem:
            url = self.artefact.url if self.artefact else ""
            inner = f": {problem.where}" if problem.where and problem.where != url else ""
            recipe = f"; its recipe: {self.wanted.recipe_place}" if "recipe" in problem.advice else ""
            problem.where = f"{self.subject}, {url}{inner}{recipe}"
            raise
        finally:
            for room in rooms:
                discard(room)

    def _ready(
        self, version: WantedVersion, bench: Bench, rooms: list[Path]
    ) -> tuple[Path, str, list[PartReceipt]]:
        """A version's files, obtained and built, in a folder beside the shelf; the digest of what was
        fetched, and what was added to it.
        """
        download = Download(self.key, version, bench, rooms)
        source = version.artefact if version.source and not version.parts else None
        if source is not None and source.digest and source.key is None:
            out, digest = download.room(), source.digest
            if Building(self.key, version, digest, bench).again(out):
                return out, digest, []  # its source need not be fetched
        room, digest = download.archive(version.artefact)
        packages = [download.archive(p.artefact) for p in version.parts if p.artefact.package]
        if version.artefact is not None and version.artefact.package:
            folder = download.room()
            merge([room, *(tree for tree, _ in packages)], version.root, folder)
        elif version.root:
            folder = place.root_in(room, version.root)
        else:
            folder = place.content(room, version.recipe.bin)
        clear_slips(folder)
        added = [
            PartReceipt(part.name, part.version, found)
            for part, (_, found) in zip(
                (p for p in version.parts if p.artefact.package), packages, strict=True
            )
        ]
        place.link_commands(folder, version.recipe.bin[0], version.links)
        for part in version.parts:
            if not part.artefact.package:
                companion, found = download.archive(part.artefact)
                inside = place.content(companion)
                clear_slips(inside)
                place.put_into(inside, folder, part.into)
                place.link_commands(folder, version.recipe.bin[0], part.links, part.into)
                added.append(PartReceipt(part.name, part.version, found))
        if version.finish:
            self._end(version, bench, folder)
        self._give_authorities(version, bench, folder)
        if not version.source:
            return folder, digest, added
        out = download.room()
        building = Building(self.key, version, digest, bench)
        if not building.again(out):
            earlier = self._ready(version.earlier, bench, rooms)[0] if version.earlier else None
            building.build(folder, out, earlier)
        return out, digest, added

    def _give_authorities(self, version: WantedVersion, bench: Bench, folder: Path) -> None:
        """Where a version comes without certificate authorities, it gets those that count here."""
        known = authorities(bench.environ)
        if has_store(version, folder) or not known:
            return
        wait_until_closed(folder / part / c for part in version.recipe.bin for c in version.recipe.commands)
        file = folder / store_file(version, folder)
        content = made_store(version, folder, known, self.key, bench)
        file.unlink(missing_ok=True)  # a link into the system that leads nowhere
        file.write_bytes(content)

    def _end(self, version: WantedVersion, bench: Bench, folder: Path) -> None:
        """The last step of a version that was unpacked, in a home of its own."""
        wait_until_closed(folder / part / c for part in version.recipe.bin for c in version.recipe.commands)
        room = place.stage(bench.locations.staging, self._room)
        try:
            build(
                [version.finish], (), folder,
                {**plain_environment(bench.environ, room), "TMPDIR": str(room),
                "AUTHORITIES": authorities(bench.environ)},
                bench.log / f"finish-{version.runtime}-{version.version}.log",
                Unhurried(lambda text: bench.told(self.key,
                f"finish {version.runtime} {version.version}, {text}")),
                lambda line: "", what="its last step", interrupted=bench.interrupted,
            )  # fmt: skip
        finally:
            discard(room)

    def _finish(self, folder: Path, digest: str, added: list[PartReceipt], bench: Bench) -> None:
        """Check what was obtained, and put into it what belongs there. Raises ``Problem`` where a command is
        lacking.
        """
        tool = self.wanted.recipe.manager
        if tool is not None and tool.function is not None:
            if not (folder / tool.function).is_file():
                raise Problem(
                    f"the archive holds no {tool.function!r}",
                    advice=f"fix function in the recipe of {self.wanted.runtime!r}",
                )
            shell = find_program(tool.shell, {"PATH": login_path(superuser=False)}) or "/bin/sh"
            write_call(folder, self.wanted.folder, self.wanted.recipe.commands, tool, shell)
        absent = [c for c in self.wanted.recipe.commands if not self._has(folder, c)]
        if absent:
            raise Problem(
                f"the {'build' if self.wanted.source else 'archive'} holds no command {absent[0]!r}",
                where=f"looked in: {', '.join(self.wanted.recipe.bin)}",
                advice=f"fix bin or commands in the recipe of {self.wanted.runtime!r}",
            )
        check_names(self.wanted, [folder / part for part in self.wanted.recipe.bin])
        write(
            folder,
            Receipt(
                runtime=self.wanted.runtime,
                version=self.wanted.version,
                feed=self.wanted.feed,
                url=without_credentials(self.artefact.url if self.artefact else ""),
                digest=digest,
                channels=self.wanted.channels,
                ends=self.wanted.ends,
                on=self.wanted.on,
                home=str(self.wanted.home) if self.wanted.home is not None else None,
                parts=tuple(added),
                signed_by=self.artefact.signed_by if self.artefact else "",
                built=built_as(self.wanted.build) if self.wanted.source else None,
            ),
        )

    def _has(self, folder: Path, command: str) -> bool:
        return any((folder / part / command).is_file() for part in self.wanted.recipe.bin)


class Installs(PlainKind):
    """The kind."""

    name = "version"
    heading = Heading.VERSIONS
    record = InstallRecord

    def found(self, locations: Locations) -> Iterable[Found]:
        """The versions on the shelf that have our receipt, but for those that a manager keeps."""
        for runtime, version in stock(locations.shelf):
            folder = locations.shelf / runtime / version
            if not folder.is_symlink():
                yield (
                    f"{runtime} {version}",
                    "install",
                    InstallRecord(folder=str(folder), made=[str(folder.parent)]),
                )

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[Install]:
        """One for each version that comes from a feed and does not stand there, or is damaged."""
        for version in wanted.versions:
            if (version.artefact is not None or version.damage) and not version.script:
                replaces = (version.runtime, version.version) in machine.shelf
                yield Install(version, version.artefact, replaces, _kept(version, machine))

    def take_back(self, record: InstallRecord, bench: Bench) -> Reverted:
        """Take it off the shelf in one rename, with all that it left beside it; what it replaced comes back.
        What somebody else put into it, or changed, goes to the attic. What was fetched by its digest is kept
        in the cache: another run need not fetch it again.
        """
        told: tuple[str, ...] = ()
        folder = Path(record.folder)
        if os.path.lexists(folder) and set_aside_is_done(record.replaced):
            told = leave_shelf(folder, bench)
        bring_back(record.replaced)
        if record.home:
            told += empty(Path(record.home), {}, bench)
        for file in map(Path, record.kept):
            if file.name.startswith(UNPINNED):
                file.unlink(missing_ok=True)
            for partial in file.parent.glob(file.name + ".*.part"):
                partial.unlink(missing_ok=True)
        staged = Path(record.staged)
        for room in staged.parent.glob(staged.name + ".*") if record.staged else ():
            discard(room)
        return Reverted(told)


def _kept(version: WantedVersion, machine: Machine) -> str:
    """The build that will be taken, so that nothing is compiled; empty where none is there, or it is not
    known yet.
    """
    if version.source and version.artefact is not None and version.artefact.digest:
        with suppress(Problem):  # it is reported when it would be taken
            return kept_already(version, version.artefact.digest, machine.locations, machine.environ)
    return ""


def _how_long(version: WantedVersion) -> str:
    """About how long its build takes, in words; empty where nobody knows."""
    if not version.build_seconds:
        return ""
    minutes = version.build_seconds / 60
    words = f"{minutes:.0f} min" if minutes >= 1.5 else f"{version.build_seconds:.0f} s"
    return f" in about {words}" + (", as the last time" if version.built_before else " on two cores")
