"""What a person has agreed to: everything that decides which bytes of a manifest's author run here, and what
differs from that.

Everything in a manifest needs agreement but what ``FREE`` names, so that a new key is asked about by itself.
The lock beside the manifest, and the files that it names (keys), are agreed to together with it.
"""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterator, Mapping
from contextlib import suppress
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.changes.question import Question
from zesty_anchor.engine.home_paths import stored
from zesty_anchor.files import own_folders
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.lock import file_beside
from zesty_anchor.manifest.model import Manifest
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.mounts import advice_where_open
from zesty_anchor.system.ownership import in_other_hands
from zesty_anchor.system.problem import UsageProblem

_NAME = "agreed.json"
_FORMAT = 2
_TEXTS = 3
"""How many texts of one manifest stay agreed to: ``undo`` may bring an earlier one back."""
_MOST = 8
"""How many differences are shown."""
_MOST_NAMED = 3
"""How many entries of a list are named."""

FREE = ("title", "checks.*.name", "runtimes.*.want", "runtimes.*.also")
"""The keys that need no agreement. Wants need none for a runtime with a shipped recipe alone: such a one says
nothing of where bytes come from.
"""


class _Agreed(msgspec.Struct):
    """The file: by manifest (relative to the home) the texts that were agreed to, the latest last."""

    texts: dict[str, list[dict[str, Any]]] = {}
    format: int = _FORMAT


def to_agree(workstation: Workstation) -> dict[str, Any]:
    """Return all that a person has to agree to, as plain values: of the manifest, of the lock, and digests of
    the files that it names. Empty where nothing has to be agreed to.
    """
    manifest = workstation.manifest
    asked = {f"runtimes.{name}" for name in manifest.runtimes if not _is_shipped(name, workstation)}
    found: dict[str, Any] = _without_free(_said(manifest), "", asked)
    if workstation.lock:
        found["lock"] = {
            f"{name} {want}": _said(entry) for (name, want), entry in sorted(workstation.lock.items())
        }
    if files := {name: _digest(workstation.file.parent / name) for name in sorted(_files(manifest))}:
        found["files"] = files
    plain: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(found))
    return plain


def is_free(key: str) -> bool:
    """Whether a key, such as ``runtimes.NAME.want``, needs no agreement. Pure."""
    return any(fnmatchcase(key, pattern) for pattern in FREE)


def _is_shipped(name: str, workstation: Workstation) -> bool:
    from zesty_anchor.recipes import SHIPPED

    tool = workstation.manifest.tools[name]
    return (
        name not in workstation.manifest.recipes
        and tool.system is None
        and (SHIPPED / f"{name}.toml").is_file()
    )


def _without_free(part: Any, path: str, asked: Collection[str]) -> Any:
    """A part of a manifest without the keys that need no agreement, and without tables that hold nothing
    else. Nothing is free in the tables ``asked``.
    """
    if isinstance(part, list):
        return [_without_free(each, f"{path}.*", asked) for each in part]
    if not isinstance(part, dict) or path in asked:
        return part
    kept = {}
    for key, inner in part.items():
        place = f"{path}.{key}" if path else key
        left = _without_free(inner, place, asked)
        if not is_free(place) and (left or not isinstance(inner, dict) or not inner):
            kept[key] = left
    return kept


def _said(value: Any) -> Any:
    """Return a model as plain values, by the names of its keys, without what has its default."""
    if isinstance(value, msgspec.Struct):
        kept = {}
        for each in msgspec.structs.fields(type(value)):
            part = getattr(value, each.name)
            default = (
                each.default_factory() if each.default_factory is not msgspec.NODEFAULT else each.default
            )
            if each.required or part != default:
                kept[each.encode_name] = _said(part)
        return kept
    if isinstance(value, Mapping):
        return {str(key): _said(part) for key, part in value.items()}
    return [_said(part) for part in value] if isinstance(value, tuple | list) else value


def _files(manifest: Manifest) -> set[str]:
    """The files beside the manifest that it names."""
    keys = {feed.key for feed in manifest.feeds.values()} | {
        each.key for each in manifest.prerequisites.sources.values()
    }
    authorities = manifest.trust.file
    if authorities is not None and not authorities.startswith(("~", "/")):  # those are of this machine
        keys.add(authorities)
    return {key for key in keys if key}


def _digest(file: Path) -> str:
    """The digest of a file; empty where it cannot be read."""
    from zesty_anchor.files.digest import digest_of_file

    try:
        return digest_of_file(file)
    except OSError:
        return ""


