"""A manifest and its base as one: tables are put together by their keys, lists are added to, and ``!``
before a name takes one away. The parts for this machine alone (``[on."CONDITION"]``) come after the text that
they are in.
"""

from __future__ import annotations

import copy
import os
import re
import tomllib
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.manifest.condition import FORMS, Condition, Facts
from zesty_anchor.manifest.position import Step, line_of
from zesty_anchor.manifest.source import Layer, Source
from zesty_anchor.manifest.toml_file import parsed, read_text
from zesty_anchor.manifest.wrong import dotted, nearest, nearest_key
from zesty_anchor.system.problem import Problem, Problems, UsageProblem

Steps = tuple[Step, ...]


class Elsewhere(msgspec.Struct, frozen=True):
    """A base that is on no disk here: a text at an ``address``, or a file in a repository (``ADDRESS#FILE``).

    It is known by its ``digest`` (``sha256:hex`` of the text, or ``commit:hex``), or a ``key`` (a file) signs
    it: then a lock says which text of it counts, the own one or that of ``named_by``. Of a repository the
    newest is what its ``branch`` has (empty: its default branch).
    """

    address: str
    named_by: Path
    digest: str = ""
    key: Path | None = None
    branch: str = ""


Fetch = Callable[[Elsewhere], tuple[bytes, str]]
"""Gives the text of a base, and the digest that it is known by."""

_OWN_KEYS = ("base", "firm", "on")
"""The keys that say how texts are put together; all others are of the manifest that they come to."""
_MOST_BASES = 8
_COMMIT = re.compile(r"\A[0-9a-f]{40}(?:[0-9a-f]{24})?\Z")
_IN_GIT = 'base = { git = "https://…", commit = "…" }, with all digits of the commit, or key = "FILE"'
_AT_ADDRESS = ("url", "digest", "key")
_SAME = {"checks": ("name",), "settings": ("file", "key"), "hosts": ("name", "port")}
"""By which keys a table of a list takes the place of one of the base."""
_OWN_FIRST = {("path", "first")}
"""The lists in which the person's own entries come first, since the first one wins."""


def read_layers(
    text: str, file: Path, facts: Callable[[], Facts], home: Path, fetch: Fetch | None = None
) -> tuple[Source, tuple[Source, ...]]:
    """The manifest that a text in ``file`` comes to with its bases, on a machine with these ``facts``; and
    what it would come to with each part that does not hold here, so that its mistakes are found as well.

    Raises ``UsageProblem`` with file and line for a base that cannot be read, a circle of bases, what a base
    keeps ``firm``, a ``!`` that takes nothing away.
    """
    reading = _Reading(facts, home, fetch)
    reading.read(text, file, own=True)
    reading.refuse()
    whole = reading.put_together(None)
    others = tuple(reading.put_together(part) for part in reading.elsewhere)
    reading.refuse()
    return whole, others


class _Part(msgspec.Struct, frozen=True, eq=False):
    """Tables of one layer that hold together: its body, or what one condition has. ``inner`` leads there."""

    layer: int
    inner: Steps
    tables: dict[str, Any]
    condition: str = ""


