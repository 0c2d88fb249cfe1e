"""Reading a manifest or a recipe, with errors that name the file, the line and the nearest right word."""

from __future__ import annotations

import re
import types
import typing
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cache, partial
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from zesty_anchor.manifest.condition import Facts
from zesty_anchor.manifest.layers import read_layers
from zesty_anchor.manifest.meaning import meaning
from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.position import Step
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.recipe_meaning import recipe_meaning
from zesty_anchor.manifest.source import Source, of_one
from zesty_anchor.manifest.toml_file import parsed, read_text
from zesty_anchor.manifest.wrong import Wrong, dotted, nearest, nearest_key, shortened
from zesty_anchor.system.problem import Problems, UsageProblem
from zesty_anchor.system.registry import Registry

FILE_NAME = "workstation.toml"


class NoManifest(UsageProblem):
    """No manifest was named, and none is found."""


Model = TypeVar("Model", bound=msgspec.Struct)


def find(
    given: Path | None,
    folder: Path,
    personal: Path,
    provisioned: Path | None = None,
    pins: Callable[[Path], bool] | None = None,
    home: Path | None = None,
) -> Path:
    """The manifest to use: the given file, else the first one upward from ``folder``, else the personal one
    (in the folder ``personal``, or in the ``home``), else the one that was ``provisioned`` last. A file that
    only ``pins`` versions is a project's, if there is another.

    Raises ``NoManifest`` where there is none, ``UsageProblem`` where the given one is not there.
    """
    if given is not None:
        if given.is_file():
            return given
        raise UsageProblem(
            f"there is no manifest at {given}", advice=f"name an existing file: -m path/to/{FILE_NAME}"
        )
    own = (personal / FILE_NAME, home / FILE_NAME if home is not None else None, provisioned)
    others = [file for file in own if file is not None and file.is_file()]
    upward = [each / FILE_NAME for each in (folder, *folder.parents) if (each / FILE_NAME).is_file()]
    for file in upward:
        if file in others or not others or pins is None or not pins(file):
            return file
    if others:
        return others[0]
    raise NoManifest(
        f"no {FILE_NAME} found in {folder}, in a folder above it, or in {personal}",
        advice=(
            "begin one with: zesty-anchor draft node   (zesty-anchor list shows the available runtimes),"
            f" or name it: -m path/to/{FILE_NAME}"
        ),
    )


def read_manifest(file: Path) -> Manifest:
    """Read and check a manifest. Raises as ``parse_manifest`` does, and ``Problem`` where the file cannot be
    read.
    """
    return parse_manifest(read_text(file), file)


def parse_manifest(text: str, file: Path, below: Below = lambda name: None) -> Manifest:
    """Check the text of a manifest, which stands, or will stand, in ``file``. ``below`` gives the recipe that
    one of the manifest adds to.

    Raises ``UsageProblem`` (``Problems`` where several things are wrong) that names file and line.
    """
    return manifest_of(*read_layers(text, file, Facts, file.parent), below)


def manifest_of(source: Source, others: Iterable[Source] = (), below: Below = lambda name: None) -> Manifest:
    """Check what the layers of a manifest came to. ``others`` are what they would come to elsewhere: mistakes
    in those are found too. Raises as ``parse_manifest``.
    """
    for other in others:
        _checked(other, below)
    return _checked(source, below)


def _checked(source: Source, below: Below) -> Manifest:
    raw = dict(source.tables)
    recipes = raw.get("recipes")
    if isinstance(recipes, dict):
        raw["recipes"] = {
            name: added(whole, table)
            if isinstance(table, dict) and "commands" not in table and (whole := below(name)) is not None
            else table
            for name, table in recipes.items()
        }
    manifest = _converted(raw, Manifest, source)
    wrong = list(meaning(manifest))
    if wrong:
        raise _told(source, wrong)
    return manifest


Below = Callable[[str], dict[str, Any] | None]
"""The tables of the recipe that a manifest's recipe without commands adds to, by its name; None where there
is none.
"""


