"""What a manifest was read from: the files that it is made of, and where each of its keys is."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.files.digest import digest_of
from zesty_anchor.manifest.position import Step, line_of


class Layer(msgspec.Struct, frozen=True):
    """One text that a manifest is made of, and the file that it is in. ``address`` is where it was fetched
    from (empty: it is a file of this machine), ``pinned`` the digest that a lock knows it by.
    """

    file: Path
    text: str
    address: str = ""
    pinned: str = ""

    @property
    def in_repository(self) -> bool:
        """Whether the address is that of a file in a repository: ``ADDRESS#FILE``."""
        return "#" in self.address


class Source(msgspec.Struct, frozen=True):
    """The layers of a manifest, the base first and the person's own last, and the ``tables`` that they come
    to.

    ``origins`` has the layer, by its number, and the path in it of each key that is not the own layer's at
    the same path; what is below such a key is there too.
    """

    layers: tuple[Layer, ...] = ()
    tables: Mapping[str, Any] = {}
    origins: Mapping[tuple[Step, ...], tuple[int, tuple[Step, ...]]] = {}

    @property
    def file(self) -> Path:
        """The person's own file."""
        return self.layers[-1].file if self.layers else Path()

    @property
    def text(self) -> str:
        """What the person's own file says."""
        return self.layers[-1].text if self.layers else ""

    @property
    def bases(self) -> dict[str, str]:
        """The files of the bases, each with the SHA-256 of its text in hexadecimal digits."""
        return {
            str(layer.file): digest_of(layer.text.encode("utf-8"))
            for layer in self.layers[:-1]
            if not layer.address
        }

    @property
    def pins(self) -> dict[str, str]:
        """The addresses of the bases that a lock pins, each with its digest."""
        return {layer.address: layer.pinned for layer in self.layers if layer.pinned}

    def place(self, *path: Step) -> str:
        """The file and the line of a key, or of the nearest table around it."""
        layer, inner = self._at(path)
        return f"{layer.file}:{line_of(layer.text, inner)}"

    def _at(self, path: tuple[Step, ...]) -> tuple[Layer, tuple[Step, ...]]:
        for end in range(len(path), 0, -1):
            if path[:end] in self.origins:
                number, inner = self.origins[path[:end]]
                return self.layers[number], (*inner, *path[end:])
        return self.layers[-1] if self.layers else Layer(Path(), ""), path


def of_one(text: str, file: Path, tables: Mapping[str, Any]) -> Source:
    """The source of a text that has no base."""
    return Source((Layer(file, text),), tables)
