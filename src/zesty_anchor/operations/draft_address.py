"""A starter manifest for a tool whose one file is at an address: a feed, and what the file holds."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from urllib.parse import quote, unquote, urljoin, urlsplit

import msgspec

from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.links import Links
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.spelling import first_word, with_places
from zesty_anchor.feeds.sums import digests_in
from zesty_anchor.feeds.trust import trust_here
from zesty_anchor.feeds.web import WebBody
from zesty_anchor.operations.recipes import has_recipe
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.bounds import Bounds
from zesty_anchor.shelf.download import DigestDiffers, obtain
from zesty_anchor.shelf.inflate import CHUNK, Source, inflated
from zesty_anchor.shelf.place import content
from zesty_anchor.shelf.single import is_tar, put_single
from zesty_anchor.shelf.unpack import is_zip, unpack_tar, unpack_zip
from zesty_anchor.system.host import host
from zesty_anchor.system.problem import Problem, UsageProblem
from zesty_anchor.system.room import room as room_for

_VERSION = re.compile(r"v?(\d+(?:\.\d+)+(?:[-.]?(?:alpha|beta|rc)[.-]?\d*)?|\d+)(?![A-Za-z0-9])")
_LISTS = re.compile(r"sha(?:256|512)sums?|checksums?|shasums(?:256|512)?", re.IGNORECASE)
_RUNS = (b"\x7fELF", b"#!", b"\xcf\xfa\xed\xfe")
"""How a program begins: ELF (elf(5)), a script (execve(2)), Mach-O of 64 bits."""
_MOST_NAMED = 5
_MOST_COMMANDS = 12
"""As many commands are written into the recipe."""


class Place(msgspec.Struct, frozen=True):
    """What an address says: the runtime's ``name``, the ``version``, the ``folder`` that lists versions, the
    pattern of a ``file`` below that, and what must be in its list (``entry``).
    """

    name: str
    version: str
    folder: str
    file: str
    entry: str


def place_of(url: str, platform: str) -> Place:
    """An address taken apart. Raises ``UsageProblem`` where it names no file, or no version. Pure."""
    parts = urlsplit(url)
    *folders, file = [unquote(part) for part in parts.path.split("/")]
    if not file:
        raise UsageProblem(f"{url} names no file", advice="give the address of an archive, or of a program")
    outer = next((n for n in reversed(range(len(folders))) if _VERSION.fullmatch(folders[n])), None)
    in_folder = _VERSION.fullmatch(folders[outer]) if outer is not None else None
    found = in_folder or _VERSION.search(file, _version_start(file))
    if found is None:
        raise UsageProblem(
            f"neither {file} nor its folder has a version in its name",
            where=url,
            advice="give the address of one version, such as …/v1.2/tool or …/tool-1.2.tar.gz",
        )
    version = found[1]
    stem = file[: file.index(version)].removesuffix("v") if version in file else re.sub(r"\.\w+$", "", file)
    name = re.sub(r"[^A-Za-z0-9_-]", "", stem[: first_word(stem)]).strip("-_").lower()
    if not re.match(r"[a-z]", name):
        raise UsageProblem(
            f"{file} does not begin with the name of a tool", where=url, advice="write the manifest by hand"
        )
    above = folders[:outer] if outer is not None else folders
    inner = [*(folders[outer:] if outer is not None else []), file]
    pattern = "/".join(with_places(part.replace(version, "{version}"), platform) for part in inner)
    folder = f"{parts.scheme}://{parts.netloc}{'/'.join(map(quote, above))}/"
    return Place(name, version, folder, _named(pattern, name), inner[0])


def _version_start(file: str) -> int:
    """Where a version may begin: after a separator, not inside a word. Pure."""
    found = re.search(r"(?<=[-_.])v?\d+\.\d", file) or re.search(r"(?<=[-_])v?\d", file)
    return found.start() if found else len(file)


def _named(pattern: str, name: str) -> str:
    """A pattern with ``{name}`` in place of the name at the beginning of its last part. Pure."""
    outer, slash, file = pattern.rpartition("/")
    return f"{outer}{slash}{'{name}' + file[len(name) :] if file.startswith(name) else file}"


class _Inside(msgspec.Struct, frozen=True):
    """What a file holds: its digest, the folder of its commands (empty: it is the command itself), and
    those.
    """

    digest: str
    bin: str
    commands: tuple[str, ...]


def draft_address(workstation: Workstation, url: str) -> str:
    """The text of a manifest for the tool at ``url``. The file is fetched, and looked into; nothing of it
    runs.

    Raises ``UsageProblem`` where the address says too little, ``Problem`` where it cannot be fetched, is
    damaged, or is not the file that its list of digests names.
    """
    place = place_of(url, host().platform)
    trust = trust_here(workstation.environ, workstation.locations.home)
    web = Web(trust=trust, offline=workstation.offline)
    listed = _names(web, place.folder)
    file = unquote(url).rpartition("/")[2]
    if not listed:
        raise UsageProblem(
            f"{place.folder} does not list its files, so the available versions are unknown",
            where=url,
            advice='where a list in JSON is served, write a feed of kind = "json": zesty-anchor docs feeds',
        )
    if place.entry not in [name.rstrip("/") for name in listed]:
        named = ", ".join(listed[:_MOST_NAMED])
        raise UsageProblem(f"{place.folder} lists no {place.entry}", where=url, advice=f"it lists {named}")
    beside = url.rpartition("/")[0] + "/"
    near = listed if beside == place.folder else _names(web, beside)
    inside = _looked_into(web, url, place.name)
    sums = _sums(web, beside, near, file, inside.digest)
    signature = next((file + end for end in (".asc", ".sig") if file + end in near), "")
    return _manifest(place, inside, sums, signature, known=has_recipe(workstation, place.name))


def _manifest(place: Place, inside: _Inside, sums: str, signature: str, *, known: bool) -> str:
    name, feed = place.name, f"{place.name}-releases"
    rows = ["# Written by zesty-anchor draft. Read it, change it, then look with: zesty-anchor preview", ""]
    rows += [f"[feeds.{feed}]", 'kind = "listing"', f"url = {_text(place.folder)}"]
    rows += [f"file = {_text(place.file)}"]
    if sums:
        inner = f"{place.file.rpartition('/')[0]}/" if "/" in place.file else ""
        own = _named(sums.replace(place.version, "{version}"), name)
        rows += [f"sums = {_text(inner + own)}"]
    if signature:
        rows += [f"# {signature} is beside it; with its key, write:", f'# key = "keys/{name}.asc"']
    if not known:
        rows += ["", f"[recipes.{name}]", f"commands = {_text(inside.commands)}"]
        rows += ["binary = true  # the file is the command itself"] if not inside.bin else []
        rows += [f"bin = {_text([inside.bin])}"] if inside.bin not in ("", "bin") else []
        rows += ["# to have the version checked, too:"]
        rows += [f'# version = {{ run = "{inside.commands[0]} --version", expect = "*{{version}}*" }}']
    rows += ["", f"[runtimes.{name}]", 'want = "latest"', f'feed = "{feed}"']
    if not sums:
        rows += [f'unpinned = "accepted"  # no digest is published; today it is {inside.digest}']
    return "\n".join(rows) + "\n"


def _text(value: object) -> str:
    """A text or a list as TOML has it, which for these is JSON's form."""
    return json.dumps(value, ensure_ascii=False)