class _Reading:
    """One reading of a manifest with its bases."""

    def __init__(self, facts: Callable[[], Facts], home: Path, fetch: Fetch | None) -> None:
        self._facts, self._home, self._fetch = facts, home, fetch
        self._layers: list[Layer] = []
        self._parts: list[_Part] = []
        self._firm: dict[int, list[tuple[Steps, int]]] = {}
        self._way: list[str] = []
        self._problems: list[UsageProblem] = []
        self.elsewhere: list[_Part] = []

    def refuse(self) -> None:
        """Raise what is wrong so far."""
        found = list({(each.what, each.where): each for each in self._problems}.values())
        if found:
            raise found[0] if len(found) == 1 else Problems(found)

    def read(self, text: str, file: Path, *, own: bool = False, address: str = "", pinned: str = "") -> None:
        """Add a text as a layer, after its bases."""
        raw = parsed(text, file)
        layer = Layer(file, text, address, pinned)
        self._way.append(address or os.path.realpath(file))
        for number, base in enumerate(self._listed(layer, raw.get("base", []))):
            self._base(layer, base, ("base", number) if isinstance(raw["base"], list) else ("base",))
        self._way.pop()
        at = len(self._layers)
        self._layers.append(layer)
        self._firm[at] = list(self._kept_firm(layer, raw.get("firm", [])))
        body = {key: value for key, value in raw.items() if key not in _OWN_KEYS}
        self._parts.append(_Part(at, (), body if own else self._whole_paths(body, file)))
        for part in self._conditional(layer, at, raw.get("on", {})):
            part = part if own else msgspec.structs.replace(part, tables=self._whole_paths(part.tables, file))
            (self._parts if Condition(part.condition).holds(self._facts()) else self.elsewhere).append(part)

    def _wrong(self, layer: Layer, path: Steps, what: str, advice: str) -> None:
        where = f"{layer.file}:{line_of(layer.text, path)}"
        self._problems.append(UsageProblem(what, where=where, advice=advice))

    def _listed(self, layer: Layer, value: Any) -> list[Any]:
        """The bases that a text names; a single one needs no list."""
        bases = value if isinstance(value, list) else [value]
        if len(bases) > _MOST_BASES or len(self._way) > _MOST_BASES:
            self._wrong(layer, ("base",), f"there are more than {_MOST_BASES} bases", "put some together")
            return []
        return bases

    def _base(self, layer: Layer, base: Any, path: Steps) -> None:
        table = base if isinstance(base, dict) else {"url": base}
        address = table.get("url")
        if "git" in table:
            self._of_repository(layer, table, path)
        elif isinstance(address, str) and (unknown := sorted(table.keys() - set(_AT_ADDRESS))):
            self._wrong(
                layer, path, f"base has no key {unknown[0]!r}", nearest_key(unknown[0], [*_AT_ADDRESS])
            )
        elif not isinstance(address, str) or "#" in address:
            self._wrong(layer, path, "base names no file", 'write base = "../team/workstation.toml"')
        elif address.startswith(("https://", "http://")):
            self._at_address(layer, table, path)
        else:
            named = self._home / address[2:] if address.startswith("~/") else layer.file.parent / address
            file = Path(os.path.normpath(named))
            if os.path.realpath(file) in self._way:
                self._wrong(layer, path, f"{file} is its own base", "take this line out")
            elif not file.is_file():
                self._wrong(layer, path, f"the base {file} does not exist", "write the path of the base")
            else:
                self.read(read_text(file), file)

    def _of_repository(self, layer: Layer, base: dict[str, Any], path: Steps) -> None:
        address, commit, file = base["git"], base.get("commit"), base.get("file", "workstation.toml")
        branch, key = base.get("branch", ""), base.get("key")
        inside = isinstance(file, str) and not file.startswith("/") and ".." not in file.split("/")
        known = {"git", "commit", "file", *(("key", "branch") if "commit" not in base else ())}
        if not isinstance(address, str) or base.keys() - known or not inside:
            self._wrong(layer, path, "base names no repository with a file in it", f"write {_IN_GIT}")
        elif isinstance(key, str) and isinstance(branch, str):
            self._fetched(layer, f"{address}#{file}", path, key=key, branch=branch)
        elif not isinstance(commit, str) or not _COMMIT.match(commit):
            what = f"the base in {address} is named without its commit"
            self._wrong(layer, path, what, f"git ls-remote {address} lists them; then write {_IN_GIT}")
        else:
            self._fetched(layer, f"{address}#{file}", path, digest=f"commit:{commit}")

    def _at_address(self, layer: Layer, base: dict[str, Any], path: Steps) -> None:
        address, digest, key = base["url"], base.get("digest"), base.get("key")
        if isinstance(key, str) and digest is None:
            self._fetched(layer, address, path, key=key)
        elif key is None and isinstance(digest, str) and digest.startswith("sha256:"):
            self._fetched(layer, address, path, digest=digest)
        else:
            advice = (
                f'read it, then write: base = {{ url = "{address}", digest = "sha256:…" }}, or key = "FILE"'
            )
            self._wrong(layer, path, f"the base {address} is named without its digest", advice)

    def _fetched(
        self, layer: Layer, address: str, path: Steps, *, digest: str = "", key: str = "", branch: str = ""
    ) -> None:
        if address in self._way:
            self._wrong(layer, path, f"{address} is its own base", "take this line out")
        elif self._fetch is None:
            self._wrong(layer, path, f"the base {address} cannot be fetched here", "name a file in its place")
        else:
            named = self._home / key[2:] if key.startswith("~/") else layer.file.parent / key
            wanted = Elsewhere(address, layer.file, digest, named if key else None, branch)
            try:
                content, pinned = self._fetch(wanted)
                text = content.decode("utf-8", "strict")
            except UnicodeDecodeError:
                self._wrong(layer, path, f"the base {address} is not UTF-8", "name the address of a manifest")
                return
            except Problem as problem:
                where = f"{layer.file}:{line_of(layer.text, path)}"
                where += f"; {problem.where}" if problem.where else ""
                self._problems.append(UsageProblem(problem.what, where=where, advice=problem.advice))
                return
            # Files that it names are beside the manifest that names it: a person puts them there.
            beside = layer.file.parent / Path(address).name
            self.read(text, beside, address=address, pinned=pinned if key else "")

    def _kept_firm(self, layer: Layer, value: Any) -> Iterator[tuple[Steps, int]]:
        if not isinstance(value, list):
            self._wrong(layer, ("firm",), "firm is not a list", 'write a list: firm = ["runtimes.kelp"]')
            return
        for number, key in enumerate(value):
            try:
                yield _keys(key), number
            except (TypeError, ValueError):
                what = f"firm has {key!r}, which is not the name of a key"
                self._wrong(layer, ("firm", number), what, 'write keys with dots: "runtimes.kelp"')

    def _conditional(self, layer: Layer, at: int, value: Any) -> Iterator[_Part]:
        if not isinstance(value, dict):
            self._wrong(layer, ("on",), "on is not a table", f"write [on.CONDITION.…], such as {FORMS}")
            return
        for text, tables in value.items():
            path: Steps = ("on", text)
            try:
                Condition(text)
            except ValueError as error:
                self._wrong(layer, path, f"on.{text!r} is not a condition", str(error))
                continue
            inner = [key for key in tables if key in _OWN_KEYS] if isinstance(tables, dict) else ["on"]
            if inner:
                what = (
                    f"on.{text!r} has {inner[0]!r}"
                    if isinstance(tables, dict)
                    else f"on.{text!r} is no table"
                )
                self._wrong(layer, path, f"on.{text!r} {what}", "write tables of the manifest below it")
                continue
            yield _Part(at, path, tables, text)

    def _whole_paths(self, tables: dict[str, Any], file: Path) -> dict[str, Any]:
        """The tables of a base, with the whole path of each file that they name relative to it."""
        found = copy.deepcopy(tables)
        feeds, sources = found.get("feeds"), found.get("prerequisites")
        sources = sources.get("sources") if isinstance(sources, dict) else None
        named: list[tuple[Any, str]] = [
            (each, "key") for part in (feeds, sources) if isinstance(part, dict) for each in part.values()
        ]
        named += [(found.get("trust"), "file")]
        checks = found.get("checks")
        named += [(each, "folder") for each in checks] if isinstance(checks, list) else []
        for table, key in named:
            value = table.get(key) if isinstance(table, dict) else None
            if isinstance(value, str) and not value.startswith(("/", "~")):
                table[key] = os.path.normpath(file.parent / value)
        return found

    def put_together(self, more: _Part | None) -> Source:
        """The layers as one, with a part that does not hold here where one is given."""
        if len(self._parts) == 1 and more is None:
            return Source(tuple(self._layers), self._parts[0].tables)
        joined = _Joined()
        for number, layer in enumerate(self._layers):
            below = [
                (key, f"{self._layers[base].file}:{line_of(self._layers[base].text, ('firm', at))}")
                for base in range(number)
                for key, at in self._firm[base]
            ]
            for part in (*self._parts, *([more] if more is not None else ())):
                if part.layer != number:
                    continue
                joined.begin(number, below)
                joined.tables(joined.whole, part.tables, (), part.inner)
                for path, what, advice in joined.wrong:
                    self._wrong(layer, path, what, advice)
        return Source(tuple(self._layers), joined.whole, joined.origins)


