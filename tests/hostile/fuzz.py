"""Fuzzing with coverage, where atheris installs: every reader of something from outside ends with our own
error, or well.

python tests/hostile/fuzz.py READER SECONDS a reader of READERS; what breaks it is written beside, and told
"""

from __future__ import annotations

import io
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import atheris

with atheris.instrument_imports(include=["zesty_anchor"]):
    from zesty_anchor.feeds.documents import Web
    from zesty_anchor.feeds.feed import Supply
    from zesty_anchor.feeds.open import Feeds
    from zesty_anchor.manifest.lock import read as read_lock
    from zesty_anchor.manifest.pin import read_pins
    from zesty_anchor.manifest.read import parse_manifest
    from zesty_anchor.manifest.recipe import Recipe
    from zesty_anchor.manifest.want import Want
    from zesty_anchor.shelf.deb_package import unpack_deb
    from zesty_anchor.shelf.unpack import unpack_tar, unpack_zip
    from zesty_anchor.system.problem import Problem

RECIPE = Recipe(commands=("kelp",))
MAP = {"releases": "@", "version": "version", "file": "file"}


def archive(unpack: Callable[[io.BytesIO, Path], None]) -> Callable[[bytes], None]:
    def read(data: bytes) -> None:
        with tempfile.TemporaryDirectory(dir="/dev/shm") as folder:
            unpack(io.BytesIO(data), Path(folder))

    return read


def zipped(data: bytes) -> None:
    with tempfile.TemporaryDirectory(dir="/dev/shm") as folder:
        file = Path(folder, "a.zip")
        file.write_bytes(data)
        Path(folder, "out").mkdir()
        unpack_zip(file, Path(folder, "out"))


def lock(data: bytes) -> None:
    with tempfile.NamedTemporaryFile(dir="/dev/shm") as file:
        Path(file.name).write_bytes(data)
        read_lock(Path(file.name))


def feed(kind: str) -> Callable[[bytes], None]:
    class Told(Web):
        def document(
            self, url: str, *, who: str, accept: str = "*/*", pages: bool = False
        ) -> tuple[str, bytes]:
            return ("application/json", self.told)

        told = b""

    def read(data: bytes) -> None:
        web = Told()
        web.told = data
        Feeds({}, Path("/"), web).releases(
            Supply("h", kind, "http://a/", "kelp", map=MAP), RECIPE, "linux-x86_64"
        )

    return read


def want(data: bytes) -> None:
    try:
        Want(data.decode("utf-8", "replace"))
    except ValueError:
        return


READERS: dict[str, Callable[[bytes], object]] = {
    "tar": archive(unpack_tar),
    "deb": archive(unpack_deb),
    "zip": zipped,
    "manifest": lambda data: parse_manifest(data.decode("utf-8", "replace"), Path("/workstation.toml")),
    "lock": lock,
    "pins": lambda data: [
        read_pins(name, data, {"kelp": RECIPE}) for name in ("workstation.toml", ".kelp-version")
    ],
    "want": want,
    **{kind: feed(kind) for kind in ("index", "npm", "pypi", "json", "listing")},
}


def main() -> None:
    reader = READERS[sys.argv[1]]

    def once(data: bytes) -> None:
        try:
            reader(data)
        except Problem:
            return

    atheris.Setup(
        [
            sys.argv[0],
            f"-max_total_time={sys.argv[2]}",
            "-max_len=4096",
            "-rss_limit_mb=1000",
            "-verbosity=0",
        ],
        once,
    )
    atheris.Fuzz()


if __name__ == "__main__":
    main()