def added(whole: dict[str, Any], more: dict[str, Any]) -> dict[str, Any]:
    """A table with what another one says: tables are put together, lists get what they lack, all else takes
    the other's place. Pure.
    """
    found = dict(whole)
    for key, value in more.items():
        old = found.get(key)
        if isinstance(old, dict) and isinstance(value, dict):
            found[key] = added(old, value)
        elif isinstance(old, list) and isinstance(value, list):
            found[key] = [*old, *(each for each in value if each not in old)]
        else:
            found[key] = value
    return found


def read_recipe(file: Path) -> Recipe:
    """Read and check a recipe file. Raises ``UsageProblem`` that names file and line."""
    text = read_text(file)
    source = of_one(text, file, parsed(text, file))
    recipe = _converted(source.tables, Recipe, source)
    wrong = list(recipe_meaning(recipe))
    if wrong:
        raise _told(source, wrong)
    return recipe


def _converted(raw: Mapping[str, Any], kind: type[Model], source: Source) -> Model:
    try:
        model = msgspec.convert(raw, kind)
    except msgspec.ValidationError as error:
        wrong = [*_check(raw, kind, ()), *_unregistered(raw, kind, ())]
        raise _told(source, wrong or [Wrong((), str(error), "")]) from None
    wrong = list(_unregistered(raw, kind, ()))
    if wrong:
        raise _told(source, wrong)
    return model


def _unregistered(raw: Any, kind: Any, path: tuple[Step, ...]) -> Iterator[Wrong]:
    """Each name in ``raw`` that its registry does not have. The model lets any text pass: other packages
    register names too.
    """
    origin, within = typing.get_origin(kind), typing.get_args(kind)
    if not _holds_registered(kind):
        return
    if origin in (typing.Union, types.UnionType):
        for arm in within:
            yield from _unregistered(raw, arm, path)
    elif _is_table(kind) and isinstance(raw, dict):
        for field in msgspec.structs.fields(kind):
            if field.encode_name in raw:
                yield from _unregistered(raw[field.encode_name], field.type, (*path, field.encode_name))
    elif origin is dict and isinstance(raw, dict):
        for key, value in raw.items():
            yield from _unregistered(key, within[0], (*path, key))
            yield from _unregistered(value, within[1], (*path, key))
    elif origin is tuple and isinstance(raw, list):
        for index, value in enumerate(raw):
            yield from _unregistered(value, within[0], (*path, index))
    elif isinstance(raw, str) and (registry := _registry(kind)) is not None and raw not in registry:
        yield Wrong(path, f"{dotted(path)} is {_seen(raw)}, but {_expected(kind, '')}", _hint(raw, kind))


def _told(source: Source, wrong: list[Wrong]) -> UsageProblem:
    each = [
        UsageProblem(w.what, where=source.place(*w.path), advice=w.advised()) for w in wrong[:_MOST_SHOWN]
    ]
    if len(wrong) > _MOST_SHOWN:
        more = f"{len(wrong) - _MOST_SHOWN} more errors in it"
        each.append(
            UsageProblem(more, where=str(source.file), advice="fix these first, then run the command again")
        )
    return each[0] if len(each) == 1 else Problems(each)


_MOST_SHOWN = 20
"""How many errors are shown; the others are counted."""


def _check(raw: Any, kind: Any, path: tuple[Step, ...]) -> Iterator[Wrong]:
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
        yield from _check_leaf(raw, kind, path, dotted(path))


def _check_union(raw: Any, kind: Any, path: tuple[Step, ...]) -> Iterator[Wrong]:
    arms = [arm for arm in typing.get_args(kind) if arm is not type(None)]
    fitting = [
        arm
        for arm in arms
        if (isinstance(raw, dict) and isinstance(arm, type) and issubclass(arm, msgspec.Struct))
        or (isinstance(raw, list) and typing.get_origin(arm) is tuple)
    ]
    yield from _check(raw, fitting[0], path) if fitting else _check_leaf(raw, kind, path, dotted(path))


