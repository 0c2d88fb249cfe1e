"""The manifest as frozen models. docs/manifest.md says what each key means to a person."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

Name = Annotated[str, msgspec.Meta(pattern=r"^[A-Za-z][A-Za-z0-9._-]*$")]
VariableName = Annotated[str, msgspec.Meta(pattern=r"^[A-Za-z_][A-Za-z0-9_]*$")]


class _Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename="kebab"):
    """A table of the manifest: unknown keys are refused."""


class Shells(_Part, frozen=True):
    """``[shells]``: which shells are set up."""

    use: Literal["all", "login"] | tuple[str, ...] = "all"


class Feed(_Part, frozen=True):
    """``[feeds.NAME]``: where versions come from."""

    kind: Literal["index", "npm"]
    url: str | None = None


class ProofOfVersion(_Part, frozen=True):
    """A command that prints a runtime's version, and what it must print (``{version}`` stands for it)."""

    run: str
    expect: str = "*{version}*"


class Source(_Part, frozen=True):
    """The feed that a recipe brings along, used where the manifest names none."""

    kind: Literal["index", "npm"]
    package: str | None = None
    packages: dict[str, str] = {}


class Recipe(_Part, frozen=True):
    """How one runtime is obtained and laid out, which commands it gives, and how to prove that it works."""

    commands: tuple[str, ...]
    title: str = ""
    bin: tuple[str, ...] = ("bin",)
    feed: Source | None = None
    channels: dict[str, tuple[str, ...]] = {}
    variables: dict[VariableName, str] = {}
    version: ProofOfVersion | None = None


class Runtime(_Part, frozen=True):
    """``[runtimes.NAME]``: the default version, and those kept beside it."""

    want: str
    also: tuple[str, ...] = ()
    feed: str | None = None


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
    shells: Shells = Shells()
    feeds: dict[Name, Feed] = {}
    recipes: dict[Name, Recipe] = {}
    runtimes: dict[Name, Runtime] = {}
    variables: dict[VariableName, str] = {}
    path: PathEntries = PathEntries()
    conflicts: Conflicts = Conflicts()
    checks: tuple[Check, ...] = ()


def json_schema() -> dict[str, object]:
    """The manifest's JSON Schema (draft 2020-12), for an editor that completes and checks TOML."""
    schema = msgspec.json.schema(Manifest)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "workstation.toml", **schema}
