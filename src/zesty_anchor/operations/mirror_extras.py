"""Command-line packages in a mirror: its runtime's package tool installs each one once into an empty folder,
and what the tool downloads is kept.
"""

from __future__ import annotations

import os
import re
import shlex
import threading
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory

import msgspec

from zesty_anchor.changes.runtimes.extra import at_registry, tool_environment
from zesty_anchor.feeds.mirror import REGISTRIES
from zesty_anchor.files import digest as sha256
from zesty_anchor.files import folders, own_folders
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.lock import Locked
from zesty_anchor.manifest.recipe import ADDRESS, ExtraTool
from zesty_anchor.manifest.wanted import WantedExtra, WantedVersion
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.extras import split
from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.mirrored import Mirrored
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.resolve import Resolver
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.build import build
from zesty_anchor.shelf.receipt import extras_in
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.visible import visible


class RecordedExtras(msgspec.Struct):
    """The ``files`` that packages came in, how many were ``fetched`` and their bytes, ``notes`` on packages
    that are not in it, and what ``failed``.
    """

    files: list[Mirrored] = []
    fetched: int = 0
    fetched_size: int = 0
    notes: list[str] = []
    failed: list[str] = []


class _Asked(msgspec.Struct, frozen=True):
    """A package of a locked version, as the lock has it."""

    entry: Locked
    extra: WantedExtra

    @property
    def subject(self) -> str:
        """What its files are for."""
        return f"{self.extra.shown} of {self.entry.runtime} {self.entry.version}"


def subjects(entries: Iterable[Locked]) -> set[str]:
    """What files of packages that locks name are for."""
    return {each.subject for each in _asked(entries)}


def record(
    workstation: Workstation,
    person: Person,
    folder: Path,
    entries: Sequence[Locked],
    before: Mapping[str, Mirrored],
) -> RecordedExtras:
    """Bring the packages of the locked versions that are installed here into the mirror in ``folder``, which
    has the files ``before``. Those that are in it already are not fetched again.
    """
    found = RecordedExtras()
    missing = [each for each in _asked(entries) if not _is_there(folder, before, each.subject)]
    if not missing:
        return found
    machine = look_at(workstation)
    versions = {
        (each.runtime, each.version): each
        for each in Resolver(workstation, Offers(workstation)).versions(
            machine, workstation.past.resolutions, missing=[]
        )
        if (each.runtime, each.version) in machine.shelf
    }
    registries = _registries(folder)
    for each in missing:
        version = versions.get((each.entry.runtime, each.entry.version))
        tool = version.recipe.extras if version is not None else None
        if version is None:
            found.notes.append(f"{each.subject}, which is not installed here: zesty-anchor provision")
        elif tool is None or tool.registry is None:
            found.notes.append(f"{each.subject}: its package tool takes nothing from a mirror")
        else:
            recorder = _Recorder(folder, each.subject)
            key, text = f"mirror:{each.subject}", f"fetch {each.subject}"
            person.reporter.began(key, text)
            well = False
            try:
                address = recorder.add(workstation, version, each.extra)
                if tool.registry != ADDRESS:
                    registries[tool.registry] = address
                well = True
            except Problem as problem:
                found.failed.append(f"{each.subject}: {problem}")
            finally:
                person.reporter.ended(key, text, well=well)
            found.files += recorder.files.values() if well else []
            found.fetched += len(recorder.files)
            found.fetched_size += sum(file.size for file in recorder.files.values())
    content = msgspec.json.format(msgspec.json.encode(registries, order="sorted"))
    replace(folder / REGISTRIES, content, 0o644, lasting=False)
    digest = f"sha256:{sha256.digest_of(content)}"
    found.files.append(Mirrored(REGISTRIES, digest, len(content)))
    return found


