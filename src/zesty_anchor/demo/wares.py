"""The made-up runtimes: built from the sources in this package into archives that an index feed lists."""

from __future__ import annotations

import hashlib
import io
import json
import shutil
import tarfile
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import Path

import zstandard

_SOURCES = Path(__file__).parent / "sources"
_MOMENT = 1_760_000_000

Ware = tuple[str, str, tuple[str, ...], str]
"""A version, its date, its channels, and the kind of archive that it comes in."""

KELP: tuple[Ware, ...] = (
    ("5.1.0-rc.1", "2026-10-02", (), "tar.gz"),
    ("5.0.0", "2026-08-14", (), "tar.zst"),
    ("4.2.1", "2026-06-30", ("lts",), "tar.gz"),
    ("4.1.0", "2026-02-11", ("lts",), "tar.xz"),
    ("3.6.2", "2025-09-05", (), "zip"),
    ("3.6.1", "2025-06-19", (), "tar.bz2"),
)
CORAL: tuple[Ware, ...] = (
    ("17.0.1", "2026-09-21", ("lts",), "tar.gz"),
    ("11.0.4", "2025-11-03", ("lts",), "tar.xz"),
)
BRINE: tuple[Ware, ...] = (("1.7.2", "2026-07-07", (), "tar.gz"), ("1.6.0", "2025-12-01", (), "tar.gz"))
SHOAL: tuple[Ware, ...] = (
    ("2.3.0-coral-17", "2026-10-01", (), "zip"),
    ("2.3.0-coral-11", "2026-10-01", (), "tar.gz"),
    ("2.2.0-coral-11", "2026-03-01", (), "tar.gz"),
)
ENDS = {"kelp": {"4.1.0": "2027-02-28", "4.2.1": "2027-06-30", "3.6.1": "2026-09-30", "3.6.2": "2026-09-30"}}
"""When the support of a version ends."""
BOLLARD = ("0.9.5", "0.9.4")
FAIRLEAD: tuple[Ware, ...] = (("2.1", "2026-09-12", (), "tar.gz"), ("2.0", "2026-03-30", (), "tar.gz"))
LICENCE = "Harbour Licence 2"

Files = Mapping[str, tuple[bytes, int]]
"""Paths in an archive, each with its content and its permissions."""


def compiler() -> str | None:
    """The C compiler of this machine."""
    return shutil.which("cc") or shutil.which("gcc")


def stock_feed(folder: Path) -> None:
    """Build every ware into ``folder``, with the index that lists them. brine comes as its source."""
    wares: dict[str, list[tuple[Ware, Files]]] = {
        "kelp": [(r, _kelp(r[0])) for r in KELP],
        "coral": [(r, _coral(r[0])) for r in CORAL],
        "brine": [(r, {"brine.c": ((_SOURCES / "brine.c").read_bytes(), 0o644)}) for r in BRINE],
        "fairlead": [(r, _fairlead(r[0])) for r in FAIRLEAD],
        "shoal": [(r, {"bin/shoal": (source("shoal.sh", r[0]), 0o755)}) for r in SHOAL],
    }
    shutil.copy(_SOURCES / "harbour-licence.txt", folder / "harbour-licence.txt")
    for name, releases in wares.items():
        write_runtime(
            folder,
            name,
            [
                (
                    version,
                    date,
                    channels,
                    "source" if name == "brine" else "any",
                    f"{name}-{version}.{kind}",
                    pack(f"{name}-{version}", files, kind),
                )
                for (version, date, channels, kind), files in releases
            ],
            {"licence": LICENCE, "licence_url": "harbour-licence.txt"} if name == "coral" else {},
            ends=ENDS.get(name, {}),
        )
    write_index(folder, wares)
    for version in BOLLARD:
        (folder / f"bollard-{version}-installer.sh").write_bytes(bollard_installer(version))


def bollard_installer(version: str) -> bytes:
    """The script that installs the made-up manager bollard, which holds all that it needs."""
    files = [(f"holds/{path}", content) for path, content in _holds().items()]
    files.insert(0, ("bollard.sh", source("bollard.sh", version)))
    written = [
        f'mkdir -p "$folder/{Path(path).parent}"\ncat >"$folder/{path}" <<\'THE END OF IT\'\n'.encode()
        + content
        + b"THE END OF IT\n"
        for path, content in files
    ]
    return source("bollard-installer.sh", version).replace(b"@HOLDS@\n", b"".join(written))


