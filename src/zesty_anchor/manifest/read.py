"""Reading a manifest or a recipe, with errors that name the file, the line and the nearest right word."""

from __future__ import annotations

import re
import tomllib
import types
import typing
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from zesty_anchor.manifest.model import SYSTEM, Manifest
from zesty_anchor.manifest.position import Step, line_of
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.want import Want
from zesty_anchor.system import pam_environment
from zesty_anchor.system.problem import Problem, Problems, UsageProblem

FILE_NAME = "workstation.toml"


class NoManifest(UsageProblem):
    """No manifest was named, and none is found."""


Model = TypeVar("Model", bound=msgspec.Struct)


class _Wrong(typing.NamedTuple):
    path: tuple[Step, ...]
    what: str
    advice: str


def find(
    given: Path | None,
    folder: Path,
    personal: Path,
    provisioned: Path | None = None,
    pins: Callable[[Path], bool] | None = None,
) -> Path:
    """The manifest to use: the given file, else the first one upward from ``folder``, else the personal one, else the
    one that was ``provisioned`` last. A file that only ``pins`` versions is a project's, if there is another.

    Raises ``NoManifest`` where there is none, ``UsageProblem`` where the given one is not there.
    """
    if given is not None:
        if given.is_file():
            return given
        raise UsageProblem(f"there is no manifest at {given}", advice=f"name an existing file: -m path/to/{FILE_NAME}")
    others = [file for file in (personal / FILE_NAME, provisioned) if file is not None and file.is_file()]
    upward = [each / FILE_NAME for each in (folder, *folder.parents) if (each / FILE_NAME).is_file()]
    for file in upward:
        if file in others or not others or pins is None or not pins(file):
            return file
    if others:
        return others[0]
    raise NoManifest(
        f"no {FILE_NAME} found in {folder}, in a folder above it, or in {personal}",
        advice=f"begin one with: zesty-anchor draft node   (zesty-anchor list names the runtimes that can be had), "
        f"or name it: -m path/to/{FILE_NAME}",
    )


def read_manifest(file: Path) -> Manifest:
    """Read and check a manifest. Raises as ``parse_manifest`` does, and ``Problem`` where the file cannot be read."""
    return parse_manifest(read_text(file), file)


def parse_manifest(text: str, file: Path) -> Manifest:
    """Check the text of a manifest, which stands, or will stand, in ``file``.

    Raises ``UsageProblem`` (``Problems`` where several things are wrong) that names file and line.
    """
    raw = _parsed(text, file)
    try:
        manifest = msgspec.convert(raw, Manifest)
    except msgspec.ValidationError as error:
        raise _told(file, text, list(_check(raw, Manifest, ())) or [_Wrong((), str(error), "")]) from None
    wrong = list(_meaning(manifest))
    if wrong:
        raise _told(file, text, wrong)
    return manifest


def read_recipe(file: Path) -> Recipe:
    """Read and check a recipe file. Raises ``UsageProblem`` that names file and line."""
    text = read_text(file)
    raw = _parsed(text, file)
    try:
        return msgspec.convert(raw, Recipe)
    except msgspec.ValidationError as error:
        raise _told(file, text, list(_check(raw, Recipe, ())) or [_Wrong((), str(error), "")]) from None


def read_text(file: Path) -> str:
    """The text of a TOML file. Raises ``Problem`` where it cannot be read, or is not UTF-8."""
    try:
        return file.read_bytes().decode("utf-8")
    except OSError as error:
        raise Problem(f"{file} cannot be read: {error.strerror}", advice="check its permissions") from None
    except UnicodeDecodeError as error:
        raise UsageProblem(
            f"byte {error.start} is not UTF-8",
            where=str(file),
            advice="save the file as UTF-8 (TOML 1.0 asks for it)",
        ) from None