class _Joined:
    """The tables so far, and where each key of them is."""

    def __init__(self) -> None:
        self.whole: dict[str, Any] = {}
        self.origins: dict[Steps, tuple[int, Steps]] = {}
        self.begin(0, [])

    def begin(self, layer: int, firm: list[tuple[Steps, str]]) -> None:
        """Go on with a part of a layer, which must leave what is ``firm`` as it is."""
        self._layer, self._firm = layer, firm
        self.wrong: list[tuple[Steps, str, str]] = []

    def tables(self, into: dict[str, Any], more: Mapping[str, Any], at: Steps, inner: Steps) -> None:
        """Add the keys of one table to those of another. ``at`` leads to them in the whole, ``inner`` in the
        layer.
        """
        for key, value in more.items():
            here, there = (*at, key), (*inner, key)
            if key.startswith("!"):
                self._take_away(into, key[1:], value, (*at, key[1:]), there)
            elif key not in into:
                self._put(into, key, copy.deepcopy(value), here, there)
            elif isinstance(into[key], dict) and isinstance(value, dict):
                self.tables(into[key], value, here, there)
            elif isinstance(into[key], list) and isinstance(value, list):
                self._add(into[key], value, here, there)
            elif {type(into[key]), type(value)} == {list, dict}:
                form = "a list" if isinstance(into[key], list) else "a table"
                self.wrong.append(
                    (there, f"{dotted(here)} is {form} in the base", "write it in the same form")
                )
            elif into[key] != value:
                self._put(into, key, copy.deepcopy(value), here, there)

    def _put(self, into: dict[str, Any], key: str, value: Any, here: Steps, there: Steps) -> None:
        if self._may(here, there):
            self._forget(here)
            into[key] = value
            self.origins[here] = (self._layer, there)

    def _take_away(self, into: dict[str, Any], key: str, value: Any, here: Steps, there: Steps) -> None:
        if value not in ({}, "", True):
            self.wrong.append((there, f"{dotted(there)} takes {key} away, and has a value", "empty it"))
        elif key not in into:
            advice = nearest_key(key, list(into)) if into else "take this line out"
            self.wrong.append((there, f"the base has no {dotted(here)} to take away", advice))
        elif self._may(here, there):
            del into[key]
            self._forget(here)

    def _forget(self, here: Steps) -> None:
        for path in [each for each in self.origins if each[: len(here)] == here]:
            del self.origins[path]

    def _origin(self, path: Steps) -> tuple[int, Steps]:
        for end in range(len(path), 0, -1):
            if path[:end] in self.origins:
                layer, inner = self.origins[path[:end]]
                return layer, (*inner, *path[end:])
        return self._layer, path

    def _add(self, into: list[Any], more: list[Any], at: Steps, inner: Steps) -> None:
        """Add the entries of one list to another."""
        entries = [(each, self._origin((*at, number))) for number, each in enumerate(into)]
        new: list[tuple[Any, tuple[int, Steps]]] = []
        for number, each in enumerate(more):
            there = (*inner, number)
            gone = _taken_away(each)
            if gone is not None:
                left = [entry for entry in entries if not _is_meant(entry[0], gone)]
                if len(left) == len(entries):
                    close = nearest(str(gone), [str(entry) for entry, _ in entries if isinstance(entry, str)])
                    advice = f"did you mean {'!' + close!r}?" if close else "take it out"
                    self.wrong.append((there, f"the base has no {_shown(gone)} in {dotted(at)}", advice))
                elif self._may(at, there):
                    entries = left
            elif each not in into and self._may(at, there):
                keys = _SAME.get(str(at[-1]), ())
                entries = [entry for entry in entries if not _is_same(entry[0], each, keys)]
                new.append((copy.deepcopy(each), (self._layer, there)))
        whole = [*new, *entries] if at in _OWN_FIRST else [*entries, *new]
        outer = self.origins.get(at)
        self._forget(at)
        if outer is not None:
            self.origins[at] = outer
        into[:] = [each for each, _ in whole]
        self.origins.update({(*at, number): origin for number, (_, origin) in enumerate(whole)})

    def _may(self, here: Steps, there: Steps) -> bool:
        """Whether a key may be changed; notes what keeps it where not."""
        for firm, place in self._firm:
            if here[: len(firm)] == firm or firm[: len(here)] == here:
                what = f"{dotted(firm)} is kept firm by the base ({place})"
                self.wrong.append((there, what, "take this out, or ask whoever keeps the base"))
                return False
        return True


