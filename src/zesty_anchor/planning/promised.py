"""What a run promises, in a form that two runs can be compared by."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING

import msgspec

if TYPE_CHECKING:
    from zesty_anchor.manifest.model import Manifest
    from zesty_anchor.manifest.wanted import Wanted

Promised = Mapping[str, Mapping[str, str]]
"""By group (version, also, variable, first, last, hook, setting, identity, shell) the value of each name."""
BASE = "base"
"""A further group: the files of the manifest's bases with their digests."""


def promised(manifest: Manifest, wanted: Wanted, bases: Mapping[str, str]) -> Promised:
    """What a manifest promises with these versions, and the digests of its ``bases``. Pure."""
    from zesty_anchor.manifest.model import SYSTEM  # status reads what was promised, and no manifest

    versions = {version.runtime: version.version for version in wanted.defaults}
    versions |= {name: "the system's own" for name, tool in manifest.tools.items() if tool.want == SYSTEM}
    identity = manifest.identity
    found: dict[str, dict[str, str]] = {
        "version": versions,
        "also": {f"{v.runtime} {v.version}": "" for v in wanted.versions if not v.default and not v.pending},
        "variable": {name: _text(value) for name, value in manifest.variables.items() if name != SYSTEM},
        "first": dict.fromkeys(manifest.path.first, ""),
        "last": dict.fromkeys(manifest.path.last, ""),
        "hook": dict(manifest.shells.hooks),
        "setting": {f"{each.file} {_key(each.key)}": _text(each.value) for each in manifest.settings},
        "identity": {k: v for k in ("name", "email", "key") if identity and (v := getattr(identity, k))},
        "shell": dict.fromkeys(wanted.shells, ""),
        BASE: dict(bases),
    }
    system = manifest.variables.get(SYSTEM)
    if isinstance(system, dict):
        found["variable"] |= {f"{name} (all users)": value for name, value in system.items()}
    return {group: names for group, names in found.items() if names}


def _key(key: str | tuple[str, ...]) -> str:
    return key if isinstance(key, str) else ".".join(key)


def _text(value: object) -> str:
    return value if isinstance(value, str) else msgspec.json.encode(value).decode()


def differences(before: Promised, after: Promised) -> tuple[str, ...]:
    """What is new, other or gone, a line each; what stays is in none. Pure."""
    defaults = {f"{name} {version}" for name, version in after.get("version", {}).items()}
    return tuple(
        line
        for group in _GROUPS
        for name in dict.fromkeys((*before.get(group, {}), *after.get(group, {})))
        if group != "also" or name not in defaults
        for line in _line(group, name, before.get(group, {}).get(name), after.get(group, {}).get(name))
    )


def read(words: str) -> Promised:
    """What the journal has of a run; empty where it cannot be read. Pure."""
    try:
        return msgspec.json.decode(words or "{}", type=dict[str, dict[str, str]])
    except msgspec.MsgspecError:
        return {}


def by_run(promises: Mapping[int, str]) -> dict[int, tuple[str, ...]]:
    """For each run what was new, other or gone after it. Pure."""
    found: dict[int, tuple[str, ...]] = {}
    before: Promised = {}
    for run, words in sorted(promises.items()):
        after = read(words)
        found[run], before = differences(before, after), after
    return found


def gone(before: Promised, after: Promised) -> tuple[str, ...]:
    """The names of versions, variables and PATH entries that would go. Pure."""
    groups = ("version", "variable", "first", "last")
    return tuple(
        name for group in groups for name in before.get(group, {}) if name not in after.get(group, {})
    )


_GROUPS = {
    "version": ("{name} {new} is new", "{name} {old} → {new}", "{name} {old} is no longer set up"),
    "also": ("{name} is installed beside the default", "", "{name} is no longer asked for"),
    "variable": ('{name} is new: "{new}"', '{name}: "{old}" → "{new}"', "{name} goes"),
    "first": ("PATH gains {name}", "", "PATH loses {name}"),
    "last": ("PATH gains {name}, at its end", "", "PATH loses {name}, at its end"),
    "hook": ("{name} gets lines of yours", "the lines for {name} change", "the lines for {name} go"),
    "setting": ('{name} is new: "{new}"', '{name}: "{old}" → "{new}"', "{name} is set no longer"),
    "identity": (
        'git gets your {name} "{new}"',
        'your {name}: "{old}" → "{new}"',
        "your {name} is no longer set",
    ),
    "shell": ("{name} is set up", "", "{name} is no longer set up"),
}
"""For each group how it is said that a name is new, other, or gone."""
_LONG = 60


def _line(group: str, name: str, old: str | None, new: str | None) -> Iterator[str]:
    if old == new:
        return
    came, changed, went = _GROUPS[group]
    form = came if old is None else went if new is None else changed
    if form:
        yield form.format(name=name, old=_short(old or ""), new=_short(new or ""))


def _short(text: str) -> str:
    first = text.partition("\n")[0]
    return first if first == text and len(text) <= _LONG else f"{first[: _LONG - 1]}…"
