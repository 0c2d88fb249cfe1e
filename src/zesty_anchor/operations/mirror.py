"""A mirror: what locks name, in a folder that any web server serves as it is."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import msgspec

from zesty_anchor.changes.question import Question
from zesty_anchor.engine.questions import settle
from zesty_anchor.feeds.index import FORMAT as INDEX_FORMAT
from zesty_anchor.feeds.mirror import place_of
from zesty_anchor.files import digest as sha256
from zesty_anchor.files import folders
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.lock import Locked, file_beside, read
from zesty_anchor.operations.mirror_extras import record, subjects
from zesty_anchor.operations.mirror_packages import SystemPackages
from zesty_anchor.operations.mirror_program import pack_program
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.mirrored import ChangedFile, Mirrored, MirrorMade
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.download import matches
from zesty_anchor.system.problem import Problem, UsageProblem
from zesty_anchor.system.signing import Signer, signer_of

_LIST, _SUMS, _INDEX = "mirror.json", "SHA256SUMS", "index"
FORMAT = "zesty-anchor-mirror/1"
_CHUNK = 1 << 18


class _List(msgspec.Struct):
    """``mirror.json``."""

    files: list[Mirrored] = []
    format: str = FORMAT


class _Asked(msgspec.Struct, frozen=True):
    """One file that a lock names; ``digest`` is empty for a signature."""

    address: str
    digest: str
    size: int | None
    subject: str


def locked(workstation: Workstation, files: Sequence[Path]) -> list[Locked]:
    """What the locks name: the ``files``, else the manifest's own. Raises ``UsageProblem`` where there is
    nothing.
    """
    for file in files:
        if not file.is_file():
            raise UsageProblem(
                f"there is no lock at {file}", advice="name a file that zesty-anchor lock wrote"
            )
    entries = [entry for file in files for entry in read(file).values()]
    entries = entries if files else list(workstation.lock.values())
    if not entries:
        where = str(files[0]) if files else str(file_beside(workstation.file))
        raise UsageProblem(
            "there is no lock to make a mirror of",
            where=where,
            advice="zesty-anchor lock writes it; --platform NAME adds another platform",
        )
    return entries


def make(
    workstation: Workstation,
    person: Person,
    folder: Path,
    entries: Sequence[Locked],
    platforms: Sequence[str] = (),
    key: Path | None = None,
) -> MirrorMade:
    """Bring all that the locks name for these platforms (none: every one) into a folder. What is there
    already stays; what was broken off goes on where it was.

    Raises ``Problem`` where the folder cannot be written; a file that fails is in the result.
    """
    folder = folder.absolute()
    folders.make(folder)
    signer = signer_of(key) if key is not None else None
    asked, notes = _asked(entries, platforms)
    failed: list[str] = []
    system = SystemPackages.of(workstation, folder, signer)
    asked += [_Asked(each.url, each.digest, each.size, f"package {each.name}") for each in system.files]
    notes += system.notes
    failed += system.failed
    before = {each.path: each for each in _known(folder)}
    manifest = msgspec.structs.replace(workstation.manifest, mirror=None)  # from where it is published
    offers = Offers(msgspec.structs.replace(workstation, manifest=manifest))
    there: dict[str, Mirrored] = {}
    fetched: list[int] = []
    stopped = threading.Event()

    def one(each: _Asked) -> Mirrored | str:
        path = place_of(each.address)
        old = before.get(path)
        if old is not None and each.digest and _is_there(folder / path, old, each):
            return old
        try:
            got = _fetch(offers, person, folder / path, each, stopped)
        except Problem as problem:
            return f"{each.subject}: {problem}"
        fetched.append(got)
        return Mirrored(path, _digest_of(folder / path), got, each.address)

    person.reporter.ahead(len(asked), sum(each.size or 0 for each in asked))
    with ThreadPoolExecutor(person.jobs) as pool:
        running = {each: pool.submit(one, each) for each in asked}
        try:
            for each, work in running.items():
                result = work.result()
                if isinstance(result, str):
                    failed.append(result)
                    continue
                known = there.get(result.path, result)
                for_ = tuple(dict.fromkeys((*known.for_, *_known_for(before, result), each.subject)))
                there[result.path] = msgspec.structs.replace(result, for_=for_)
        except BaseException:
            stopped.set()
            pool.shutdown(cancel_futures=True)
            raise
    extras = record(workstation, person, folder, entries, before)
    for file in extras.files:
        uses = (*_known_for(before, file), *_known_for(there, file), *file.for_)
        there[file.path] = msgspec.structs.replace(file, for_=tuple(dict.fromkeys(uses)))
    notes += extras.notes
    failed += extras.failed
    lists = system.lists(there.keys()) if signer is not None else {}
    for made in (
        *_index(folder, entries, there),
        *_program(folder),
        *_bases(folder, workstation),
        *(_put(folder, path, content) for path, content in lists.items()),
    ):
        there[made.path] = made
    files = {**{path: each for path, each in before.items() if (folder / path).is_file()}, **there}
    _write_lists(folder, files.values(), signer)
    notes += _left_out(workstation)
    return MirrorMade(
        str(folder),
        tuple(files.values()),
        len(fetched) + extras.fetched,
        sum(fetched) + extras.fetched_size,
        tuple(failed),
        tuple(notes),
    )


def _digest_of(file: Path) -> str:
    return f"sha256:{sha256.digest_of_file(file)}"


def check(folder: Path) -> tuple[int, list[ChangedFile]]:
    """How many files a mirror has, and those of them that are not as they were put there. Raises
    ``UsageProblem`` where the folder is no mirror.
    """
    files = _known(folder, must=True)
    found = []
    for each in files:
        try:
            digest = _digest_of(folder / each.path)
        except OSError:
            digest = ""
        if digest != each.digest:
            found.append(ChangedFile(each.path, each.digest, digest))
    return len(files), found


def prune(
    workstation: Workstation,
    person: Person,
    folder: Path,
    entries: Sequence[Locked],
    sizes: Callable[[int], str],
    key: Path | None = None,
) -> list[Mirrored]:
    """Delete the files that none of the locks names, and packages of the system that the manifest does not
    need, after a yes. Returns them.
    """
    files = _known(folder, must=True)
    signer = signer_of(key) if key is not None else None
    system = SystemPackages.of(workstation, folder, signer)
    kept = {place_of(each.address) for each in _asked(entries, ())[0]} | system.needed
    extras = subjects(entries)
    going = [
        each
        for each in files
        if each.address and each.path not in kept and not extras.intersection(each.for_)
    ]
    if not going:
        return []
    names = ", ".join(dict.fromkeys(name for each in going for name in each.for_))
    size = sizes(sum(each.size for each in going))
    question = f"delete {names or len(going)} from {folder}? frees {size}"
    settle([Question("prune", question, "--yes", safe=True)], person.asker, yes=person.yes)
    for each in going:
        (folder / each.path).unlink(missing_ok=True)
        _remove_empty(folder, (folder / each.path).parent)
    left = {each.path: each for each in files if each not in going}
    lists = system.lists(left.keys()) if signer is not None else {}
    left |= {path: _put(folder, path, content) for path, content in lists.items()}
    _write_lists(folder, left.values(), signer)
    return going


def _known_for(before: Mapping[str, Mirrored], now: Mirrored) -> tuple[str, ...]:
    """What a file was for already, where it is the same. Pure."""
    old = before.get(now.path)
    return old.for_ if old is not None and old.digest == now.digest else ()


def _asked(entries: Iterable[Locked], platforms: Sequence[str]) -> tuple[list[_Asked], list[str]]:
    """What the locks name for these platforms, each address once; and what of it cannot be mirrored."""
    found: dict[str, _Asked] = {}
    notes: dict[str, None] = {}
    for entry in entries:
        for platform, file in entry.files.items():
            if platforms and platform not in platforms:
                continue
            subject = f"{entry.runtime} {entry.version} {platform}"
            parts = [(file.url, file.digest, file.size), *((p.url, p.digest, p.size) for p in file.parts)]
            for url, digest, size in parts:
                if not url.startswith(("http://", "https://")) or digest.startswith("commit:"):
                    notes[f"{subject} is not in it: it is fetched from {url}"] = None
                elif not digest:
                    notes[f"{subject} is not in it: nobody gives a digest of {url}"] = None
                else:
                    found.setdefault(url, _Asked(url, digest, size, subject))
            if file.signature:
                found.setdefault(file.signature, _Asked(file.signature, "", None, subject))
    return list(found.values()), list(notes)


def _is_there(file: Path, known: Mirrored, asked: _Asked) -> bool:
    """Whether a file is there as it was put, by its size, and is the one that is asked for."""
    try:
        size = file.stat().st_size
    except OSError:
        return False
    same = known.digest == asked.digest or not asked.digest.startswith("sha256:")
    return size == known.size and same and (asked.size is None or size == asked.size)


def _fetch(offers: Offers, person: Person, file: Path, asked: _Asked, stopped: threading.Event) -> int:
    """Fetch one file beside its place, check it, and rename it. Returns its size in bytes."""
    key, text = f"mirror:{asked.address}", f"fetch {asked.subject}"
    person.reporter.began(key, text)
    well = False
    try:
        folders.make(file.parent)
        if not asked.digest:
            content = offers.document(asked.address, asked.subject)
            replace(file, content, 0o644, lasting=False)
            well = True
            return len(content)
        partial = file.with_name(f"{file.name}.part")
        was = have = partial.stat().st_size if partial.is_file() else 0
        body = offers.open_body(asked.address, asked.subject, start=have)
        try:
            with partial.open("ab" if have else "wb") as out:
                for chunk in body.chunks(_CHUNK):
                    if stopped.is_set():
                        raise KeyboardInterrupt
                    out.write(chunk)
                    have += len(chunk)
                    person.reporter.moved(key, have, asked.size)
        finally:
            body.close()
        if not matches(partial, asked.digest):
            found = _digest_of(partial)
            partial.unlink()
            if was:  # what was kept may have been of another file
                return _fetch(offers, person, file, asked, stopped)
            raise Problem(
                "its digest is not the one that the lock has",
                where=f"{asked.address}: expected {asked.digest}, found {found}",
                advice="nothing of it was kept; if it was published anew, lock it again",
            )
        partial.chmod(0o644)
        partial.replace(file)
        well = True
        return have
    except OSError as error:
        raise Problem(f"it cannot be written: {error.strerror}", where=str(file)) from None
    finally:
        person.reporter.ended(key, text, well=well)


def _known(folder: Path, *, must: bool = False) -> list[Mirrored]:
    try:
        found = msgspec.json.decode((folder / _LIST).read_bytes(), type=_List)
    except FileNotFoundError:
        if must:
            raise UsageProblem(
                f"{folder} is not a mirror", advice=f"make one with: zesty-anchor mirror {folder}"
            ) from None
        return []
    except (OSError, msgspec.MsgspecError) as error:
        raise UsageProblem(
            f"the list of the mirror cannot be read: {error}",
            where=str(folder / _LIST),
            advice="remove that file; zesty-anchor mirror makes it anew",
        ) from None
    outside = [each.path for each in found.files if _leads_out(each.path)]
    if outside:
        raise UsageProblem(
            f"the mirror names {outside[0]!r}, which is outside of it", where=str(folder / _LIST)
        )
    return found.files


def _leads_out(path: str) -> bool:
    return path.startswith("/") or ".." in path.split("/")


def _index(folder: Path, entries: Sequence[Locked], there: Mapping[str, Mirrored]) -> Iterator[Mirrored]:
    """An index in our own format (docs/feeds.md) of what is there and comes as one file."""
    releases: dict[str, dict[str, dict[str, object]]] = {}
    for entry in entries:
        for platform, file in entry.files.items():
            place = there.get(place_of(file.url)) if file.url.startswith("http") else None
            if place is None or file.parts or file.source:
                continue
            release = releases.setdefault(entry.runtime, {}).setdefault(
                entry.version,
                {"version": entry.version, "channels": list(entry.channels), "files": [],
                 **({"licence": entry.licence} if entry.licence else {})},
            )  # fmt: skip
            listed = {"platform": platform, "url": f"../{place.path}", "size": place.size,
                      "sha256": place.digest.removeprefix("sha256:")}  # fmt: skip
            if file.signature:
                listed["signature"] = f"../{place_of(file.signature)}"
            files = release["files"]
            assert isinstance(files, list)
            if listed not in files:
                files.append(listed)
    documents: dict[str, object] = {
        f"{name}.json": {"format": INDEX_FORMAT, "runtime": name, "releases": list(versions.values())}
        for name, versions in sorted(releases.items())
    }
    if documents:
        documents["index.json"] = {"format": INDEX_FORMAT, "runtimes": sorted(releases)}
    for name, document in documents.items():
        yield _put(folder, f"{_INDEX}/{name}", msgspec.json.encode(document))


def _program(folder: Path) -> Iterator[Mirrored]:
    for path, content in pack_program(folder):
        yield _put(folder, path, content)


def _bases(folder: Path, workstation: Workstation) -> Iterator[Mirrored]:
    """The texts of the manifest's bases that are at an address."""
    for layer in workstation.source.layers:
        if layer.address and not layer.in_repository:
            made = _put(folder, place_of(layer.address), layer.text.encode())
            yield msgspec.structs.replace(made, for_=(f"the base {layer.address}",))


