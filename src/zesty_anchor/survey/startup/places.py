"""What is to go of an old install, as startup files speak of it: folders, files, and variables by name."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from pathlib import Path

Known = dict[str, str]
"""Variables that were found to hold a path in what is to go, with their values."""

_MORE = re.compile(r"[;&|\n]")
"""Begins a further command (POSIX.1-2017, 2.9.3 "Lists"; csh(1), fish(1): the same signs)."""

_UNQUOTED = str.maketrans("", "", "\"'\\\n")
"""Takes out what quotes."""


class Places:
    """Folders and files with every path that leads there, and variables (``names``), whose every use counts.

    ``spelled`` are further paths of the same folders, through links.
    """

    def __init__(
        self,
        home: Path,
        folders: Iterable[Path] = (),
        names: Iterable[str] = (),
        spelled: Iterable[Path] = (),
    ) -> None:
        self.home = str(home)
        self.names = tuple(names)
        self.folders = tuple(dict.fromkeys(str(path) for path in (*folders, *spelled)))
        self.known: Known = {name: f"/\0variable/{name}" for name in self.names}
        within = (*self.folders, *self.known.values())
        self._found = re.compile("|".join(re.escape(path) + r"(?![\w.-])" for path in within) or r"(?!)")
        self._prefixes = tuple(f"{path}/" for path in within)
        self._within = frozenset(within)
        self._tails = tuple({os.path.basename(path).translate(_UNQUOTED) for path in self.folders})

    def with_values(self, values: Iterable[str]) -> Places:
        """The same, with what the variables hold."""
        found = [Path(value) for value in values]
        return Places(Path(self.home), [*map(Path, self.folders), *found], self.names) if found else self

    def may_speak(self, text: str, known: Iterable[str]) -> bool:
        """A quick look: most texts name neither a folder nor a variable that leads there."""
        if any(name in text for name in known) or any(tail in text for tail in self._tails):
            return True
        plain = text.translate(_UNQUOTED)
        return any(tail in plain for tail in self._tails)

    def speaks(self, plain: str) -> bool:
        """Whether a text, with variables written out, speaks of what is to go."""
        return self._found.search(_tidy(plain)) is not None

    def folder_in(self, text: str) -> str:
        """The first of the folders that a text names, where digits may have been made 0; else empty."""
        tidy = re.sub(r"\d+", "0", _tidy(self.plain(text, {})))
        return next(
            (
                each
                for each in self.folders
                if re.search(re.escape(re.sub(r"\d+", "0", each)) + r"(?![\w.-])", tidy)
            ),
            "",
        )

    def within(self, plain: str) -> bool:
        """Whether a text, with variables written out, is a path there, or runs one program there with its
        arguments and nothing besides.
        """
        if not plain.startswith("/"):
            return False
        path = _tidy(plain)
        if path in self._within:
            return True
        before = next((each for each in self._prefixes if path.startswith(each)), None)
        return before is not None and not _MORE.search(path, len(before))

    def plain(self, text: str, known: Known) -> str:
        """Shell text with the home and known variables written out and quotes dropped: good for looking, not
        for running.
        """
        if "$" in text:
            for name, value in {"HOME": self.home, **known}.items():
                if name in text:
                    word = re.escape(name)
                    pattern = rf"""(["']?)\{{?\$(?:{word}\b|\{{{word}(?::?-[^}}]*)?\}})\}}?\1"""
                    text = re.sub(pattern, lambda _, v=value: v, text)  # type: ignore[misc]
        if "~" in text:
            text = re.sub(r"(?<![\w/.~-])~(?=/|$|:|\s|\)|\"|')", lambda _: self.home, text)
        return text.replace('"', "").replace("'", "").replace("\\\n", "").replace("\\ ", " ")


def _tidy(text: str) -> str:
    """A text whose paths are spelled in the plainest way: no doubled slash, no ``.``, no ``..`` after a
    name.
    """
    if "//" not in text and "/." not in text:
        return text.rstrip("/") if text.count("/") > 1 else text
    text = re.sub(r"/(?:\.?/)+", "/", text)
    while True:
        shorter = re.sub(r"/(?!\.\.(?:/|$))[^/:\s\"']+/\.\.(?=[/:\s)]|$)", "", text, count=1)
        if shorter == text:
            return text.rstrip("/") if text.count("/") > 1 else text
        text = shorter


def outermost(paths: Iterable[Path]) -> tuple[Path, ...]:
    """The paths without those that go with another one: below it, also by way of a link."""
    found = {Path(os.path.realpath(path.parent), path.name): path for path in paths}
    real = {place: Path(os.path.realpath(place)) for place in found}
    return tuple(
        path
        for place, path in found.items()
        if not any(
            other in place.parents or (real[other] in place.parents) for other in found if other != place
        )
    )


def other_spellings(folders: Iterable[Path], home: Path) -> list[Path]:
    """Further paths of these folders: where they really are, and through links that stand in the home."""
    found: list[Path] = []
    wanted = [(folder, Path(os.path.realpath(folder))) for folder in folders]
    found += [real for folder, real in wanted if real != folder]
    for entry in os.scandir(home) if home.is_dir() else ():
        if not entry.is_symlink():
            continue
        leads = Path(os.path.realpath(entry.path))
        for folder, real in wanted:
            if real == leads or leads in real.parents:
                found.append(Path(entry.path, real.relative_to(leads)))
            elif real in leads.parents and Path(entry.path) != folder:
                found.append(Path(entry.path))
    return [path for path in dict.fromkeys(found) if path not in folders]
