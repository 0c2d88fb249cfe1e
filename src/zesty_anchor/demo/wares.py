"""The made-up runtimes: built from the sources in this package into archives that an index feed lists."""

from __future__ import annotations

import hashlib
import io
import json
import shutil
import subprocess
import tarfile
import tempfile
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import Path

import zstandard

from zesty_anchor.problem import Problem
from zesty_anchor.system.debian_names import package_for

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
CORAL: tuple[Ware, ...] = (("17.0.1", "2026-09-21", ("lts",), "tar.gz"), ("11.0.4", "2025-11-03", ("lts",), "tar.xz"))
BRINE: tuple[Ware, ...] = (("1.7.2", "2026-07-07", (), "tar.gz"),)

Files = Mapping[str, tuple[bytes, int]]
"""Paths in an archive, each with its content and its permissions."""


def compiler() -> str | None:
    """The C compiler of this machine."""
    return shutil.which("cc") or shutil.which("gcc")


def stock_feed(folder: Path, platform: str, *, with_c: bool) -> None:
    """Build every ware into ``folder``, with the index that lists them. Raises ``Problem`` where the compiler fails."""
    wares: dict[str, list[tuple[Ware, Files]]] = {
        "kelp": [(r, _kelp(r[0])) for r in KELP],
        "coral": [(r, _coral(r[0])) for r in CORAL],
    }
    if with_c:
        wares["brine"] = [(r, _brine(r[0])) for r in BRINE]
    for name, releases in wares.items():
        write_runtime(
            folder,
            name,
            [
                (
                    version,
                    date,
                    channels,
                    platform if name == "brine" else "any",
                    f"{name}-{version}.{kind}",
                    pack(f"{name}-{version}", files, kind),
                )
                for (version, date, channels, kind), files in releases
            ],
        )
    write_index(folder, wares)


def write_index(folder: Path, names: Iterable[str]) -> None:
    """The document that names an index's runtimes."""
    (folder / "index.json").write_text(json.dumps({"format": "zesty-anchor-index/1", "runtimes": list(names)}))


def write_runtime(folder: Path, name: str, releases: Iterable[tuple[str, str, Iterable[str], str, str, bytes]]) -> None:
    """The archives of one runtime, and the document that lists them."""
    listed = []
    for version, date, channels, platform, file, content in releases:
        (folder / file).write_bytes(content)
        digest = hashlib.sha256(content).hexdigest()
        listed.append(
            {
                "version": version,
                "date": date,
                "channels": list(channels),
                "files": [{"platform": platform, "url": file, "size": len(content), "sha256": digest}],
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
        "bin/kelp": (_source("kelp.sh", version), 0o755),
        "share/remarks": (f"kelp {version}, made up for the tide desk.\n".encode(), 0o644),
    }


def _coral(version: str) -> Files:
    return {
        "bin/coral": (_source("coral.sh", version), 0o755),
        "lib/units": (b"mm 1\ncm 10\nm 1000\n", 0o644),
    }


def _brine(version: str) -> Files:
    cc = compiler()
    if cc is None:
        raise Problem(
            "brine needs a C compiler, and there is none",
            advice=f"on Debian: apt-get install {package_for('cc')}",
        )
    with tempfile.TemporaryDirectory() as name:
        built = Path(name, "brine")
        answer = subprocess.run(
            [cc, "-O2", f'-DBRINE_VERSION="{version}"', "-o", str(built), str(_SOURCES / "brine.c"), "-lm"],
            capture_output=True,
            text=True,
            check=False,
        )
        if answer.returncode != 0:
            raise Problem(
                "brine does not compile",
                where=answer.stderr.strip()[-400:],
                advice=f"is the C library's development package there? On Debian: apt-get install {package_for('cc')} libc6-dev",
            )
        return {"bin/brine": (built.read_bytes(), 0o755)}


def _source(name: str, version: str) -> bytes:
    return (_SOURCES / name).read_text("utf-8").replace("@VERSION@", version).encode()
