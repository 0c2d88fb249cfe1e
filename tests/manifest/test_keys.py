"""Every key of the manifest has a text, a type in words and an example that the model takes."""

from __future__ import annotations

import tomllib
from typing import Any

import msgspec
import pytest

from zesty_anchor.manifest.keys import Key, every_key, find, in_words, texts
from zesty_anchor.manifest.model import Manifest, Runtime, Shells
from zesty_anchor.manifest.schema import json_schema

KEYS = list(every_key())
TABLES = sorted({key.table for key in KEYS}, key=lambda each: each.__name__)


@pytest.mark.parametrize("table", TABLES, ids=lambda each: each.__name__)
def test_every_key_has_a_sentence(table: type[msgspec.Struct]) -> None:
    said = texts(table)
    assert set(said) == {field.encode_name for field in msgspec.structs.fields(table)}
    for name, text in said.items():
        assert text.meaning.endswith((".", "below.")), name
        assert text.meaning[0].isupper(), name
        assert "Example:" not in text.meaning, name


@pytest.mark.parametrize("table", TABLES, ids=lambda each: each.__name__)
def test_every_example_is_taken_by_the_model(table: type[msgspec.Struct]) -> None:
    kinds: dict[str, Any] = {field.encode_name: field.type for field in msgspec.structs.fields(table)}
    for name, text in texts(table).items():
        if text.example:
            value = tomllib.loads(f"value = {text.example}")["value"]
            assert msgspec.convert(value, kinds[name]) is not None
        else:
            assert "table" in in_words(kinds[name]), f"{name} has no example"


def test_a_value_that_the_model_refuses_would_be_noticed() -> None:
    kinds: dict[str, Any] = {field.encode_name: field.type for field in msgspec.structs.fields(Shells)}
    with pytest.raises(msgspec.ValidationError):
        msgspec.convert("sometimes", kinds["missing"])


def test_a_key_is_found_by_its_whole_name_or_its_last_ones() -> None:
    assert names(find("runtimes.kelp.want")) == ["runtimes.NAME.want"]
    assert names(find("[shells]")) == ["shells"]
    assert names(find("runtimes.kelp.optional_needs")) == ["runtimes.NAME.optional-needs"]
    assert {"runtimes.NAME.want", "managers.NAME.want"} <= set(names(find("want")))
    assert names(find("build.jobs")) == ["runtimes.NAME.build.jobs"]
    assert names(find("runtimes.kelp.wand")) == []
    assert names(find("kelp")) == []


def names(found: tuple[Key, ...]) -> list[str]:
    return [key.name for key in found]


def test_types_are_said_in_words() -> None:
    said = {key.name: key.type for key in KEYS}
    assert said["shells.missing"] == 'one of "say", "ask", "install", "default"'
    assert said["runtimes.NAME.also"] == "a list of text"
    assert said["checks.port"] == "a whole number from 1 to 65535"
    assert said["prerequisites.packages"] == "a list of text or a table of a list of text by name"
    assert said["settings"] == "a list of tables"
    assert said["feeds"] == "tables by name"
    assert '"zsh"' in said["shells.use"]


def test_defaults_are_toml() -> None:
    said = {key.name: key for key in KEYS}
    assert said["shells.missing"].default == '"say"'
    assert said["checks.seconds"].default == "20"
    assert said["runtimes.NAME.alternatives"].default == "true"
    assert said["runtimes.NAME.want"].required
    assert not said["runtimes.NAME.want"].default


def test_the_schema_describes_every_property() -> None:
    defs: dict[str, Any] = json_schema()["$defs"]  # type: ignore[assignment]
    assert {table.__name__ for table in TABLES} == set(defs)
    lacking = [
        f"{table}.{name}"
        for table, part in defs.items()
        for name, each in part["properties"].items()
        if not each.get("description")
    ]
    assert not lacking
    assert defs["Runtime"]["properties"]["want"]["examples"] == ["lts"]
    assert texts(Runtime)["want"].meaning in defs["Runtime"]["properties"]["want"]["description"]
    assert set(texts(Manifest)) == set(defs["Manifest"]["properties"])
