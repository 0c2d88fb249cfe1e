"""Which version is in effect in a folder, and what decided it: session, project, default, the narrower wins."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.files import own_folders
from zesty_anchor.manifest.model import Recipe
from zesty_anchor.manifest.pin import Pin, names, read_pins
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.shelf.receipt import Receipt
from zesty_anchor.system.locations import Locations

SESSION = "ZESTY_ANCHOR_SESSION"
"""The variable that holds a session's choices, as words ``NAME=VERSION``."""


class Choice(msgspec.Struct, frozen=True):
    """The version in effect of one runtime (empty: none of the shelf; ``system``), its scope, and what decided it."""

    runtime: str
    version: str
    scope: str
    decided_by: str


class Missing(msgspec.Struct, frozen=True):
    """A project's pin that no installed version answers to."""

    pin: Pin
    file: Path


class Chooser:
    """Chooses among the versions on the shelf. ``defaults`` are the versions by default (``system``; empty: none).

    ``manifest`` is the machine's own: it decides by default, and is no project's.
    """

    def __init__(
        self,
        recipes: Mapping[str, Recipe],
        shelf: Mapping[tuple[str, str], Receipt],
        defaults: Mapping[str, str],
        locations: Locations,
        manifest: Path,
    ) -> None:
        self._recipes = recipes
        self._here = {name: [r for (n, _), r in shelf.items() if n == name] for name in recipes}
        self._folders = {(r.runtime, r.version): folder for (_, folder), r in shelf.items()}
        self._defaults = defaults
        self._locations = locations
        self._manifest = manifest

    def in_effect(self, folder: Path, session: str, default_line: Mapping[str, str]) -> list[Choice]:
        """What is in effect in a folder for every runtime. ``default_line`` says where each default is decided."""
        chosen: dict[str, tuple[str, str, bool]] = {}
        for file, pin in self.pins(folder):
            version = self._version(pin)
            if version and (pin.runtime not in chosen or (chosen[pin.runtime][2] and pin.requirement is None)):
                place = f"{self._locations.shown(file)}:{pin.line}"
                chosen[pin.runtime] = (version, place, pin.requirement is not None)
        words = dict(word.partition("=")[::2] for word in session.split())
        choices = []
        for name in self._recipes:
            if name in words:
                choices.append(Choice(name, words[name], "session", f"${SESSION}"))
            elif name in chosen:
                choices.append(Choice(name, chosen[name][0], "project", chosen[name][1]))
            else:
                choices.append(Choice(name, self._defaults.get(name, ""), "default", default_line.get(name, "")))
        return choices

    def pins(self, folder: Path) -> Iterator[tuple[Path, Pin]]:
        """Every pin that holds in a folder, the nearest first, up to the home or the root."""
        for file in self.files(folder):
            for pin in self._read(file):
                yield file, pin

    def files(self, folder: Path) -> Iterator[Path]:
        """The files that may hold pins for a folder, the nearest first."""
        for each in (folder, *folder.parents):
            for name in names(self._recipes):
                if (each / name).is_file():
                    yield each / name
            if each == self._locations.home:
                return

    def missing(self, files: Sequence[Path]) -> list[Missing]:
        """The pins in these files that no installed version answers to, or that say nothing that can be read."""
        return [
            Missing(pin, file)
            for file in files
            for pin in self._read(file)
            if self._version(pin) is None and (pin.runtime in self._recipes or pin.wrong)
        ]

    def _read(self, file: Path) -> list[Pin]:
        if file == self._manifest:
            return []
        try:
            return read_pins(file.name, file.read_bytes(), self._recipes)
        except OSError:
            return []

    def _version(self, pin: Pin) -> str | None:
        """The folder's name of the version that a pin means."""
        version = pin.choose(self._here.get(pin.runtime, []), self._defaults.get(pin.runtime, ""))
        return self._folders.get((pin.runtime, version), version) if version else None

    # -- what the shells read --------------------------------------------------------------------------

    def write_answers(self, files: Sequence[Path], next_step: str) -> None:
        """Write what each file's pins were resolved to, with the file's time of change, for the shells to read.

        An answer's first line holds words ``NAME=VERSION`` (with ``~`` before a requirement's) and ends in ``;``,
        the second the same words apart, and the others are messages: ``- NAME TEXT``. A ``!`` stands for those.
        """
        own_folders.make(self._locations.pins)
        for file in files:
            try:
                state = file.stat()
            except OSError:
                continue
            answer = self._locations.pins / f"{str(file)[1:]}="
            answer.parent.mkdir(parents=True, exist_ok=True)
            beside = answer.with_name(f".{answer.name}.{os.getpid()}")
            beside.write_text(self._answer(file, next_step), "utf-8", "surrogateescape")
            os.utime(beside, ns=(state.st_atime_ns, state.st_mtime_ns))
            beside.replace(answer)

    def renew_answers(self, next_step: str) -> None:
        """Write those anew that are there, since the shelf has changed; those of files that are gone go."""
        kept = []
        for root, _, found in os.walk(self._locations.pins):
            for name in found:
                file = Path("/", os.path.relpath(root, self._locations.pins), name[:-1])
                if name.endswith("=") and file.is_file():
                    kept.append(file)
                elif name.endswith("="):
                    Path(root, name).unlink()
        if kept:
            self.write_answers(kept, next_step)

    def _answer(self, file: Path, next_step: str) -> str:
        words, said = [], []
        for pin in self._read(file):
            version = self._version(pin)
            if version:
                words.append((("~" if pin.requirement else "") + pin.runtime, version))
            elif pin.runtime in self._recipes or pin.wrong:
                said.append(f"- {pin.runtime or '?'} {self.message(Missing(pin, file), next_step)}")
            elif file.name == FILE_NAME:
                told = f"{self._locations.shown(file)}:{pin.line} pins {pin.runtime}, which the manifest does not have"
                said.append(f"- {pin.runtime} zesty-anchor: {told}")
        mark = ["!"] if said else []
        first = " ".join([*(f"{name}={version}" for name, version in words), *mark, ";"])
        second = " ".join([*(f"{name} {version}" for name, version in words), *mark])
        return "".join(f"{line}\n" for line in (first, second, *said))

    def message(self, missing: Missing, next_step: str) -> str:
        """One quiet line about a pin that cannot be followed."""
        pin, place = missing.pin, f"{self._locations.shown(missing.file)}:{missing.pin.line}"
        if pin.wrong:
            text = f"zesty-anchor: {place} {pin.wrong}"
        else:
            verb = "requires" if pin.requirement else "wants"
            text = f"zesty-anchor: {place} {verb} {pin.runtime} {pin.want}, which is not installed; {next_step}"
        return "".join(letter if letter.isprintable() else "?" for letter in text)
