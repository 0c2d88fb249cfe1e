"""Archives that somebody made to do harm, each with the few bytes that it takes."""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import stat
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Callable
from functools import partial

import zstandard

PACKED: dict[str, Callable[[bytes], bytes]] = {
    "gz": lambda data: gzip.compress(data, 6, mtime=0),
    "bz2": bz2.compress,
    "xz": lambda data: lzma.compress(data, preset=0),
    "zst": lambda data: zstandard.ZstdCompressor(level=3).compress(data),
}
MEGABYTE = 1 << 20
ZEROS = bytes(16 * MEGABYTE)


def member(name: str, data: bytes = b"", **more: object) -> tuple[tarfile.TarInfo, bytes]:
    info = tarfile.TarInfo(name)
    info.size, info.mode = len(data), 0o644
    for key, value in more.items():
        setattr(info, key, value)
    return info, data


def link(name: str, target: str, kind: bytes = tarfile.SYMTYPE) -> tuple[tarfile.TarInfo, bytes]:
    return member(name, type=kind, linkname=target)


def tar(*members: tuple[tarfile.TarInfo, bytes], form: int = tarfile.GNU_FORMAT) -> bytes:
    plain = io.BytesIO()
    with tarfile.open(fileobj=plain, mode="w", format=form) as archive:
        for info, data in members:
            archive.addfile(info, io.BytesIO(data) if data else None)
    return plain.getvalue()


def header(name: str, size: int, kind: bytes = tarfile.REGTYPE) -> bytes:
    """A header alone, whatever it announces."""
    info = tarfile.TarInfo(name)
    info.type, info.size = kind, size
    return info.tobuf(tarfile.GNU_FORMAT)


def zipped(*members: tuple[str, bytes, int], how: int = zipfile.ZIP_DEFLATED) -> bytes:
    """A zip archive; the number is the mode."""
    plain = io.BytesIO()
    with zipfile.ZipFile(plain, "w", how) as archive:
        for name, data, mode in members:
            info = zipfile.ZipInfo(name)
            info.external_attr, info.compress_type = mode << 16, how
            archive.writestr(info, data)
    return plain.getvalue()


def deb(data: bytes, name: str = "data.tar.gz", size: int | None = None) -> bytes:
    def part(name: str, content: bytes, size: int | None = None) -> bytes:
        head = f"{name:<16}{0:<12}{0:<6}{0:<6}{'100644':<8}{len(content) if size is None else size:<10}`\n"
        return head.encode() + content + b"\n" * (len(content) % 2)

    return b"!<arch>\n" + part("debian-binary", b"2.0\n") + part(name, data, size)


def overlapping() -> bytes:
    """Many members that share one member's bytes."""
    whole = zipped(("kelp/0", bytes(4 * MEGABYTE), 0o100644))
    with zipfile.ZipFile(io.BytesIO(whole)) as archive:
        info = archive.infolist()[0]
    local = whole[: whole.index(b"PK\x01\x02")]
    entry = whole[whole.index(b"PK\x01\x02") : whole.rindex(b"PK\x05\x06")]
    entries = b"".join(entry.replace(b"kelp/0", b"kelp/%c" % (97 + n)) for n in range(20))
    end = struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, 20, 20, len(entries), len(local), 0)
    assert info.header_offset == 0
    return local + entries + end


def claiming(count: int) -> bytes:
    """A zip archive whose end record tells of more members than there are."""
    whole = bytearray(zipped(("kelp/a", b"a", 0o100644)))
    end = whole.rindex(b"PK\x05\x06")
    record = struct.pack("<4sQ2H2L4Q", b"PK\x06\x06", 44, 45, 45, 0, 0, count, count, 46, 0)
    return bytes(whole[:end]) + record + bytes(whole[end:])


def lying(field: int, value: int) -> bytes:
    """A zip archive whose directory tells another size (APPNOTE.TXT 4.3.12: at ``field`` of the entry)."""
    whole = bytearray(zipped(("kelp/a", b"abc" * 100, 0o100644)))
    entry = whole.index(b"PK\x01\x02")
    struct.pack_into("<L", whole, entry + field, value)
    return bytes(whole)


def pax(key: str, value: str) -> tarfile.TarInfo:
    info = tarfile.TarInfo("kelp/a")
    info.pax_headers = {key: value}
    return info


def deep(count: int) -> str:
    return "kelp/" + "d/" * count + "f"