def check_hands(workstation: Workstation) -> None:
    """Raises ``UsageProblem`` where the manifest, a base, a lock beside them, or a file that they name is in
    other hands.
    """
    if workstation.hands_known:
        return
    layers = [layer.file for layer in workstation.source.layers if not layer.address]
    beside = [workstation.file.parent / name for name in sorted(_files(workstation.manifest))]
    for file in (*layers, *map(file_beside, layers), *beside):
        hands = in_other_hands(file) if os.path.lexists(file) else ""
        if hands:
            raise UsageProblem(
                f"{file} is not taken at its word: {hands}",
                where=str(file),
                advice=advice_where_open(file)
                or f"if you want it, copy it: cp {file} ~/{file.name}; then run: zesty-anchor preview",
            )


def is_own(workstation: Workstation) -> bool:
    """Whether the manifest is the person's own: it, and each base of it, is directly in the home, or in the
    configuration folder.
    """
    own = {
        Path(os.path.realpath(folder))
        for folder in (workstation.locations.home, workstation.locations.config)
    }
    return all(
        not layer.address and not layer.file.is_symlink() and Path(os.path.realpath(layer.file)).parent in own
        for layer in workstation.source.layers
    )


def question(workstation: Workstation, trusted: Path | None = None) -> Question | None:
    """What must be asked before anything of the manifest runs; None where there is nothing, or it is agreed
    to.

    ``trusted`` is a manifest that the person has named for this. ``check_hands`` looks at who may write it.
    """
    if is_own(workstation):
        return None
    parts = to_agree(workstation)
    known = agreed_texts(workstation.file, workstation.locations)
    if not parts or parts in known:
        return None
    file = workstation.file
    if trusted is not None and os.path.realpath(trusted) == os.path.realpath(file):
        agree(workstation)
        return None
    shown = workstation.locations.shown(file)
    if not known:
        text = f"{shown} is new on this machine. It sets {', '.join(_tables(parts))}: trust it?"
    else:
        told = list(differences(known[-1], parts))
        more = f"; and {len(told) - _MOST} more" if len(told) > _MOST else ""
        text = (
            f"{shown} has changed since you trusted it: {'; '.join(told[:_MOST])}{more}. Trust it as it is"
            " now?"
        )
    return Question("manifest", text, f"--trust {file}")


def _tables(parts: Mapping[str, Any]) -> Iterator[str]:
    """What a manifest sets, by its tables."""
    for key, part in parts.items():
        if key == "lock":
            yield f"the lock of {', '.join(part)}"
        elif key == "files":
            yield f"the files {', '.join(part)}"
        elif isinstance(part, dict):
            yield f"[{key}] {', '.join(part)}"
        else:
            yield f"[[{key}]]" if isinstance(part, list) else key


def manifest_differences(before: Workstation, after: Workstation) -> list[str]:
    """Return in words what differs between two manifests, in any key."""
    parts = [msgspec.json.decode(msgspec.json.encode(_said(each.manifest))) for each in (before, after)]
    for part in parts:
        part.pop("base", None)
    return list(_changed(parts[0], parts[1], ""))


def tables_of(workstation: Workstation) -> list[str]:
    """Return what a manifest sets, by its tables: ``[runtimes] kelp, coral``."""
    return list(_tables(_said(workstation.manifest)))


