"""The files by which a project chooses versions: read as data, and nothing in them is run."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping, Sequence
from typing import Any, Protocol

import msgspec

from zesty_anchor.manifest.position import line_of
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.manifest.recipe import Recipe, Requirement
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want


class Here(Protocol):
    """An installed version."""

    @property
    def version(self) -> str:
        """The version."""

    @property
    def channels(self) -> tuple[str, ...]:
        """The channels that its feed said it belongs to."""


class Pin(msgspec.Struct, frozen=True):
    """A project's choice of a version: its ``want``, or as a last resort a ``requirement`` of another format.

    ``line`` is where in the file it stands. ``wrong`` says what is wrong with it; it then chooses nothing.
    """

    runtime: str
    want: str
    line: int
    requirement: Requirement | None = None
    wrong: str = ""

    def admits(self, version: str, channels: Sequence[str]) -> bool:
        """Whether an installed version is what it asks for."""
        if self.wrong:
            return False
        if self.requirement is not None:
            return meets(self.want, self.requirement.form, version)
        return Want(self.want).admits(Version(version), channels)

    def choose(self, here: Sequence[Here], default: str) -> str | None:
        """The version to take of those that are installed; ``system`` where that is asked for.

        A requirement is content with the default version, if that meets it.
        """
        if self.want == "system" and self.requirement is None:
            return "system"
        if self.requirement is not None and default and self.admits(default, ()):
            return default
        exact = [each.version for each in here if each.version == self.want]
        fitting = exact or [each.version for each in here if self.admits(each.version, each.channels)]
        return max(fitting, key=Version, default=None)


def pin_files(runtime: str, recipe: Recipe) -> tuple[str, ...]:
    """The names of the files of one line that pin a runtime, the one that counts most first."""
    return tuple(dict.fromkeys((f".{runtime}-version", *recipe.version_files)))


def names(recipes: Mapping[str, Recipe]) -> tuple[str, ...]:
    """The names of all files that may hold pins, those of one folder in the order in which they count."""
    one_line = [name for runtime, recipe in recipes.items() for name in pin_files(runtime, recipe)]
    required = [requirement.file for recipe in recipes.values() for requirement in recipe.requirements]
    return tuple(dict.fromkeys((FILE_NAME, *one_line, *required)))


def read_pins(name: str, content: bytes, recipes: Mapping[str, Recipe]) -> list[Pin]:
    """The pins of one file, given its name. What cannot be read is told in the pins themselves. Pure."""
    if name == FILE_NAME:
        return _manifest(content)
    pins = [
        _one_line(runtime, content)
        for runtime, recipe in recipes.items()
        if name in pin_files(runtime, recipe)
    ]
    for runtime, recipe in recipes.items():
        for requirement in recipe.requirements:
            if requirement.file == name:
                pins += _required(runtime, requirement, content)
    return pins


def _manifest(content: bytes) -> list[Pin]:
    try:
        text = content.decode("utf-8")
        runtimes = tomllib.loads(text).get("runtimes", {})
    except (ValueError, RecursionError) as error:
        why = str(error).lower() if isinstance(error, tomllib.TOMLDecodeError) else "it cannot be parsed"
        return [Pin("", "", 1, wrong=f"is not TOML: {why[:_MOST_LETTERS]}")]
    pins = []
    for name, table in runtimes.items() if isinstance(runtimes, dict) else ():
        want = table.get("want") if isinstance(table, dict) else None
        if isinstance(want, str):
            pins.append(_checked(name, want, line_of(text, ("runtimes", name, "want"))))
    return pins


MOST_BYTES = 1 << 16
"""What is read of a file that may hold pins: a project's may be anything."""
_MOST_LETTERS = 200


def _one_line(runtime: str, content: bytes) -> Pin:
    for number, line in enumerate(content.decode("utf-8-sig", "replace").splitlines(), 1):
        want = line.partition("#")[0].strip()
        if want:
            return _checked(runtime, want, number)
    return Pin(runtime, "", 1, wrong="holds no version")


def _checked(runtime: str, want: str, line: int) -> Pin:
    if len(want) > _MOST_LETTERS or not want.isprintable():
        return Pin(runtime, want[:_MOST_LETTERS], line, wrong=f"holds no version: {want[:20]!r} …")
    try:
        Want(want)
    except ValueError as error:
        return Pin(runtime, want, line, wrong=str(error))
    return Pin(runtime, want, line)


def _required(runtime: str, requirement: Requirement, content: bytes) -> list[Pin]:
    text = content.decode("utf-8", "replace")
    if requirement.pattern:
        found = re.search(requirement.pattern, text, re.MULTILINE)
        value, line = (found[1], text[: found.start()].count("\n") + 1) if found else (None, 1)
    else:
        try:
            import json

            value = _field(
                json.loads(text) if requirement.file.endswith(".json") else tomllib.loads(text), requirement
            )
        except (ValueError, RecursionError):
            return []  # the project's own tools will say so
        last = requirement.field.split(".")[-1]
        line = next(
            (n for n, row in enumerate(text.splitlines(), 1) if f'"{last}"' in row or row.startswith(last)), 1
        )
    if not isinstance(value, str) or not value.strip():
        return []
    if len(value) > _MOST_LETTERS or not value.strip().isprintable():
        return []  # no tool of the project's own takes it for a requirement either
    return [Pin(runtime, value.strip(), line, requirement)]


def _field(document: Any, requirement: Requirement) -> Any:
    for key in requirement.field.split("."):
        document = document.get(key) if isinstance(document, dict) else None
    return document


def _tight(text: str) -> str:
    """A range of npm's without what its grammar allows and the library does not: spaces and a ``v`` after an
    operator, ``~>`` for ``~`` (npm documentation, "semver", "Ranges"). Pure.
    """
    text = re.sub(r"(~>?|\^|[<>]=?|=)\s*[v=]*\s*(?=[\dxX*])", lambda found: found[1].replace("~>", "~"), text)
    return re.sub(r"\s*\|\|\s*", "||", text.strip())


def meets(text: str, form: str, version: str) -> bool:
    """Whether a version meets a requirement, as the libraries of those formats read it."""
    bare = version.removeprefix("v")
    try:
        if form == "npm":
            from semantic_version import NpmSpec
            from semantic_version import Version as Semantic

            return bool(NpmSpec(_tight(text)).match(Semantic.coerce(bare)))
        if form == "gem":
            # Their ~> is the ~= of Python's (PEP 440, "Compatible release"); a version alone means just that.
            parts = [part.strip() for part in text.split(",")]
            text = ",".join(f"=={part}" if part[:1].isdigit() else part.replace("~>", "~=") for part in parts)
        if form in ("python", "gem"):
            from packaging.specifiers import SpecifierSet

            return SpecifierSet(text).contains(bare, prereleases=True)
        return Version(bare) >= Version(text)
    except ValueError:
        return False
