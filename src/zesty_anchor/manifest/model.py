"""The manifest as frozen models. docs/manifest.md says what each key means to a person."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

Name = Annotated[str, msgspec.Meta(pattern=r"^[A-Za-z][A-Za-z0-9._-]*$")]
VariableName = Annotated[str, msgspec.Meta(pattern=r"^[A-Za-z_][A-Za-z0-9_]*$")]


FeedKind = Literal["index", "npm", "pypi", "json", "listing", "git", "folder"]


class _Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename="kebab"):
    """A table of the manifest: unknown keys are refused."""


class Shells(_Part, frozen=True):
    """``[shells]``: which shells are set up."""

    use: Literal["all", "login"] | tuple[str, ...] = "all"


class Feed(_Part, frozen=True):
    """``[feeds.NAME]``: where versions come from."""

    kind: FeedKind
    url: str | None = None
    file: str | None = None
    sums: str = "SHA256SUMS"
    map: dict[str, str] = {}
    key: str | None = None
    signature: Literal["not offered"] | None = None


Names = tuple[str, ...] | dict[str, tuple[str, ...]]
"""Names of packages: the same everywhere, or by family of systems (``debian``)."""


class Prerequisites(_Part, frozen=True):
    """``[prerequisites]``: packages of the operating system."""

    packages: Names = ()


class Needs(_Part, frozen=True):
    """``[needs]`` of a recipe: the packages that it cannot do without, and those that add something."""

    packages: Names = ()
    optional: Names = ()


class ProofOfVersion(_Part, frozen=True):
    """A command that prints a runtime's version, and what it must print (``{version}`` stands for it)."""

    run: str
    expect: str = "*{version}*"


class Source(_Part, frozen=True):
    """The feed that a recipe brings along, used where the manifest names none."""

    kind: FeedKind
    package: str | None = None
    packages: dict[str, str] = {}
    file: str | None = None
    map: dict[str, str] = {}


class Recipe(_Part, frozen=True):
    """How one runtime is obtained and laid out, which commands it gives, and how to prove that it works."""

    commands: tuple[str, ...]
    title: str = ""
    bin: tuple[str, ...] = ("bin",)
    feed: Source | None = None
    channels: dict[str, tuple[str, ...]] = {}
    variables: dict[VariableName, str] = {}
    version: ProofOfVersion | None = None
    needs: Needs = Needs()


class Runtime(_Part, frozen=True):
    """``[runtimes.NAME]``: the default version, and those kept beside it."""

    want: str
    also: tuple[str, ...] = ()
    feed: str | None = None
    licence: Literal["accepted"] | None = None
    unpinned: Literal["accepted"] | None = None
    optional_needs: bool = False


class PathEntries(_Part, frozen=True):
    """``[path]``: folders put first and last on PATH."""

    first: tuple[str, ...] = ()
    last: tuple[str, ...] = ()


class Removal(_Part, frozen=True):
    """``[[conflicts.remove]]``: an old install that goes once the new one answers."""

    path: str


class Conflicts(_Part, frozen=True):
    """``[conflicts]``: what else answers to the manifest's commands."""

    remove: tuple[Removal, ...] = ()


class Check(_Part, frozen=True):
    """``[[checks]]``: a command line that fresh shells run, and what it must print."""

    name: str
    run: str
    expect: str = "*"


class Manifest(_Part, frozen=True):
    """A whole ``workstation.toml``."""

    title: str = ""
    as_root: Literal["allowed"] | None = None
    prerequisites: Prerequisites = Prerequisites()
    shells: Shells = Shells()
    feeds: dict[Name, Feed] = {}
    recipes: dict[Name, Recipe] = {}
    runtimes: dict[Name, Runtime] = {}
    variables: dict[VariableName, str | dict[VariableName, str]] = {}
    path: PathEntries = PathEntries()
    conflicts: Conflicts = Conflicts()
    checks: tuple[Check, ...] = ()


def json_schema() -> dict[str, object]:
    """The manifest's JSON Schema (draft 2020-12), for an editor that completes and checks TOML."""
    schema = msgspec.json.schema(Manifest)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "workstation.toml", **schema}


SYSTEM = "system"
"""The one key of ``[variables]`` that holds a table: variables for the whole system."""


def names_for(names: Names, family: str) -> tuple[str, ...]:
    """The names that count for a family of systems."""
    return names if isinstance(names, tuple) else names.get(family, ())