def differences(known: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[str]:
    """Return in words what differs between two texts: what decides most comes first."""
    yield from _lock_differences(known.get("lock", {}), now.get("lock", {}))
    for name, digest in now.get("files", {}).items():
        if name in known.get("files", {}) and known["files"][name] != digest:
            yield f"the content of {name} has changed"
    rest = [
        {key: part for key, part in text.items() if key not in ("lock", "files")} for text in (known, now)
    ]
    yield from _changed(rest[0], rest[1], "")


def _lock_differences(known: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[str]:
    for key, entry in now.items():
        subject = f"{entry['runtime']} {entry['version']}"
        if key not in known:
            yield f"the lock names {subject} for {entry['want']!r}"
            continue
        before = known[key]
        if before["version"] != entry["version"]:
            yield f"{before['runtime']} {before['version']} would become {entry['version']}"
        for platform, file in entry["files"].items():
            if platform in before["files"] and before["files"][platform] != file:
                yield from _file_differences(subject, before["files"][platform], file)
        if before.get("extras", {}) != entry.get("extras", {}):
            yield f"the packages put into {subject} have different versions"
    for key in known.keys() - now.keys():
        yield f"the lock no longer names {key}"


def _file_differences(subject: str, before: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[str]:
    old, new = (_host(file["url"]) for file in (before, now))
    if old != new:
        yield f"{subject} would come from a different host than before ({new}, not {old})"
    elif before["url"] != now["url"]:
        yield f"{subject} would come from a different address than before"
    if before["digest"] != now["digest"]:
        yield f"{subject} would have a different digest than before"
    if before.get("parts") != now.get("parts"):
        yield f"the further files of {subject} are different"
    if before.get("signature") != now.get("signature"):
        yield f"the signature of {subject} is different"


def _host(address: str) -> str:
    found = re.match(r"[a-z+]+://(?:[^/@]*@)?([^/]+)", address)
    return found[1] if found else address.partition(":")[0] + ":"


def _changed(known: Any, now: Any, path: str) -> Iterator[str]:
    """The keys that are new, gone, or have another value, each by its whole name."""
    if isinstance(known, dict) and isinstance(now, dict):
        for key, part in now.items():
            inner = f"{path}.{key}" if path else key
            if key in known:
                yield from _changed(known[key], part, inner)
            else:
                yield f"{inner} was added{_value(part)}"
        for key in known:
            if key not in now:
                yield f"{path}.{key} was removed" if path else f"{key} was removed"
    elif isinstance(known, list) and isinstance(now, list):
        new, gone = _without(now, known), _without(known, now)
        if new or gone:
            parts = [f"{verb} {_some(part)}" for verb, part in (("added", new), ("removed", gone)) if part]
            yield f"{path}: {' and '.join(parts)}"
        elif known != now:
            yield f"{path} is in a different order"
    elif known != now:
        yield f"{path} was {_short(known)} and is now {_short(now)}"


def _without(one: list[Any], other: list[Any]) -> list[Any]:
    """The entries of a list that another one does not have, as often as they are there."""
    rest, left = list(other), []
    for each in one:
        if each in rest:
            rest.remove(each)
        else:
            left.append(each)
    return left


def _some(entries: list[Any]) -> str:
    """Name a few short entries, count others. Pure."""
    if len(entries) > _MOST_NAMED or any(isinstance(each, dict | list) for each in entries):
        return "1 entry" if len(entries) == 1 else f"{len(entries)} entries"
    return ", ".join(map(_short, entries))


def _value(part: Any) -> str:
    return "" if isinstance(part, dict | list) and not part else f" ({_short(part)})"


def _short(part: Any) -> str:
    text = part if isinstance(part, str) else msgspec.json.encode(part).decode()
    return f'"{text[:57]}..."' if len(text) > 60 else f'"{text}"' if isinstance(part, str) else text


def is_agreed(workstation: Workstation) -> bool:
    """Whether what the manifest names may be run."""
    try:
        check_hands(workstation)
        return question(workstation) is None
    except UsageProblem:
        return False


def agree(workstation: Workstation) -> None:
    """Write down that the person agrees to all of it as it is now."""
    agree_to(workstation.file, to_agree(workstation), workstation.locations)


def agree_to(file: Path, parts: dict[str, Any], locations: Locations) -> None:
    """Write down that the person agrees to what a manifest says now."""
    known, key = _agreed(locations), _key(file, locations)
    earlier = [text for text in known.texts.get(key, []) if text != parts]
    known.texts[key] = [*earlier, parts][-_TEXTS:]
    own_folders.make(locations.state)
    with suppress(OSError):
        replace(locations.state / _NAME, msgspec.json.encode(known, order="sorted"), 0o600)


def agreed_texts(file: Path, locations: Locations) -> list[dict[str, Any]]:
    """What the person agreed to of a manifest, the latest last."""
    return _agreed(locations).texts.get(_key(file, locations), [])


def _key(file: Path, locations: Locations) -> str:
    """The manifest's file, relative to the home."""
    return stored(os.path.realpath(file), os.path.realpath(locations.home))


def _agreed(locations: Locations) -> _Agreed:
    """What was agreed to. What a program before 0.2 noted is not enough: it did not ask about all of it."""
    try:
        known = msgspec.json.decode((locations.state / _NAME).read_bytes(), type=_Agreed)
    except (OSError, msgspec.MsgspecError):
        return _Agreed()
    return known if known.format == _FORMAT else _Agreed()