class _Recorder:
    """Keeps what a package tool asks for while it adds one package."""

    def __init__(self, folder: Path, subject: str) -> None:
        self._folder, self._subject = folder, subject
        self._alone = threading.Lock()
        self.files: dict[str, Mirrored] = {}

    def add(self, workstation: Workstation, version: WantedVersion, extra: WantedExtra) -> str:
        """Install a package into an empty folder, and keep what is downloaded. Returns the registry's
        address. Raises ``Problem`` where the package tool fails.
        """
        tool, locations = version.recipe.extras, workstation.locations
        assert tool is not None
        own_folders.make(locations.cache)
        log = locations.state / "logs" / "mirror.log"
        own_folders.make(log.parent)
        manifest = msgspec.structs.replace(workstation.manifest, mirror=None)
        offers = Offers(msgspec.structs.replace(workstation, manifest=manifest))
        with TemporaryDirectory(dir=locations.cache) as made:
            room, empty, cache = (Path(made, name) for name in ("room", "version", "cache"))
            for each in (room, empty, cache):
                each.mkdir()
            brought = {name for each in extras_in(version.folder).values() for name in each.commands}
            for bin in version.bins:
                _link_commands(bin, empty / bin.relative_to(version.folder), brought)
            given = tool_environment(version, extra, workstation.environ, locations.home, room, cache)

            def run(step: str, **more: str) -> None:
                build(
                    [step], (), room, {**given, **more}, log, lambda text: None, lambda line: "",
                    what=f"the package tool of {version.runtime}",
                )  # fmt: skip

            address = _address(tool, extra, offers, run, room)
            with offers.recorded(address, self._keep) as here:
                run(tool.install, **at_registry(here), FOLDER=str(empty))
        return address

    def _keep(self, path: str, address: str, content: bytes | Iterator[bytes]) -> Iterator[bytes]:
        file = self._folder / path
        folders.make(file.parent)
        partial = file.with_name(f"{file.name}.{threading.get_ident()}.part")
        try:
            with partial.open("wb") as out:
                for chunk in (content,) if isinstance(content, bytes) else content:
                    out.write(chunk)
                    yield chunk
            partial.chmod(0o644)
            partial.replace(file)
        except OSError as error:
            raise Problem(f"it cannot be written: {error.strerror}", where=str(file)) from None
        finally:
            partial.unlink(missing_ok=True)
        digest, size = f"sha256:{sha256.digest_of_file(file)}", file.stat().st_size
        with self._alone:
            self.files[path] = Mirrored(path, digest, size, address, (self._subject,))


def _address(
    tool: ExtraTool, extra: WantedExtra, offers: Offers, run: Callable[[str], None], room: Path
) -> str:
    """The address that a package comes from. Raises ``Problem``."""
    if tool.registry == ADDRESS:
        address = extra.name
    elif tool.registry in ("npm", "pypi"):
        address = offers.registry_address(tool.registry)
    elif not tool.registry_address:
        raise Problem("its recipe does not say how to find the registry: [extras] registry-address = …")
    else:
        answer = room / "registry"
        run(f"{{\n{tool.registry_address}\n}} >{shlex.quote(str(answer))}")
        address = answer.read_text("utf-8", "replace").strip()
        answer.unlink()
    if re.fullmatch(r"https?://[^@/\s]+(/[^@\s]*)?", address):
        return address
    if "@" in address.partition("://")[2].partition("/")[0]:
        raise Problem("its registry's address has a password in it, and a mirror is read by others")
    raise Problem(f"its package tool takes it from no web server, but from {visible(address) or 'nowhere'}")


def _asked(entries: Iterable[Locked]) -> list[_Asked]:
    found = {}
    for entry in entries:
        for text, version in entry.extras.items():
            name, wanted = split(text)
            asked = _Asked(entry, WantedExtra(text, name, version or wanted))
            found[asked.subject] = asked
    return list(found.values())


def _is_there(folder: Path, before: Mapping[str, Mirrored], subject: str) -> bool:
    files = [each for each in before.values() if subject in each.for_]
    return bool(files) and all(
        (folder / each.path).is_file() and (folder / each.path).stat().st_size == each.size for each in files
    )


def _registries(folder: Path) -> dict[str, str]:
    try:
        return msgspec.json.decode((folder / REGISTRIES).read_bytes(), type=dict[str, str])
    except (OSError, msgspec.MsgspecError):
        return {}


def _link_commands(bin: Path, at: Path, without: Collection[str]) -> None:
    """A folder in which the commands of another one can be started, but for those that packages brought. What
    package tools keep in folders beside them is theirs, and would be written to through a link.
    """
    at.mkdir(parents=True, exist_ok=True)
    for each in set(os.listdir(bin)).difference(without) if bin.is_dir() else ():
        if not (bin / each).is_dir():
            (at / each).symlink_to(bin / each)
