"""Packages that a person put into a version with the runtime's own package tool."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from pathlib import Path

import msgspec

from zesty_anchor.files.inventory import Inventory
from zesty_anchor.manifest.recipe import InstalledPackages, Recipe
from zesty_anchor.shelf.receipt import files_in

_MOST_BYTES = 1 << 20
_MOST = 2000
"""More packages than this are not read."""


class Package(msgspec.Struct, frozen=True):
    """A package in a version: its name, and its own version."""

    name: str
    version: str

    @property
    def text(self) -> str:
        """As a package tool writes it."""
        return f"{self.name}@{self.version}" if self.version else self.name


class _Named(msgspec.Struct):
    """What of a package's JSON document counts (npm documentation, "package.json")."""

    name: str = ""
    version: str = ""


def packages_by_hand(folder: Path, recipe: Recipe, extras: Collection[str] = ()) -> tuple[Package, ...]:
    """The packages in a version that are neither part of it nor among the ``extras`` of the manifest, by
    name. Empty where the recipe does not say where packages are, or nobody knows what was installed.
    """
    listed = files_in(folder) if recipe.extras is not None and recipe.extras.packages else None
    if listed is None or recipe.extras is None:
        return ()
    found = {
        package.name: package
        for places in recipe.extras.packages
        for package in _found(folder, places, listed)
        if package.name not in extras
    }
    return tuple(found[name] for name in sorted(found))


def _found(folder: Path, places: InstalledPackages, listed: Inventory) -> Iterator[Package]:
    for number, file in enumerate(sorted(folder.glob(places.files))):
        if number == _MOST:
            return
        if str(file.relative_to(folder)) in listed or not file.is_file():
            continue
        package = _read(file, places.form)
        if package is not None:
            yield package


def _read(file: Path, form: str) -> Package | None:
    """The package that a file describes; None where it does not name one."""
    if form == "file name":
        named = re.fullmatch(r"(.+)-(\d[0-9A-Za-z.]*)(?:-.*)?", file.stem)
        return Package(named[1], named[2]) if named else None
    try:
        with file.open("rb") as opened:
            content = opened.read(_MOST_BYTES)
        if form == "json":
            document = msgspec.json.decode(content, type=_Named)
            return Package(document.name, document.version) if document.name else None
    except (OSError, msgspec.MsgspecError):
        return None
    from email.parser import BytesHeaderParser

    headers = BytesHeaderParser().parsebytes(content)
    return Package(str(headers["Name"]), str(headers["Version"] or "")) if headers["Name"] else None