def _put(folder: Path, path: str, content: bytes) -> Mirrored:
    file = folder / path
    folders.make(file.parent)
    if not file.is_file() or file.read_bytes() != content:
        replace(file, content, 0o644, lasting=False)
    return Mirrored(path, f"sha256:{sha256.digest_of(content)}", len(content))


def _write_lists(folder: Path, files: Iterable[Mirrored], signer: Signer | None) -> None:
    """The list of a mirror, and its digests in the form that sha256sum(1) checks, signed where a key is
    given.
    """
    ordered = sorted(files, key=lambda each: each.path)
    sums = "".join(f"{each.digest.removeprefix('sha256:')}  {each.path}\n" for each in ordered).encode()
    signature = signer.detached(sums) if signer is not None else b""
    replace(folder / _LIST, msgspec.json.format(msgspec.json.encode(_List(ordered))), 0o644)
    replace(folder / _SUMS, sums, 0o644)
    if signature:
        replace(folder / f"{_SUMS}.asc", signature, 0o644)
    else:
        (folder / f"{_SUMS}.asc").unlink(missing_ok=True)  # it would be that of another list


def _left_out(workstation: Workstation) -> list[str]:
    """What is fetched from elsewhere."""
    repositories = sorted(layer.address for layer in workstation.source.layers if layer.in_repository)
    return [f"a base in a repository comes from there: {', '.join(repositories)}"] if repositories else []


def _remove_empty(top: Path, folder: Path) -> None:
    while folder != top:
        try:
            os.rmdir(folder)
        except OSError:
            return
        folder = folder.parent