def _parsed(text: str, file: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise _syntax(file, text, error) from None


def _syntax(file: Path, text: str, error: tomllib.TOMLDecodeError) -> UsageProblem:
    message = str(error)
    place = re.search(r"\(at line (\d+), column (\d+)\)", message)
    line = int(place[1]) if place else len(text.splitlines())
    shown = text.splitlines()[line - 1].strip() if 0 < line <= len(text.splitlines()) else "the end of the file"
    return UsageProblem(
        f"this is not TOML: {message.split(' (at ')[0].lower()}",
        where=f"{file}:{line}",
        advice=f"look at: {shown}",
    )


def _told(file: Path, text: str, wrong: list[_Wrong]) -> UsageProblem:
    each = [UsageProblem(w.what, where=f"{file}:{line_of(text, w.path)}", advice=w.advice) for w in wrong]
    return each[0] if len(each) == 1 else Problems(each)


def _check(raw: Any, kind: Any, path: tuple[Step, ...]) -> Iterator[_Wrong]:
    """Everything in ``raw`` that the model refuses, each with its path: msgspec names only the first."""
    origin = typing.get_origin(kind)
    if origin in (typing.Union, types.UnionType):
        yield from _check_union(raw, kind, path)
    elif isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        yield from _check_table(raw, kind, path)
    elif origin is dict and isinstance(raw, dict):
        key_kind, value_kind = typing.get_args(kind)
        for key, value in raw.items():
            yield from _check_leaf(key, key_kind, (*path, key), "the name")
            yield from _check(value, value_kind, (*path, key))
    elif origin is tuple and isinstance(raw, list):
        for index, value in enumerate(raw):
            yield from _check(value, typing.get_args(kind)[0], (*path, index))
    else:
        yield from _check_leaf(raw, kind, path, _dotted(path))


def _check_union(raw: Any, kind: Any, path: tuple[Step, ...]) -> Iterator[_Wrong]:
    arms = [arm for arm in typing.get_args(kind) if arm is not type(None)]
    fitting = [
        arm
        for arm in arms
        if (isinstance(raw, dict) and isinstance(arm, type) and issubclass(arm, msgspec.Struct))
        or (isinstance(raw, list) and typing.get_origin(arm) is tuple)
    ]
    yield from _check(raw, fitting[0], path) if fitting else _check_leaf(raw, kind, path, _dotted(path))


def _check_table(raw: Any, kind: type[msgspec.Struct], path: tuple[Step, ...]) -> Iterator[_Wrong]:
    if not isinstance(raw, dict):
        yield _Wrong(path, f"{_dotted(path)} is {_seen(raw)}, but a table is expected", _table_advice(kind, path))
        return
    fields = {f.encode_name: f for f in msgspec.structs.fields(kind)}
    for key, value in raw.items():
        if key in fields:
            yield from _check(value, fields[key].type, (*path, key))
        else:
            where = f"in [{_dotted(path)}]" if path else "at the top level"
            yield _Wrong((*path, key), f"the key {key!r} is not known {where}", _nearest_key(key, list(fields)))
    meant = {_nearest(key, list(fields)) for key in raw if key not in fields}
    for name, field in fields.items():
        if field.required and name not in raw and name not in meant:
            yield _Wrong(path, f"[{_dotted(path)}] lacks the key {name!r}", f"add a line: {name} = …")


def _check_leaf(raw: Any, kind: Any, path: tuple[Step, ...], subject: str) -> Iterator[_Wrong]:
    try:
        msgspec.convert(raw, kind)
    except msgspec.ValidationError as error:
        yield _Wrong(path, f"{subject} is {_seen(raw)}, but {_expected(kind, str(error))}", _hint(raw, kind))


def _nearest(key: str, known: list[str]) -> str:
    import difflib

    return next(iter(difflib.get_close_matches(key, known, 1, 0.5)), "")


def _nearest_key(key: str, known: list[str]) -> str:
    close = _nearest(key, known)
    return f"did you mean {close!r}?" if close else f"known here: {', '.join(sorted(known))}"


def _table_advice(kind: type[msgspec.Struct], path: tuple[Step, ...]) -> str:
    first = next((f.encode_name for f in msgspec.structs.fields(kind) if f.required), None)
    return f"write [{_dotted(path)}]" + (f" and below it {first} = …" if first else " and its keys below it")


def _expected(kind: Any, message: str) -> str:
    choices = _choices(kind)
    if choices:
        return "one of " + ", ".join(f'"{c}"' for c in choices) + " is expected"
    if "regex" in message:
        arms = (kind, *typing.get_args(kind))
        meant = next((arm for arm in arms if typing.get_origin(arm) is typing.Annotated), None)
        if meant is not None:
            return f"expected is {typing.get_args(meant)[1].description}"
    if typing.get_origin(kind) is tuple:
        return "a list is expected"
    word = re.search(r"Expected `([^`]+)`", message)
    named = {
        "str": "text",
        "array": "a list",
        "object": "a table",
        "int": "a whole number",
        "bool": "true or false",
    }
    parts = [named.get(p.strip(), p.strip()) for p in (word[1] if word else "another type").split("|")]
    return " or ".join(p for p in parts if p != "null") + " is expected"


def _choices(kind: Any) -> tuple[str, ...]:
    if typing.get_origin(kind) is typing.Literal:
        return typing.get_args(kind)
    return tuple(choice for arm in typing.get_args(kind) for choice in _choices(arm))


def _hint(raw: Any, kind: Any) -> str:
    if isinstance(raw, str) and typing.get_origin(kind) is tuple:
        return f'write a list: ["{raw}"]'
    if isinstance(raw, str) and _choices(kind):
        return _nearest_key(raw, list(_choices(kind)))
    if isinstance(raw, int | float) and not isinstance(raw, bool):
        return f'put it in quotes: "{raw}"'
    return "docs/manifest.md lists every key"


def _seen(raw: Any) -> str:
    if isinstance(raw, str):
        return f'the text "{raw}"'
    if isinstance(raw, bool):
        return str(raw).lower()
    if isinstance(raw, int | float):
        return f"the number {raw}"
    return "a list" if isinstance(raw, list) else "a table" if isinstance(raw, dict) else f"a {type(raw).__name__}"


def _dotted(path: tuple[Step, ...]) -> str:
    text = ""
    for step in path:
        text += f"[{step}]" if isinstance(step, int) else f".{step}" if text else step
    return text


def _meaning(manifest: Manifest) -> Iterator[_Wrong]:
    """What the types let pass and the meaning does not."""
    yield from _managers(manifest)
    for name, runtime in manifest.runtimes.items():
        wants: list[tuple[tuple[Step, ...], str]] = [(("runtimes", name, "want"), runtime.want)]
        wants += [(("runtimes", name, "also", i), text) for i, text in enumerate(runtime.also)]
        for path, text in wants:
            if text == "system" and path[-1] != "want":
                yield _Wrong(path, f'{_dotted(path)}: "system" is no version', "write it as want, or leave it out")
            try:
                Want(text)
            except ValueError as error:
                what, _, advice = str(error).partition(": ")
                yield _Wrong(path, f"{_dotted(path)}: {what}", advice)
        if runtime.feed is not None and runtime.feed not in manifest.feeds:
            yield _Wrong(
                ("runtimes", name, "feed"),
                f"there is no feed {runtime.feed!r} in this manifest",
                _nearest_key(runtime.feed, list(manifest.feeds)) if manifest.feeds else f"add [feeds.{runtime.feed}]",
            )
    for name, feed in manifest.feeds.items():
        if feed.kind not in ("npm", "pypi") and not feed.url:
            what = f"the feed {name!r} of kind {feed.kind} has no address"
            yield _Wrong(("feeds", name), what, 'add a line: url = "https://…/"')
        for need in ("releases", "version", "file") if feed.kind == "json" else ():
            if need not in feed.map:
                what = f"the json feed {name!r} does not say where the {need} stands"
                yield _Wrong(("feeds", name), what, f'add a line: map.{need} = "a JMESPath expression"')
    for name, value in manifest.variables.items():
        yield from _variable(name, value)
    for key in ("first", "last"):
        for index, folder in enumerate(getattr(manifest.path, key)):
            yield from _path_entry(("path", key, index), folder)
    for index, removal in enumerate(manifest.conflicts.remove):
        named = [key for key in ("path", "package", "variable", "alternative") if getattr(removal, key) is not None]
        if len(named) != 1:
            what = f"conflicts.remove names {' and '.join(named) or 'nothing'}"
            yield _Wrong(("conflicts", "remove", index), what, "name one: path, package, variable or alternative")
        if removal.path is not None and not removal.path.startswith(("/", "~/")):
            yield _Wrong(
                ("conflicts", "remove", index, "path"),
                f"{removal.path!r} is neither absolute nor in the home",
                f'write "~/{removal.path}" or the whole path',
            )


def _managers(manifest: Manifest) -> Iterator[_Wrong]:
    for name, runtime in manifest.runtimes.items():
        if runtime.through is not None and runtime.through not in manifest.managers:
            yield _Wrong(
                ("runtimes", name, "through"),
                f"there is no manager {runtime.through!r} in this manifest",
                _nearest_key(runtime.through, list(manifest.managers))
                if manifest.managers
                else f"add [managers.{runtime.through}], or take this line out to have {name} on the shelf",
            )
        if runtime.through is not None and runtime.feed is not None:
            what = f"{name} comes through {runtime.through}, so no feed is asked for it"
            yield _Wrong(("runtimes", name, "feed"), what, "take out one of the two: feed, or through")
    for name, manager in manifest.managers.items():
        if name in manifest.runtimes:
            yield _Wrong(
                ("managers", name), f"{name} is a runtime of this manifest, and a manager", "rename one of them"
            )
        try:
            exact = Want(manager.want).kind == "line"
        except ValueError as error:
            what, _, advice = str(error).partition(": ")
            yield _Wrong(("managers", name, "want"), f"managers.{name}.want: {what}", advice)
            continue
        if manager.want == "system":
            what = f"a manager that is to be asked must be one that is brought here, and {name} is left to the system"
            yield _Wrong(("managers", name, "want"), what, 'write a version, or want = "latest"')
        elif manager.script is not None and not exact:
            what = f"a script brings one version, and managers.{name} wants {manager.want!r}"
            yield _Wrong(("managers", name, "want"), what, "write the exact version that the script brings")
        if manager.feed is not None and manager.script is not None:
            yield _Wrong(
                ("managers", name, "feed"), f"{name} comes by a script, so no feed is asked", "take out one of the two"
            )
        if manager.feed is not None and manager.feed not in manifest.feeds:
            what = f"there is no feed {manager.feed!r} in this manifest"
            yield _Wrong(("managers", name, "feed"), what, f"add [feeds.{manager.feed}]")


def _variable(name: str, value: str | dict[str, str]) -> Iterator[_Wrong]:
    if isinstance(value, str) == (name == SYSTEM):
        what = "is for variables of the whole system" if name == SYSTEM else "is a table"
        yield _Wrong(("variables", name), f"variables.{name} {what}", f'write {name} = "…", or [variables.{SYSTEM}]')
    elif isinstance(value, dict):
        for inner, text in value.items():
            why = pam_environment.unfit(text)
            if why:
                yield _Wrong(
                    ("variables", name, inner),
                    f"{inner} cannot be a variable of the whole system: {why}",
                    "set it in [variables], for your own shells",
                )
    elif "\0" in value:
        yield _Wrong(("variables", name), f"{name} holds a NUL byte", "no environment can carry one: leave it out")


def _path_entry(path: tuple[Step, ...], folder: str) -> Iterator[_Wrong]:
    if ":" in folder or "\0" in folder:
        yield _Wrong(path, f"{folder!r} cannot stand on PATH: a colon separates its entries", "rename the folder")
    elif not folder.startswith(("/", "~/")) and folder != "~":
        yield _Wrong(path, f"{folder!r} is neither absolute nor in the home", f'write "~/{folder}" or the whole path')
