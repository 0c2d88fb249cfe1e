"""This program and the libraries that it needs, as wheels made of what is installed, so that pip on another
machine installs it from a mirror.
"""

from __future__ import annotations

import base64
import csv
import hashlib
import io
import os
import re
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from email.parser import HeaderParser
from importlib.metadata import Distribution, PackageNotFoundError, distribution
from pathlib import Path

import zesty_anchor

_NAME = "zesty-anchor"
_LEFT_OUT = ("RECORD", "INSTALLER", "REQUESTED", "direct_url.json")
"""What an installer writes beside a distribution ("Recording installed projects", packaging.python.org)."""
_TIME = (1980, 1, 1, 0, 0, 0)


def pack_program(there: Path) -> Iterator[tuple[str, bytes]]:
    """The files to serve, each with its path: the wheels, and an index of them in the form of the simple
    repository API (PEP 503). Wheels of libraries that are in the folder ``there`` are not packed again.
    Nothing where something of the program cannot be read.
    """
    pages: dict[str, str] = {}
    for found in _needed(_NAME):
        files = dict(_files(found))
        name, own = _name(found, files), _normal(found.metadata["Name"]) == _NAME
        kept = there / "wheels" / name
        content = kept.read_bytes() if not own and kept.is_file() else _wheel(files)
        if not name or content is None:
            return
        plain = _normal(found.metadata["Name"])
        digest = hashlib.sha256(content).hexdigest()
        pages[plain] = f'<a href="../../wheels/{name}#sha256={digest}">{name}</a>'
        yield f"wheels/{name}", content
    for plain, link in pages.items():
        yield f"simple/{plain}/index.html", f"<!DOCTYPE html>\n<title>{plain}</title>\n{link}\n".encode()
    links = "\n".join(f'<a href="{plain}/">{plain}</a>' for plain in sorted(pages))
    yield "simple/index.html", f"<!DOCTYPE html>\n<title>wheels</title>\n{links}\n".encode()


def program_files() -> dict[str, Path] | None:
    """Each file of the program, and of the libraries that it needs, by its path in site-packages; None where
    one of them cannot be read.
    """
    found: dict[str, Path] = {}
    for each in _needed(_NAME):
        files = {path: file for path, file in _files(each) if ".data/" not in path}
        if not files or not all(os.access(file, os.R_OK) for file in files.values()):
            return None
        found |= files
    return found


def _needed(name: str) -> list[Distribution]:
    """A distribution and all that it requires here, without its extras."""
    from packaging.requirements import Requirement

    found: dict[str, Distribution] = {}
    waiting = [name]
    while waiting:
        each = waiting.pop()
        if _normal(each) in found:
            continue
        try:
            here = distribution(each)
        except PackageNotFoundError:
            continue
        found[_normal(each)] = here
        for text in here.requires or ():
            needed = Requirement(text)
            if needed.marker is None or needed.marker.evaluate({"extra": ""}):
                waiting.append(needed.name)
    return list(found.values())


def _normal(name: str) -> str:
    """A project's name as an index has it (PEP 503)."""
    return re.sub(r"[-_.]+", "-", name).lower()


def _info(files: Iterable[str]) -> str:
    return next((path.partition("/")[0] for path in files if ".dist-info/" in path), "")


def _name(found: Distribution, files: Iterable[str]) -> str:
    """The name of a distribution's wheel ("Binary distribution format", packaging.python.org); empty where it
    came as none.
    """
    tags = HeaderParser().parsestr(found.read_text("WHEEL") or "").get_all("Tag", [])
    info = _info(files).removesuffix(".dist-info")
    parts = [".".join(dict.fromkeys(tag.split("-")[place] for tag in tags)) for place in range(3)]
    return f"{info}-{'-'.join(parts)}.whl" if tags and info else ""


def _wheel(files: Mapping[str, Path]) -> bytes | None:
    """The bytes of a wheel, the same each time; None where what is installed cannot be read."""
    info = _info(files)
    packed, rows = io.BytesIO(), []
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in sorted(files, key=lambda each: (each.startswith(info), each)):
            try:
                content = files[path].read_bytes()
            except OSError:
                return None
            digest = base64.urlsafe_b64encode(hashlib.sha256(content).digest()).rstrip(b"=").decode()
            rows.append([path, f"sha256={digest}", str(len(content))])
            archive.writestr(_entry(path), content)
        record = io.StringIO()
        csv.writer(record, lineterminator="\n").writerows([*rows, [f"{info}/RECORD", "", ""]])
        archive.writestr(_entry(f"{info}/RECORD"), record.getvalue())
    return packed.getvalue()


def _files(found: Distribution) -> Iterator[tuple[str, Path]]:
    """Each file of a distribution by its path in a wheel. What pip makes itself is left out: scripts,
    compiled files, its own notes. Of one that is edited in place the files are where they are edited.
    """
    data = f"{found.metadata['Name'].replace('-', '_')}-{found.version}.data/data"
    for file in found.files or ():
        place = Path(str(file.locate()))
        if "__pycache__" in file.parts or file.is_absolute() or file.name in _LEFT_OUT:
            continue
        if file.parts[:3] == ("..", "..", ".."):
            if file.parts[3] != "bin":
                yield "/".join((data, *file.parts[3:])), place
        elif file.suffix == ".pth" and file.name.startswith("_"):
            here = Path(zesty_anchor.__file__).parent
            for each in here.rglob("*"):
                if each.is_file() and "__pycache__" not in each.parts:
                    yield f"{here.name}/{each.relative_to(here).as_posix()}", each
        else:
            yield file.as_posix(), place


def _entry(path: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(path, _TIME)
    entry.external_attr, entry.compress_type = 0o100644 << 16, zipfile.ZIP_DEFLATED
    return entry
