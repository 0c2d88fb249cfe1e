"""Feeds of kind ``debian``: an archive in the Debian repository format (wiki.debian.org,
DebianRepository/Format).

A suite's InRelease is signed, and holds the digests of its indexes; an index holds those of the packages. Of
an index only the wanted entries are read, as it arrives.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING
from urllib.parse import urljoin

from zesty_anchor.feeds.feed import Around, Feed, Supply, folder_address
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Piece, Release
from zesty_anchor.manifest.version import Version
from zesty_anchor.system.host import libc_version
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.system.apt_archive import Suite

_ARCHITECTURES = {"x86_64": "amd64", "aarch64": "arm64", "armv7l": "armhf", "i686": "i386"}
_ENDINGS = (".xz", ".gz")
_AT_ONCE = 2
_UPSTREAM = re.compile(r"\.orig\.tar\.(?:xz|gz|bz2|zst)$")
_LIBC = re.compile(r"\blibc6 \(>= ([0-9.]+)")
_LARGEST_STANZA = 1 << 20

Stanza = dict[str, str]
"""The fields of a package in an index (deb822(5)), those that span several rows joined."""


class DebianFeed(Feed):
    """The suites of the archive that the manifest names, else of the one that apt is set to, through apt's
    proxy. The recipe says which packages make a version.
    """

    title = "Debian"
    noun, usual = "the archive", "the system's package archive"
    own_address = True
    signed_lists = True

    def __init__(self, supply: Supply, around: Around) -> None:
        from zesty_anchor.system import apt_archive

        super().__init__(supply, around)
        if supply.source is None or not (supply.source.names or supply.source.sources):
            raise UsageProblem(
                f"the recipe of {supply.product!r} does not say which packages of a Debian archive make a"
                " version",
                advice=(
                    'add a feed to it: [[feeds]] kind = "debian", names = ["…"], or sources = ["…"]'
                    " (zesty-anchor docs recipes)"
                ),
            )
        self._source = supply.source
        if supply.url is not None:
            address = folder_address(supply.url)
            self.suites = [apt_archive.Suite(address, name, named=True) for name in supply.suites]
        else:
            self.suites = apt_archive.suites_here(around.environ, supply.suites)
        for url in {suite.url for suite in self.suites}:
            self.web.go_through(url, apt_archive.proxy(url, around.environ))
        self.keyrings = [supply.key] if supply.key else apt_archive.keyrings()
        self.libc = libc_version()

    @property
    def address(self) -> str:
        """The archive's."""
        return self.suites[0].url

    def releases(self, product: str, platform: str) -> list[Release]:
        """Every version that a suite has, that of the first suite which has it."""
        system, _, machine = platform.partition("-")
        if system != "linux" or machine not in _ARCHITECTURES:
            raise Problem(
                f"{self.who} has nothing for {platform}", advice="name another feed in the manifest"
            )
        from concurrent.futures import ThreadPoolExecutor

        with ThreadPoolExecutor(_AT_ONCE) as pool:
            found = list(pool.map(lambda suite: self._of_suite(suite, _ARCHITECTURES[machine]), self.suites))
        refused = [each for each in found if isinstance(each, Problem)]
        listed = [each for each in found if not isinstance(each, Problem)]
        if not listed and refused:
            raise refused[0]
        releases: dict[str, Release] = {}
        for release in (release for each in listed for release in each):
            releases.setdefault(release.version, release)
        return list(releases.values())

    def _of_suite(self, suite: Suite, architecture: str) -> list[Release] | Problem:
        """What a suite offers; or the problem, where it is one that nobody named, and that may not be there,
        or be old.
        """
        where = urljoin(suite.url, f"dists/{suite.name}/")
        try:
            digests = self._digests(suite, where)
            kind = "source/Sources" if self._source.sources else f"binary-{architecture}/Packages"
            found = (self._stanzas(where, digests, f"{each}/{kind}") for each in suite.components)
            stanzas = [stanza for each in found for stanza in each]
        except Problem as problem:
            if suite.named:
                raise
            if not isinstance(problem, NotThere):
                self.web.remarks.setdefault(f"{suite.name} is passed over: {problem}")
            return problem
        return list(self._built(stanzas, suite) if self._source.sources else self._versions(stanzas, suite))

    def _digests(self, suite: Suite, where: str) -> dict[str, str]:
        """The SHA-256 of each index of a suite. Raises ``SignatureRefused``, or ``Problem`` where it is out
        of date.
        """
        url = where + "InRelease"
        signed = self.web.document(url, who=self.who)[1]
        import datetime
        import email.utils

        from zesty_anchor.system.signature import signed_text

        text = signed_text(signed, self.keyrings, url).decode("utf-8", "replace")
        fields = _fields(text)
        if suite.name not in (fields.get("Codename"), fields.get("Suite")):
            raise Problem(
                f"{self.who} gives another suite than {suite.name}:"
                f" {fields.get('Codename') or fields.get('Suite')}",
                where=url,
                advice="check the address of the archive",
            )
        until = email.utils.parsedate_to_datetime(fields["Valid-Until"]) if "Valid-Until" in fields else None
        if until is not None and until < datetime.datetime.now(datetime.UTC) and not self.web.offline:
            raise Problem(
                f"what {self.who} says of {suite.name} was valid until {until:%Y-%m-%d}",
                where=url,
                advice="the mirror is out of date: name another one; or the clock of this machine is wrong",
            )
        rows = (row.split() for row in fields.get("SHA256", "").split("\n"))
        return {row[2]: row[0] for row in rows if len(row) == 3}

    def _stanzas(self, where: str, digests: Mapping[str, str], index: str) -> list[Stanza]:
        """The wanted entries of one index; none where the suite has no such index."""
        listed = self._source.sources or self._source.names
        names = "|".join(re.escape(name).replace(r"\{line\}", r"\d+") for name in listed)
        for ending in _ENDINGS:
            path = index + ending
            if path in digests:
                wanted = re.compile(rf"Package: (?:{names})\n".encode())
                distil = functools.partial(_distilled, wanted, path)
                kept = self.web.distilled(where + path, f"sha256:{digests[path]}", names, self.who, distil)
                return [_fields(stanza) for stanza in kept.decode("utf-8", "replace").split("\n\n") if stanza]
        return []

    def _versions(self, stanzas: Iterable[Stanza], suite: Suite) -> Iterator[Release]:
        """The versions of which every package is there, in one and the same version."""
        packages = {(each.get("Package", ""), each.get("Version", "")): each for each in stanzas}
        first = re.compile(re.escape(self._source.names[0]).replace(r"\{line\}", r"(?P<line>\d+)"))
        for (name, full), main in packages.items():
            own, found = first.fullmatch(name), re.match(self._source.version or r"(?:\d+:)?([^-]+)", full)
            if own is None or found is None:
                continue
            names = [each.replace("{line}", own.groupdict().get("line", "")) for each in self._source.names]
            parts = [packages.get((each, full)) for each in names]
            if None in parts:
                continue
            pieces = [_piece(each, suite) for each in parts if each is not None]
            yield Release(
                version=found[1], url=pieces[0].url, digest=pieces[0].digest, size=pieces[0].size,
                parts=tuple(pieces[1:]), lacking=self._lacking([main, *(p for p in parts if p is not None)]),
            )  # fmt: skip

    def _built(self, stanzas: Iterable[Stanza], suite: Suite) -> Iterator[Release]:
        """The versions of which the archive has the upstream's own sources (deb-src(5), "orig")."""
        for stanza in stanzas:
            found = re.match(self._source.version or r"(?:\d+:)?([^-]+)", stanza.get("Version", ""))
            rows = (row.split() for row in stanza.get("Checksums-Sha256", "").split("\n"))
            archive = next((row for row in rows if len(row) == 3 and _UPSTREAM.search(row[2])), None)
            if found is not None and archive is not None:
                digest, size, name = archive
                url = urljoin(suite.url, f"{stanza.get('Directory', '')}/{name}")
                yield Release(
                    version=found[1], url=url, digest=f"sha256:{digest}", size=int(size), source=True
                )

    def _lacking(self, packages: Iterable[Stanza]) -> str:
        depends = " ".join(f"{each.get('Pre-Depends', '')} {each.get('Depends', '')}" for each in packages)
        newest = max(_LIBC.findall(depends), key=Version, default="")
        if not newest or not self.libc or Version(newest) <= Version(self.libc):
            return ""
        return f"it needs a newer system: libc6 {newest}, and this one has {self.libc}"


