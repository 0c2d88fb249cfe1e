"""``workstation.lock``: the exact versions, addresses and digests that a manifest's wants were resolved
to.
"""

import tomllib
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.files.replace import replace
from zesty_anchor.system.problem import Problem, UsageProblem

_FORMAT = 1
"""That of programs before 0.2 says none, and is the same."""
_HEAD = "# Written by: zesty-anchor lock. Keep it beside the manifest; provision keeps to it.\n"


class LockedPart(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A further file of a version, by its name: a companion, or another package."""

    name: str
    version: str
    url: str
    digest: str
    size: int | None = None


class LockedFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What is fetched on one platform. ``digest`` is ``sha256:hex``, ``sha512:hex`` or ``commit:hex``."""

    url: str
    digest: str
    size: int | None = None
    signature: str = ""
    source: bool = False
    parts: tuple[LockedPart, ...] = ()


class Locked(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One want, resolved. What a version is built with stands under the want ``to build VERSION``. ``extras``
    are the versions of its command-line packages, by what the manifest asks for; empty where their registry
    does not tell them.
    """

    runtime: str
    want: str
    version: str
    feed: str
    files: dict[str, LockedFile]
    channels: tuple[str, ...] = ()
    licence: str = ""
    extras: dict[str, str] = {}


class _Lock(msgspec.Struct, frozen=True):
    """A whole lock."""

    release: tuple[Locked, ...] = ()
    base: dict[str, str] = {}


def file_beside(manifest: Path) -> Path:
    """Where the lock of a manifest is."""
    return manifest.with_suffix(".lock")


def read(file: Path) -> dict[tuple[str, str], Locked]:
    """The lock by runtime and want; empty where there is none. Raises ``UsageProblem`` where it cannot be
    read.
    """
    return {(entry.runtime, entry.want): entry for entry in _read(file).release}


def read_pins(file: Path) -> dict[str, str]:
    """The digests of the bases that a lock pins, by their addresses. Raises ``UsageProblem`` as ``read``."""
    return dict(_read(file).base)


def _read(file: Path) -> _Lock:
    try:
        raw = tomllib.loads(file.read_text("utf-8"))
        if isinstance(raw.get("format", _FORMAT), int) and raw.get("format", _FORMAT) > _FORMAT:
            raise UsageProblem(
                "the lock was written by a newer zesty-anchor",
                where=str(file),
                advice="upgrade zesty-anchor on this machine",
            )
        return msgspec.convert(raw, _Lock)
    except FileNotFoundError:
        return _Lock()
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError, msgspec.ValidationError) as error:
        raise UsageProblem(
            f"the lock cannot be read: {error}",
            where=str(file),
            advice="write it anew with: zesty-anchor lock",
        ) from None


def text_of(entries: Iterable[Locked], pins: Mapping[str, str]) -> str:
    """The text of a lock, its entries in order, so that two of the same are the same text. ``pins`` are the
    digests of bases by their addresses.
    """
    import tomlkit

    document = {
        "format": _FORMAT,
        **({"base": dict(sorted(pins.items()))} if pins else {}),
        "release": [msgspec.to_builtins(e) for e in sorted(entries, key=lambda e: (e.runtime, e.want))],
    }
    return _HEAD + tomlkit.dumps(_without_none(document))


def write(file: Path, entries: Iterable[Locked], pins: Mapping[str, str]) -> None:
    """Write a lock. Raises ``Problem`` where that cannot be."""
    try:
        replace(file, text_of(entries, pins).encode())
    except OSError as error:
        raise Problem(f"the lock cannot be written: {error.strerror}", where=str(file)) from None


def _without_none(value: Any) -> Any:
    """TOML has no null."""
    if isinstance(value, dict):
        return {k: _without_none(v) for k, v in value.items() if v is not None}
    return [_without_none(v) for v in value] if isinstance(value, list | tuple) else value
