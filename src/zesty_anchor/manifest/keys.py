"""Every key of the manifest with its type, default, meaning and example, read from the models: the docstring
below a field is its text.
"""

from __future__ import annotations

import ast
import inspect
import re
import types
import typing
from collections.abc import Iterator, Sequence
from functools import cache
from textwrap import dedent
from typing import Any, NamedTuple

import msgspec

from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.part import Name, VariableName
from zesty_anchor.system.registry import Registry

Table = type[msgspec.Struct]

_EXAMPLE = re.compile(r"\s*Example: ``(?P<example>.*)``\.\Z")
_PLACE: dict[Any, str] = {Name: "NAME", VariableName: "NAME"}
_WORDS = {str: "text", int: "a whole number", float: "a number", bool: "true or false", Any: "any value"}


class Text(NamedTuple):
    """What the docstring of a field says: its meaning, and an example of its value as TOML (empty for a
    table).
    """

    meaning: str
    example: str


class Key(NamedTuple):
    """One key. ``path`` are the names on the way to it, with NAME for one that the person chooses;
    ``default`` is TOML, empty where there is none; ``table`` is the model that the key is in.
    """

    path: tuple[str, ...]
    type: str
    default: str
    required: bool
    meaning: str
    example: str
    table: Table

    @property
    def name(self) -> str:
        """The whole key with dots."""
        return ".".join(self.path)


@cache
def texts(table: Table) -> dict[str, Text]:
    """The text of each field of a model, by the name of its key: the string below the field, as PEP 258
    describes attribute docstrings. A field without one is left out.
    """
    body = ast.parse(dedent(inspect.getsource(table))).body[0]
    assert isinstance(body, ast.ClassDef)
    names = {field.name: field.encode_name for field in msgspec.structs.fields(table)}
    found = {}
    for field, below in zip(body.body, body.body[1:], strict=False):
        if not (isinstance(field, ast.AnnAssign) and isinstance(field.target, ast.Name)):
            continue
        if (
            isinstance(below, ast.Expr)
            and isinstance(below.value, ast.Constant)
            and isinstance(below.value.value, str)
        ):
            text = " ".join(below.value.value.split())
            example = _EXAMPLE.search(text)
            meaning = _EXAMPLE.sub("", text).replace("``", "`")
            found[names[field.target.id]] = Text(meaning, example["example"] if example else "")
    return found


def every_key(table: Table = Manifest, path: tuple[str, ...] = ()) -> Iterator[Key]:
    """Every key of a model and of the tables in it, each table before its keys. Pure."""
    for field in msgspec.structs.fields(table):
        said = texts(table).get(field.encode_name, Text("", ""))
        here = (*path, field.encode_name)
        inner, place = _table_of(field.type)
        default = "" if field.required else _toml(field)
        yield Key(here, in_words(field.type), default, field.required, said.meaning, said.example, table)
        if inner is not None:
            yield from every_key(inner, (*here, *place))


def find(text: str) -> tuple[Key, ...]:
    """The keys that a person means by ``text``: the whole key (``runtimes.kelp.want``, with any name in the
    place of NAME), else each key whose last names it is (``want``). Pure.
    """
    asked = tuple(re.sub(r"[\[\]]", "", text).replace("_", "-").split("."))
    every = list(every_key())
    whole = tuple(key for key in every if _fits(key.path, asked))
    return whole or tuple(key for key in every if _fits(key.path[-len(asked) :], asked))


def _fits(path: tuple[str, ...], asked: tuple[str, ...]) -> bool:
    return (
        len(path) == len(asked)
        and all(p in ("NAME", a) for p, a in zip(path, asked, strict=True))
        and path[-1] != "NAME"
    )


def _table_of(kind: Any) -> tuple[Table | None, tuple[str, ...]]:
    """The model that a field's type holds, and the names on the way to it."""
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        return kind, ()
    origin, held = typing.get_origin(kind), typing.get_args(kind)
    if origin is dict:
        inner, place = _table_of(held[1])
        return inner, ("NAME", *place)
    if origin in (tuple, typing.Union, types.UnionType):
        return next((found for each in held if (found := _table_of(each))[0] is not None), (None, ()))
    return None, ()


def in_words(kind: Any) -> str:
    """A field's type as a person says it: ``a list of text``. Pure."""
    origin, held = typing.get_origin(kind), [arg for arg in typing.get_args(kind) if arg is not Ellipsis]
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        return "a table"
    if origin is typing.Literal:
        return _choice(held)
    if origin is typing.Annotated:
        meta = held[1]
        registry: Registry[Any] | None = (
            (meta.extra or {}).get("registry") if isinstance(meta, msgspec.Meta) else None
        )
        if registry is not None:
            return _choice(registry.names())
        bounds = f" from {meta.ge} to {meta.le}" if meta.ge is not None else ""
        return meta.description or in_words(held[0]) + bounds
    if origin in (types.UnionType, typing.Union):
        return " or ".join(in_words(each) for each in held if each is not type(None))
    if origin is dict:
        return (
            "tables by name"
            if in_words(held[1]) == "a table" or typing.get_origin(held[1]) is dict
            else f"a table of {in_words(held[1])} by name"
        )
    if origin in (tuple, list):
        inner = in_words(held[0])
        if inner == "a table":
            return "a list of tables"
        return (
            f"a list, each {inner}"
            if inner.startswith(("one of", "a name", "a file"))
            else f"a list of {inner}"
        )
    return _WORDS[kind]


def _choice(words: Sequence[object]) -> str:
    quoted = [f'"{word}"' for word in words]
    return " or ".join(quoted) if len(quoted) < 3 else f"one of {', '.join(quoted)}"


def _toml(field: msgspec.structs.FieldInfo) -> str:
    """A field's default as TOML; empty where it is nothing, or a table."""
    import tomlkit

    value = field.default if field.default is not msgspec.NODEFAULT else field.default_factory()
    if value is None or isinstance(value, msgspec.Struct | dict) or value in ("", ()):
        return ""
    return str(tomlkit.item(list(value) if isinstance(value, tuple) else value).as_string())
