"""What is brought to another machine: the program, and the manifest with its bases, its lock and its keys."""

from __future__ import annotations

import hashlib
import io
import os
import sys
import tarfile
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.manifest.lock import Locked, text_of
from zesty_anchor.manifest.toml_file import read_tables
from zesty_anchor.operations.mirror_program import program_files
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.download import kept_file
from zesty_anchor.system.problem import UsageProblem

_RECIPES = "bases/recipes.toml"
_TIME = 315532800  # 1980, as in a zip


class Brought(msgspec.Struct, frozen=True):
    """Files to unpack in one folder there: a tar archive, gzipped, and what names it."""

    name: str
    archive: bytes


def python_version() -> str:
    """The version of Python that the program's compiled parts are for: ``3.11``."""
    return f"{sys.version_info[0]}.{sys.version_info[1]}"


def program() -> Brought:
    """The program with the libraries that it needs, to be put into the site-packages of an environment of
    the same version of Python, on the same system. Raises ``UsageProblem`` where it cannot be read.
    """
    files = program_files()
    if files is None:
        raise UsageProblem(
            "the files of this program cannot be read, so it cannot be sent to another machine",
            advice="install it there by pip",
        )
    contents = {path: file.read_bytes() for path, file in files.items()}
    archive = _packed(contents)
    return Brought(hashlib.sha256(archive).hexdigest()[:16], archive)


def single(file: Path) -> Brought:
    """The program in one file, to be put into a folder of its own: it needs no Python there. Raises
    ``UsageProblem`` where it cannot be read.
    """
    try:
        content = file.read_bytes()
    except OSError as error:
        raise UsageProblem(
            f"{file} cannot be read: {error.strerror}", advice="make it: sh scripts/single-file"
        ) from None
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w") as archive:
        entry = tarfile.TarInfo("bin/zesty-anchor")
        entry.size, entry.mode, entry.mtime = len(content), 0o755, _TIME
        archive.addfile(entry, io.BytesIO(content))
    return Brought(hashlib.sha256(content).hexdigest()[:16], out.getvalue())


def desk(workstation: Workstation) -> Brought:
    """The manifest: its own text as workstation.toml, each base beside it, the keys that they name, the
    person's own recipes, and one lock of all. Parts for some machines stay in it: they are decided there.
    """
    files = dict(_texts(workstation))
    if workstation.lock:
        files["workstation.lock"] = text_of(workstation.lock.values(), {}).encode()
    sums = "".join(
        f"{hashlib.sha256(content).hexdigest()}  {path}\n" for path, content in sorted(files.items())
    ).encode()
    files["SUMS"] = sums
    return Brought(hashlib.sha256(sums).hexdigest(), _packed(files))


def _texts(workstation: Workstation) -> Iterator[tuple[str, bytes]]:
    import tomlkit

    layers = workstation.source.layers
    bases = [f"bases/{number}.toml" for number in range(len(layers) - 1)]
    recipes = _own_recipes(workstation)
    if recipes:
        yield _RECIPES, tomlkit.dumps({"recipes": recipes}).encode()
    for number, layer in enumerate(layers):
        own = number == len(layers) - 1
        document: Any = tomlkit.parse(layer.text)
        # The layers are listed in their order: what one of them says of its own base is done with that.
        document.pop("base", None)
        if own and (bases or recipes):
            first = [_RECIPES] if recipes else []
            document = tomlkit.parse(tomlkit.dumps({"base": [*first, *bases]}) + tomlkit.dumps(document))
        up = "" if own else "../"
        for table, key in _naming_files(document):
            file = Path(layer.file.parent, table[key])
            if not str(table[key]).startswith(("/", "~")) and file.is_file():
                content = file.read_bytes()
                name = f"keys/{hashlib.sha256(content).hexdigest()[:16]}-{file.name}"
                table[key] = f"{up}{name}"
                yield name, content
        yield ("workstation.toml" if own else bases[number]), tomlkit.dumps(document).encode()


def _own_recipes(workstation: Workstation) -> dict[str, Any]:
    """The tables of the recipes in the person's configuration that the manifest's runtimes have."""
    files = {name: workstation.locations.recipes / f"{name}.toml" for name in workstation.manifest.tools}
    return {name: read_tables(file) for name, file in files.items() if file.is_file()}


def _naming_files(document: Mapping[str, Any]) -> Iterator[tuple[Any, str]]:
    """The tables that name a file beside the manifest, each with the key that does."""
    parts = [document, *document.get("on", {}).values()]
    for part in parts:
        sources = part.get("prerequisites", {}).get("sources", {})
        for table in (*part.get("feeds", {}).values(), *sources.values()):
            if "key" in table:
                yield table, "key"
        if "file" in part.get("trust", {}):
            yield part["trust"], "file"


def downloads(entries: Iterable[Locked], platform: str, folder: Path) -> dict[str, Path]:
    """The kept files that a lock names for a platform, by their names in the folder of downloads."""
    found = {}
    for entry in entries:
        file = entry.files.get(platform)
        if file is None:
            continue
        named = [(file.digest, file.url), *((part.digest, part.url) for part in file.parts)]
        for digest, url in named:
            kept = kept_file(folder, digest, url)
            if kept.is_file():
                found[kept.name] = kept
    return found


def packed_files(files: Mapping[str, Path]) -> bytes:
    """A tar archive of files that are compressed already."""
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w") as archive:
        for name, file in files.items():
            archive.add(file, name, filter=_plain)
    return out.getvalue()


def _packed(files: Mapping[str, bytes]) -> bytes:
    """A gzipped tar archive, the same bytes for the same files."""
    import gzip

    out = io.BytesIO()
    with (
        gzip.GzipFile(fileobj=out, mode="wb", mtime=0, compresslevel=6) as zipped,
        tarfile.open(fileobj=zipped, mode="w") as archive,
    ):
        for name, content in sorted(files.items()):
            entry = tarfile.TarInfo(name)
            entry.size, entry.mode, entry.mtime = len(content), 0o644, _TIME
            archive.addfile(entry, io.BytesIO(content))
    return out.getvalue()


def _plain(entry: tarfile.TarInfo) -> tarfile.TarInfo:
    entry.uid = entry.gid = 0
    entry.uname = entry.gname = ""
    entry.mode = 0o600
    entry.name = os.path.basename(entry.name)
    return entry
