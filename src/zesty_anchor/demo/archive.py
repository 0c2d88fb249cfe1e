"""The stand-in for an archive in the Debian repository format: packages, indexes and a signed suite, in a
folder to be served.
"""

from __future__ import annotations

import datetime
import email.utils
import hashlib
import io
import lzma
import tarfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

_MOMENT = 1_760_000_000
_CONTROL = "DEBIAN/"


def deb(fields: Mapping[str, str], files: Mapping[str, bytes | str]) -> bytes:
    """A binary package (deb(5)) of these fields. A file's content is bytes, a link's the text that it leads
    to. What is in the folder DEBIAN goes to its control files.
    """
    control = "".join(f"{name}: {value}\n" for name, value in fields.items()).encode()
    own = {name: content for name, content in files.items() if name.startswith(_CONTROL)}
    members = {
        "debian-binary": b"2.0\n",
        "control.tar.xz": _tar({"control": control, **{n.removeprefix(_CONTROL): c for n, c in own.items()}}),
        "data.tar.xz": _tar({name: each for name, each in files.items() if name not in own}),
    }
    written = b"!<arch>\n"
    for name, content in members.items():
        written += f"{name:<16}{_MOMENT:<12}{0:<6}{0:<6}{'100644':<8}{len(content):<10}`\n".encode()
        written += content + b"\n" * (len(content) % 2)
    return written


def _tar(files: Mapping[str, bytes | str]) -> bytes:
    plain = io.BytesIO()
    with tarfile.open(fileobj=plain, mode="w:xz") as archive:
        for path, content in files.items():
            member = tarfile.TarInfo(f"./{path}")
            script = "/bin/" in path or (isinstance(content, bytes) and content.startswith(b"#!"))
            member.mtime, member.mode = _MOMENT, 0o755 if script else 0o644
            if isinstance(content, str):
                member.type, member.linkname = tarfile.SYMTYPE, content
                archive.addfile(member)
            else:
                member.size = len(content)
                archive.addfile(member, io.BytesIO(content))
    return plain.getvalue()


def write_suite(
    folder: Path,
    suite: str,
    packages: Sequence[tuple[Mapping[str, str], Mapping[str, bytes | str]]],
    signer: Any,
    *,
    valid_days: int = 7,
    architecture: str = "amd64",
    others: str = "",
    sources: Sequence[tuple[str, str, str, bytes]] = (),
) -> None:
    """A suite of packages, each its fields and its files, with its index and the list of digests, signed by a
    ``signer`` of pysequoia. It is valid for some days from now on. ``others`` are further entries of the
    index, each with an empty row after it. ``sources`` are source packages: name, version, the name of the
    upstream's archive, and what that holds.
    """
    import pysequoia

    stanzas = []
    for fields, files in packages:
        named = {"Package": fields["Package"], "Architecture": architecture}
        whole = {**named, "Maintainer": "the tide desk <desk@harbour.invalid>", **fields}
        content = deb({**whole, "Description": "made up"}, files)
        version = fields["Version"].replace(":", "%3a")
        place = f"pool/main/{suite}/{fields['Package']}_{version}_{architecture}.deb"
        (folder / place).parent.mkdir(parents=True, exist_ok=True)
        (folder / place).write_bytes(content)
        told = {"Filename": place, "Size": str(len(content)), "SHA256": hashlib.sha256(content).hexdigest()}
        stanzas.append("".join(f"{name}: {value}\n" for name, value in {**whole, **told}.items()))
    where = folder / "dists" / suite
    indexes = {f"main/binary-{architecture}/Packages.xz": others + "\n".join(stanzas)}
    if sources:
        indexes["main/source/Sources.xz"] = "\n".join(_source(folder, *each) for each in sources)
    listed = ""
    for name, entries in indexes.items():
        index = lzma.compress(entries.encode(), preset=1)
        (where / name).parent.mkdir(parents=True, exist_ok=True)
        (where / name).write_bytes(index)
        # apt asks for an index that is listed as it is unpacked, too.
        for content, entry in ((index, name), (entries.encode(), name.removesuffix(".xz"))):
            listed += f"\n {hashlib.sha256(content).hexdigest()} {len(content):>8} {entry}"
    now = datetime.datetime.now(datetime.UTC)
    rows = {
        "Origin": "Harbour", "Suite": suite, "Codename": suite, "Date": email.utils.format_datetime(now),
        "Valid-Until": email.utils.format_datetime(now + datetime.timedelta(days=valid_days)),
        "Architectures": architecture, "Components": "main",
        "SHA256": listed,
    }  # fmt: skip
    text = "".join(f"{key}: {value}\n" for key, value in rows.items())
    signed = pysequoia.sign(signer, text.encode(), mode=pysequoia.SignatureMode.CLEAR)
    (where / "InRelease").write_bytes(signed)


def _source(folder: Path, package: str, version: str, name: str, content: bytes) -> str:
    """Put an upstream's archive into the pool; the entry of its source package (deb-src(5))."""
    place = f"pool/main/{package}"
    (folder / place).mkdir(parents=True, exist_ok=True)
    (folder / place / name).write_bytes(content)
    digest = hashlib.sha256(content).hexdigest()
    rows = f"\n {'0' * 64} 10 {package}_{version}.debian.tar.xz\n {digest} {len(content)} {name}"
    return (
        f"Package: {package}\nFormat: 3.0 (quilt)\nVersion: {version}\nDirectory: {place}\nChecksums-Sha256:"
        f" {rows}\n"
    )
