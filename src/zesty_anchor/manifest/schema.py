"""The manifest's JSON Schema, for an editor that completes and checks TOML."""

from __future__ import annotations

import tomllib
from typing import Any

import msgspec

from zesty_anchor.manifest.feed_kinds import FEED_KINDS
from zesty_anchor.manifest.keys import Table, every_key, texts
from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.part import REGISTRY
from zesty_anchor.manifest.shell_names import SHELL_CLASSES
from zesty_anchor.system.registry import Registry

_REGISTRIES: dict[str, Registry[Any]] = {registry.noun: registry for registry in (FEED_KINDS, SHELL_CLASSES)}


def json_schema() -> dict[str, object]:
    """The schema (draft 2020-12), with the meaning and an example of each key. Pure."""
    # Its patterns are those of ECMA-262, where ^ and $ are the ends of the whole.
    text = msgspec.json.encode(msgspec.json.schema(Manifest)).replace(rb"\\A", b"^").replace(rb"\\Z", b"$")
    schema = msgspec.json.decode(text, type=dict[str, Any])
    _allow_registered(schema)
    for table in {key.table for key in every_key()}:
        _describe(schema["$defs"][table.__name__], table)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "workstation.toml", **schema}


def _describe(part: dict[str, Any], table: Table) -> None:
    """Put the texts of a model's fields into its part of the schema."""
    for name, text in texts(table).items():
        part["properties"][name]["description"] = text.meaning
        if text.example:
            part["properties"][name]["examples"] = [tomllib.loads(f"value = {text.example}")["value"]]


def _allow_registered(part: object) -> None:
    """Put the names of a registry where a schema has its noun."""
    if isinstance(part, dict):
        named = part.get(REGISTRY)
        if isinstance(named, str) and named in _REGISTRIES:  # a key of the manifest may have that name too
            part["enum"] = list(_REGISTRIES[part.pop(REGISTRY)].names())
        for each in part.values():
            _allow_registered(each)
    elif isinstance(part, list):
        for each in part:
            _allow_registered(each)