def _check_table(raw: Any, kind: type[msgspec.Struct], path: tuple[Step, ...]) -> Iterator[Wrong]:
    if not isinstance(raw, dict):
        yield Wrong(
            path, f"{dotted(path)} is {_seen(raw)}, but a table is expected", _table_advice(kind, path)
        )
        return
    fields = {f.encode_name: f for f in msgspec.structs.fields(kind)}
    for key, value in raw.items():
        if key in fields:
            yield from _check(value, fields[key].type, (*path, key))
        else:
            where = f"in [{dotted(path)}]" if path else "at the top level"
            advice = partial(nearest_key, key, list(fields))
            yield Wrong((*path, key), f"the key {shortened(key)!r} is not known {where}", advice)
    lacking = [name for name, field in fields.items() if field.required and name not in raw]
    unknown = [key for key in raw if key not in fields][:_MOST_SHOWN] if lacking else []
    meant = {nearest(key, list(fields)) for key in unknown}
    for name in lacking:
        if name not in meant:
            yield Wrong(path, f"[{dotted(path)}] lacks the key {name!r}", f"add a line: {name} = …")


def _check_leaf(raw: Any, kind: Any, path: tuple[Step, ...], subject: str) -> Iterator[Wrong]:
    try:
        msgspec.convert(raw, kind)
    except msgspec.ValidationError as error:
        yield Wrong(path, f"{subject} is {_seen(raw)}, but {_expected(kind, str(error))}", _hint(raw, kind))


def _table_advice(kind: type[msgspec.Struct], path: tuple[Step, ...]) -> str:
    first = next((f.encode_name for f in msgspec.structs.fields(kind) if f.required), None)
    return f"write [{dotted(path)}]" + (f" and below it {first} = …" if first else " and its keys below it")


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


def _is_table(kind: Any) -> bool:
    return isinstance(kind, type) and issubclass(kind, msgspec.Struct)


@cache
def _holds_registered(kind: Any) -> bool:
    """Whether a type has names of a registry in it."""
    if _is_table(kind):
        return any(_holds_registered(field.type) for field in msgspec.structs.fields(kind))
    return _registry(kind) is not None or any(map(_holds_registered, typing.get_args(kind)))


def _registry(kind: Any) -> Registry[Any] | None:
    """The registry that a text of this type names a member of."""
    meta = typing.get_args(kind)[1] if typing.get_origin(kind) is typing.Annotated else None
    return meta.extra["registry"] if isinstance(meta, msgspec.Meta) and meta.extra else None


def _choices(kind: Any) -> tuple[str, ...]:
    if typing.get_origin(kind) is typing.Literal:
        return typing.get_args(kind)
    if (registry := _registry(kind)) is not None:
        return registry.names()
    return tuple(choice for arm in typing.get_args(kind) for choice in _choices(arm))


_TRUTHS = {
    **dict.fromkeys(("true", "yes", "on", "1"), "true"),
    **dict.fromkeys(("false", "no", "off", "0"), "false"),
}


def _hint(raw: Any, kind: Any) -> str:
    if isinstance(raw, str) and typing.get_origin(kind) is tuple:
        return f'write a list: ["{raw}"]'
    if kind is bool and str(raw).lower() in _TRUTHS:
        return f"write {_TRUTHS[str(raw).lower()]}, without quotes"
    if isinstance(raw, str) and _choices(kind):
        return nearest_key(raw, list(_choices(kind)))
    if isinstance(raw, int | float) and not isinstance(raw, bool):
        return f'put it in quotes: "{raw}"'
    return "zesty-anchor docs keys lists every key"


def _seen(raw: Any) -> str:
    if isinstance(raw, str):
        return f'the text "{raw}"'
    if isinstance(raw, bool):
        return str(raw).lower()
    if isinstance(raw, int | float):
        return f"the number {raw}"
    return (
        "a list"
        if isinstance(raw, list)
        else "a table"
        if isinstance(raw, dict)
        else f"a {type(raw).__name__}"
    )