def _piece(stanza: Stanza, suite: Suite) -> Piece:
    return Piece(
        stanza["Package"],
        stanza["Version"],
        urljoin(suite.url, stanza["Filename"]),
        f"sha256:{stanza['SHA256']}",
        int(stanza["Size"]),
    )


def _fields(stanza: str) -> Stanza:
    """The fields of one paragraph (deb822(5)). Pure."""
    found: Stanza = {}
    name = ""
    for row in stanza.split("\n"):
        if row[:1] in (" ", "\t"):
            found[name] = f"{found.get(name, '')}\n{row.strip()}"
        elif ":" in row:
            name, _, value = row.partition(":")
            found[name] = value.strip()
    return found


def _distilled(wanted: re.Pattern[bytes], index: str, chunks: Iterable[bytes]) -> bytes:
    return b"\n\n".join(_picked(_inflated(chunks, index), wanted))


def _inflated(chunks: Iterable[bytes], index: str) -> Iterator[bytes]:
    """The content of an index, as it arrives. Raises ``ValueError`` where it is damaged."""
    import lzma
    import zlib

    decoder = lzma.LZMADecompressor() if index.endswith(".xz") else zlib.decompressobj(wbits=31)
    try:
        for chunk in chunks:
            yield decoder.decompress(chunk)
    except (lzma.LZMAError, zlib.error, EOFError) as error:
        raise ValueError(str(error)) from None


def _picked(content: Iterable[bytes], wanted: re.Pattern[bytes]) -> Iterator[bytes]:
    """The stanzas whose first row fits: each begins with the field Package (DebianRepository/Format,
    "Packages" Indices).
    """
    rest = b""
    for chunk in content:
        *whole, rest = (rest + chunk).split(b"\n\n")
        if len(rest) > _LARGEST_STANZA:
            raise ValueError("an entry of it has no end")
        yield from (stanza for stanza in whole if wanted.match(stanza))
    if wanted.match(rest):
        yield rest.rstrip(b"\n")