def _holds() -> dict[str, bytes]:
    """What the made-up managers install, without a version yet."""
    names = {"ebb/bin/ebb": "ebb.sh", "kelp/bin/kelp": "kelp.sh", "kelp/bin/kelp-pack": "kelp-pack.sh"}
    names["kelp/share/packages/kelp-tidy-1.2.sh"] = "kelp-tidy.sh"
    return {path: (_SOURCES / source).read_bytes() for path, source in names.items()}


def write_index(folder: Path, names: Iterable[str]) -> None:
    """The document that names an index's runtimes."""
    (folder / "index.json").write_text(
        json.dumps({"format": "zesty-anchor-index/1", "runtimes": list(names)})
    )


def write_runtime(
    folder: Path,
    name: str,
    releases: Iterable[tuple[str, str, Iterable[str], str, str, bytes]],
    more: Mapping[str, str] | None = None,
    signatures: Mapping[str, str] | None = None,
    ends: Mapping[str, str] | None = None,
) -> None:
    """The archives of one runtime, and the document that lists them. ``more`` goes into every release;
    ``signatures`` names the signature of a file, ``ends`` the day on which a version's support ends.
    """
    listed = []
    for version, date, channels, platform, file, content in releases:
        (folder / file).write_bytes(content)
        entry = {
            "platform": platform, "url": file, "size": len(content),
            "sha256": hashlib.sha256(content).hexdigest(),
        }  # fmt: skip
        if signatures and file in signatures:
            entry["signature"] = signatures[file]
        until = {"ends": ends[version]} if ends and version in ends else {}
        listed.append(
            {
                "version": version,
                "date": date,
                "channels": list(channels),
                "files": [entry],
                **until,
                **(more or {}),
            }
        )
    document = {"format": "zesty-anchor-index/1", "runtime": name, "releases": listed}
    (folder / f"{name}.json").write_text(json.dumps(document, indent=1))


def pack(top: str, files: Files, kind: str) -> bytes:
    """An archive of ``kind`` (tar.gz, tar.xz, tar.bz2, tar.zst or zip) with everything under one folder."""
    if kind == "zip":
        return _zip(top, files)
    plain = io.BytesIO()
    mode = {"tar.gz": "w:gz", "tar.xz": "w:xz", "tar.bz2": "w:bz2", "tar.zst": "w"}[kind]
    with tarfile.open(fileobj=plain, mode=mode) as archive:  # type: ignore[call-overload]
        for path, (content, permissions) in files.items():
            member = tarfile.TarInfo(f"{top}/{path}")
            member.size, member.mode, member.mtime = len(content), permissions, _MOMENT
            archive.addfile(member, io.BytesIO(content))
    return zstandard.compress(plain.getvalue()) if kind == "tar.zst" else plain.getvalue()


def _zip(top: str, files: Files) -> bytes:
    plain = io.BytesIO()
    with zipfile.ZipFile(plain, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, (content, permissions) in files.items():
            info = zipfile.ZipInfo(f"{top}/{path}", (2025, 9, 5, 12, 0, 0))
            info.external_attr = (0o100000 | permissions) << 16
            archive.writestr(info, content, zipfile.ZIP_DEFLATED)
    return plain.getvalue()


def _kelp(version: str) -> Files:
    return {
        "bin/kelp": (source("kelp.sh", version), 0o755),
        "bin/kelp-pack": (source("kelp-pack.sh", version), 0o755),
        "share/packages/kelp-tidy-1.2.sh": (source("kelp-tidy.sh", version), 0o644),
        "share/remarks": (f"kelp {version}, made up for the tide desk.\n".encode(), 0o644),
    }


def _fairlead(version: str) -> Files:
    stock = {f"stock/{path}": (content, 0o644) for path, content in _holds().items()}
    stock["stock/flood/bin/flood"] = ((_SOURCES / "ebb.sh").read_bytes().replace(b"ebb", b"flood"), 0o644)
    return {"bin/fairlead": (source("fairlead.sh", version), 0o755), **stock}


def _coral(version: str) -> Files:
    return {
        "bin/coral": (source("coral.sh", version), 0o755),
        "lib/units": (b"mm 1\ncm 10\nm 1000\n", 0o644),
    }


def source(name: str, version: str) -> bytes:
    """A program of this package, as the version that it is to say that it is."""
    return (_SOURCES / name).read_text("utf-8").replace("@VERSION@", version).encode()
