"""Packages with all that they need, as files to fetch, and the lists by which apt takes them from a folder
that a web server serves (a flat repository, sources.list(5)).
"""

from __future__ import annotations

import datetime
import email.utils
import hashlib
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from urllib.parse import unquote, urlsplit

import msgspec

_FILENAME = re.compile(r"^Filename: (.*)$", re.MULTILINE)
_FIELD = re.compile(r"^(Package|Version|Architecture|Size|SHA256): (.*)$", re.MULTILINE)
_ADDRESS = re.compile(r"^'([^']+)' ", re.MULTILINE)
LISTS = ("Packages", "Release", "InRelease")


class PackageFile(msgspec.Struct, frozen=True):
    """One package as a file: its name and version, where it is, its digest (``sha256:hex``), its size in
    bytes, and its ``entry`` in the lists of an archive.
    """

    name: str
    version: str
    url: str
    digest: str
    size: int
    entry: str


def files_in(uris: str, shown: str) -> tuple[PackageFile, ...]:
    """The files that ``apt-get install --print-uris`` names, by what ``apt-cache show`` shows of them. Pure.

    Raises ``KeyError`` with the address of one that is not shown, or has no digest.
    """
    entries: dict[str, str] = {}
    for block in re.split(r"\n\n+", shown.strip()):
        place = _FILENAME.search(block)
        if place:
            entries.setdefault(place[1].rpartition("/")[2], block)
    found = []
    for url in _ADDRESS.findall(uris):
        entry = entries.get(unquote(urlsplit(url).path).rpartition("/")[2], "")
        fields = dict(_FIELD.findall(entry))
        if "SHA256" not in fields:
            raise KeyError(url)
        digest = f"sha256:{fields['SHA256']}"
        found.append(
            PackageFile(fields["Package"], fields["Version"], url, digest, int(fields["Size"]), entry)
        )
    return tuple(found)


def entries_in(packages: str) -> dict[str, str]:
    """The entries of a list of packages, by the files that they name. Pure."""
    blocks = re.split(r"\n\n+", packages.strip())
    return {place[1]: block for block in blocks if (place := _FILENAME.search(block))}


def entry_at(file: PackageFile, path: str) -> str:
    """The entry of a package whose file is at a path of another archive. Pure."""
    return _FILENAME.sub(lambda _: f"Filename: {path}", file.entry)


def lists(entries: Mapping[str, str], signed: Callable[[bytes], bytes]) -> dict[str, bytes]:
    """The lists of an archive with these entries by their files: their names with what is in them.
    ``signed`` makes the signed form of a text (RFC 9580, 7).
    """
    packages = "\n\n".join(entries[path] for path in sorted(entries)).encode() + b"\n"
    now = email.utils.format_datetime(datetime.datetime.now(datetime.UTC))
    processors = sorted({found for entry in entries.values() for found in _architectures([entry])})
    rows = {
        "Origin": "zesty-anchor mirror",
        "Date": now.replace("+0000", "UTC"),
        "Architectures": " ".join(processors) or "all",
        "SHA256": f"\n {hashlib.sha256(packages).hexdigest()} {len(packages)} Packages",
    }
    release = "".join(f"{key}: {value}\n" for key, value in rows.items()).encode()
    return {"Packages": packages, "Release": release, "InRelease": signed(release)}


def _architectures(entries: Iterable[str]) -> Sequence[str]:
    return [dict(_FIELD.findall(entry)).get("Architecture", "all") for entry in entries]