def _names(web: Web, folder: str) -> list[str]:
    """The names that the page of a folder links to; none where there is no such page. Raises ``Problem``
    where the server does not answer.
    """
    with suppress(NotThere):
        links = (link for link, _ in Links(web.text(folder, who="the server", pages=True)).found)
        own = (urljoin(folder, link.split("#")[0].split("?")[0]) for link in links)
        return [unquote(link[len(folder) :]) for link in own if link.startswith(folder)]
    return []


def _sums(web: Web, folder: str, near: list[str], file: str, digest: str) -> str:
    """The list that names the digest of a file; empty where there is none. Raises ``DigestDiffers``."""
    tried = [name for name in near if _LISTS.search(name) and not name.endswith((".asc", ".sig"))]
    for name in tried or ["SHA256SUMS", "checksums.txt"]:
        stated = ""
        with suppress(Problem):
            stated = digests_in(web.text(urljoin(folder, quote(name)), who="the server")).get(file, "")
        if stated.startswith("sha256:") and stated != digest:
            raise DigestDiffers(
                f"{file} is not the file that {name} names",
                where=f"there {stated}, fetched {digest}",
                advice="try it again later; if it stays so, tell whoever publishes it",
            )
        if stated:
            return name
    return ""


def _looked_into(web: Web, url: str, name: str) -> _Inside:
    """Fetch the file and unpack it."""

    def pass_over(source: Source, folder: Path, *, bounds: Bounds) -> None:
        while source.read(CHUNK):
            pass

    with room_for("draft", on_disk=True) as room:
        kept, out = room / "file", room / "out"
        out.mkdir()
        digest = obtain(
            lambda: WebBody(web.session, url, "the server"), "", None, kept, out, lambda done, total: None,
            unpack=pass_over,
        )  # fmt: skip
        with kept.open("rb") as opened:
            start = opened.read(CHUNK)
            if is_zip(start):
                unpack_zip(kept, out)
            elif is_tar(inflated(start, opened, Bounds()).read(512)):
                opened.seek(0)
                unpack_tar(opened, out)
            else:
                opened.seek(0)
                put_single(opened, out, bounds=Bounds(), command=name)
                return _Inside(digest, "", (name,))
        return _Inside(digest, *_commands(content(out, ("bin",)), name, url))


def _commands(folder: Path, name: str, url: str) -> tuple[str, tuple[str, ...]]:
    """The folder of a version that holds programs, and their names: that of the tool first."""
    found: dict[str, list[str]] = {}
    for file in _programs(folder):
        found.setdefault(os.path.relpath(file.parent, folder), []).append(file.name)
    if not found:
        raise Problem(
            "the archive contains no program", where=url, advice="zesty-anchor docs recipes says more"
        )
    bin = min(found, key=lambda part: (name not in found[part], part != "bin", part.count("/"), part))
    return bin, tuple(sorted(found[bin], key=lambda each: (each != name, each))[:_MOST_COMMANDS])


def _programs(folder: Path) -> Iterator[Path]:
    for file in sorted(folder.rglob("*")):
        if file.is_file() and not file.is_symlink() and not re.search(r"\.(?:so|dylib|dll|exe)\b", file.name):
            with file.open("rb") as opened:
                if opened.read(4).startswith(_RUNS) and (os.access(file, os.X_OK) or file.name == file.stem):
                    yield file