ATTACKS: dict[str, bytes] = {
    "an absolute path": tar(member("/tmp/x", b"x")),
    "a path that leaves": tar(member("kelp/../../x", b"x")),
    "a path that leaves at its end": tar(member("kelp/..", type=tarfile.DIRTYPE)),
    "a link to an absolute path": tar(link("kelp/etc", "/etc")),
    "a link that leaves": tar(link("kelp/up", "../../x")),
    "a link to the folder around the only one": tar(member("kelp/a", b"a"), link("kelp/up", "..")),
    "a link through another to the folder around": tar(member("kelp/b/a", b"a"), link("kelp/b/up", ".."),
    link("kelp/upper", "b/up/..")),
    "a file through a link": tar(link("kelp/d", "."), member("kelp/d/x", b"x")),
    "a folder through a link": tar(link("kelp/d", "e"), member("kelp/d/x/y", type=tarfile.DIRTYPE)),
    "a chain that leaves": tar(member("kelp/a/b/c", b"x"), link("kelp/l", "a/b"), link("kelp/m",
    "l/../../.."), link("kelp/n", "m/..")),
    "links in a circle": tar(link("kelp/a", "b"), link("kelp/b", "a")),
    "a link to itself": tar(link("kelp/a", "a")),
    "a chain of a hundred links": tar(*(link(f"kelp/l{n}", f"l{n + 1}") for n in range(100)),
    member("kelp/l100", b"x")),
    "setuid": tar(member("kelp/a", b"a", mode=0o4755)),
    "setgid": tar(member("kelp/a", b"a", mode=0o2755)),
    "setuid folder": tar(member("kelp/a", type=tarfile.DIRTYPE, mode=0o4755)),
    "a device": tar(member("kelp/null", type=tarfile.CHRTYPE)),
    "a disk": tar(member("kelp/disk", type=tarfile.BLKTYPE)),
    "a pipe": tar(member("kelp/pipe", type=tarfile.FIFOTYPE)),
    "a member of no known kind": tar(member("kelp/x", type=b"Q")),
    "a hard link to what is not there": tar(link("kelp/passwd", "/etc/passwd", tarfile.LNKTYPE)),
    "a hard link that leaves": tar(link("kelp/passwd", "../../etc/passwd", tarfile.LNKTYPE)),
    "a hard link to a link": tar(link("kelp/l", "a"), link("kelp/h", "kelp/l", tarfile.LNKTYPE)),
    "a hard link to a folder": tar(member("kelp/d", type=tarfile.DIRTYPE), link("kelp/h", "kelp/d",
    tarfile.LNKTYPE)),
    "a path of five thousand letters": tar(member("kelp/" + "/".join(["n" * 200] * 25), b"x")),
    "a name of three hundred letters": tar(member("kelp/" + "n" * 300, b"x")),
    "a thousand folders deep": tar(member(deep(1000), b"x")),
    "a link of five thousand letters": tar(link("kelp/l", "a/" * 2500)),
    "a file with holes": tar(member("kelp/a", type=tarfile.GNUTYPE_SPARSE)),
    "a file with holes, by a header": tar((pax("GNU.sparse.major", "1"), b""), form=tarfile.PAX_FORMAT),
    "a header of a megabyte": tar((pax("comment", "c" * MEGABYTE), b""), form=tarfile.PAX_FORMAT),
    "a long name of a megabyte": tar(member("kelp/" + "/".join(["n" * 200] * 5000), b"x")),
    "a long link of a megabyte": tar(link("kelp/l", "l" * MEGABYTE)),
    "a long name that never comes": header("kelp", 1 << 30, tarfile.GNUTYPE_LONGNAME) + bytes(1024),
    "a header that never comes": header("kelp", 1 << 30, tarfile.XHDTYPE) + bytes(1024),
    "more bytes than there are": header("kelp/a", 1 << 33) + b"x" * 512,
    "a file in place of its folder": tar(member("kelp/a", b"x"), member("kelp/a/b", b"x")),
    "a folder in place of its file": tar(member("kelp/a/b", b"x"), member("kelp/a", b"x")),
    "a link in place of a folder": tar(member("kelp/a/b", b"x"), link("kelp/a", "c")),
    "nothing but noise": b"\x1f\x8b" + bytes(range(256)) * 10,
    "cut off in the middle": gzip.compress(tar(member("kelp/a",
    zlib.compress(bytes(range(256)) * 400) * 9)))[:400],
    "a page of a web server": b"<html><title>404</title></html>" * 100,
    "a checksum that is wrong": tar(member("kelp/a", b"a")).replace(b"kelp/a", b"kelp/b", 1),
    "a size that is no number": tar(member("kelp/a", b"a")).replace(b"00000000001\0", b"zzzzzzzzzzz\0", 1),
    "zip: an absolute path": zipped(("/tmp/x", b"x", 0o100644)),
    "zip: a path that leaves": zipped(("kelp/../../x", b"x", 0o100644)),
    "zip: a link that leaves": zipped(("kelp/up", b"../../x", 0o120777)),
    "zip: a link to the folder around the only one": zipped(("kelp/a", b"a", 0o100644), ("kelp/up", b"..",
    0o120777)),
    "zip: a file through a link": zipped(("kelp/d", b".", 0o120777), ("kelp/d/x", b"x", 0o100644)),
    "zip: a link of a megabyte": zipped(("kelp/up", b"a/" * (MEGABYTE // 2), 0o120777)),
    "zip: setuid": zipped(("kelp/a", b"a", 0o104755)),
    "zip: a device": zipped(("kelp/null", b"", stat.S_IFCHR | 0o644)),
    "zip: a pipe": zipped(("kelp/p", b"", stat.S_IFIFO | 0o644)),
    "zip: members that share bytes": overlapping(),
    "zip: a billion members": claiming(10**9),
    "zip: less than is told": lying(24, 10**6),
    "zip: more than is told": lying(24, 10),
    "zip: a size of its own beyond the file": lying(20, 10**9),
    "zip: a place beyond the file": lying(42, 10**6),
    "zip: a file in place of its folder": zipped(("kelp/a", b"x", 0o100644), ("kelp/a/b", b"x", 0o100644)),
    "zip: cut off": zipped(("kelp/a", b"abc" * 10_000, 0o100644))[:100],
    "deb: no files": deb(b"", "control.tar.gz"),
    "deb: a path that leaves": deb(gzip.compress(tar(member("./../x", b"x")))),
    "deb: a device": deb(gzip.compress(tar(member("./dev/null", type=tarfile.CHRTYPE)))),
    "deb: a size beyond the file": deb(gzip.compress(tar(member("./a", b"x"))), size=10**9),
    "deb: a size that is no number": deb(b"x").replace(b"`\n", b"x\n"),
}  # fmt: skip


def endless(kind: str, start: bytes, repeated: bytes, times: int) -> bytes:
    """A stream whose beginning is given, then the same over and over, in members or frames of their own."""
    pack = PACKED[kind]
    return pack(start) + pack(repeated) * times


def _endless_headers(kind: str, some: bytes) -> bytes:
    return endless(kind, b"", some * 200, 40)


def bombs() -> dict[str, Callable[[], bytes]]:
    """Forty archives that grow, each made when it is called: to pack them takes its time."""
    found: dict[str, Callable[[], bytes]] = {}
    many = header("kelp/", 0, tarfile.DIRTYPE) * 16_384
    named = tar(member("kelp/" + "/".join(["n" * 200] * 300), b"x"))[:62_464]
    noted = tar((pax("comment", "c" * 60_000), b""), form=tarfile.PAX_FORMAT).rstrip(b"\0")
    noted += bytes(-len(noted) % 512)
    for kind, pack in PACKED.items():
        large = partial(endless, kind, header("kelp/a", 1 << 35), ZEROS)
        found[f"{kind}: one large file"] = partial(large, 20)
        found[f"{kind}: a file of gigabytes"] = partial(large, 400 if kind == "zst" else 60)
        found[f"{kind}: long names without end"] = partial(_endless_headers, kind, named)
        found[f"{kind}: headers without end"] = partial(_endless_headers, kind, noted)
        found[f"{kind}: blocks of zeros"] = partial(
            endless, kind, tar(member("kelp/a", b"a"))[:1024], ZEROS, 30
        )
        found[f"{kind}: packed twice"] = partial(_twice, pack, partial(large, 20))
        found[f"deb, {kind}: one large file"] = partial(_in_deb, kind)
    found["gz: members without end"] = partial(endless, "gz", b"", many, 70)
    for name, how in (
        ("deflate", zipfile.ZIP_DEFLATED),
        ("bzip2", zipfile.ZIP_BZIP2),
        ("lzma", zipfile.ZIP_LZMA),
    ):
        found[f"zip, {name}: one large file"] = partial(_zipped_zeros, 1, 10 * len(ZEROS), how)
        found[f"zip, {name}: many files"] = partial(_zipped_zeros, 30, 4 * MEGABYTE, how)
    found["zip: members that share bytes"] = overlapping
    found["zip: a billion members"] = partial(claiming, 10**9)
    dictionary = [{"id": lzma.FILTER_LZMA2, "preset": 6, "dict_size": 1 << 29}]
    found["xz: memory that it asks for"] = partial(
        lzma.compress, tar(member("kelp/a", b"a")), filters=dictionary
    )
    window = zstandard.ZstdCompressionParameters.from_level(3, window_log=27, source_size=1 << 27)
    found["zst: memory that it asks for"] = partial(_windowed, window)
    found["tar: more bytes than there are"] = lambda: header("kelp/a", 1 << 40) + b"x" * 512
    found["tar: a header that never comes"] = lambda: header("kelp", 1 << 40, tarfile.XHDTYPE) + bytes(1024)
    return found


def _zipped_zeros(count: int, size: int, how: int) -> bytes:
    zeros = bytes(size)
    return zipped(*((f"kelp/{n}", zeros, 0o100644) for n in range(count)), how=how)


def _twice(pack: Callable[[bytes], bytes], make: Callable[[], bytes]) -> bytes:
    return pack(make())


def _in_deb(kind: str) -> bytes:
    return deb(endless(kind, header("./a", 1 << 35), ZEROS, 20), f"data.tar.{kind}")


def _windowed(window: zstandard.ZstdCompressionParameters) -> bytes:
    """A frame that says it looks back over all of that."""
    compressor = zstandard.ZstdCompressor(compression_params=window).compressobj()
    return compressor.compress(tar(member("kelp/a", b"a"))) + compressor.flush()