def _keys(text: str) -> Steps:
    """The names of a key with dots. Raises ``ValueError`` where the text is none."""
    tables, path = tomllib.loads(f"{text} = 0"), []
    while isinstance(tables, dict):
        if len(tables) != 1:
            raise ValueError(text)
        (key, tables), *_ = tables.items()
        path.append(key)
    return tuple(path)


def _taken_away(entry: Any) -> Any:
    """What an entry of a list takes away: text, or one key with its value; None where it is added."""
    if isinstance(entry, str):
        # != begins a range of versions.
        return entry[1:] if entry.startswith("!") and not entry.startswith("!=") else None
    if isinstance(entry, dict) and len(entry) == 1:
        ((key, value),) = entry.items()
        return {key: value[1:]} if isinstance(value, str) and value.startswith("!") else None
    return None


def _is_meant(entry: Any, gone: Any) -> bool:
    if isinstance(gone, dict) and isinstance(entry, dict):
        return all(entry.get(key) == value for key, value in gone.items())
    return bool(entry == gone)


def _is_same(one: Any, other: Any, keys: tuple[str, ...]) -> bool:
    if not keys or not isinstance(one, dict) or not isinstance(other, dict):
        return False
    return all(one.get(key) == other.get(key) for key in keys)


def _shown(gone: Any) -> str:
    return repr(gone) if isinstance(gone, str) else " ".join(map(repr, gone.values()))
