"""One key in a JSON, TOML or INI file, set without touching anything else in it. Pure."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from pathlib import PurePath
from typing import Any

_STEP = "    "


def form_of(name: str) -> str:
    """How a file is written, by the end of its name: ``json``, ``toml`` or ``ini``; empty for any other."""
    suffix = PurePath(name).suffix.lower()
    if suffix in (".json", ".jsonc", ".json5", ".code-workspace"):
        return "json"
    return {".toml": "toml", ".ini": "ini", ".cfg": "ini", ".conf": "ini"}.get(suffix, "")


def with_key(content: bytes | None, form: str, path: Sequence[str], value: Any) -> bytes:
    """A file's content with ``value`` (text, number, truth, list or table) at ``path``; unchanged where it is
    there.

    Comments and layout stay. Raises ``ValueError`` where the content cannot be read as that form, or where
    something on the way is no table.
    """
    text = (content or b"").decode("utf-8")
    return {"json": _json, "toml": _toml, "ini": _ini}[form](text, path, value).encode("utf-8")


def _toml(text: str, path: Sequence[str], value: Any) -> str:
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    try:
        document = tomlkit.parse(text)
    except TOMLKitError as error:
        raise ValueError(f"it is not TOML: {error}") from None
    table: Any = document
    for step in path[:-1]:
        if step not in table:
            table[step] = tomlkit.table()
        table = table[step]
        if not hasattr(table, "unwrap") or not isinstance(table.unwrap(), dict):
            raise ValueError(f"{step!r} is no table in it")
    if path[-1] in table and _plain(table[path[-1]]) == value:
        return text
    table[path[-1]] = value
    return tomlkit.dumps(document)


def _plain(item: Any) -> Any:
    return item.unwrap() if hasattr(item, "unwrap") else item


def _ini(text: str, path: Sequence[str], value: Any) -> str:
    import configparser

    from configupdater import ConfigUpdater

    if len(path) != 2:
        raise ValueError('a key of an INI file is a section and a name: ["section", "name"]')
    section, name = path
    like = re.search(rf"^{re.escape(name)}(\s*)=", text, re.MULTILINE) or re.search(
        r"^\w[^=\n]*?(\s*)=", text, re.MULTILINE
    )
    file = ConfigUpdater(
        delimiters=("=",), allow_no_value=True, space_around_delimiters=like is None or bool(like[1])
    )
    try:
        file.read_string(text)
    except configparser.Error as error:
        raise ValueError(f"it is not INI: {error.message.splitlines()[0]}") from None
    wanted = json.dumps(value) if not isinstance(value, str) else value
    if file.has_section(section):
        if file.has_option(section, name) and file.get(section, name).value == wanted:
            return text
    else:
        if text and not text.endswith("\n\n"):
            file.add_section(section)
            file[section].add_before.space(1)
        else:
            file.add_section(section)
    file.set(section, name, wanted)
    return str(file)


def _json(text: str, path: Sequence[str], value: Any) -> str:
    """JSON as editors read it: with comments, and a comma after the last pair."""
    source = text.encode()
    if not text.strip():
        return json.dumps(_nested(path, value), indent=len(_STEP), ensure_ascii=False) + "\n"
    import tree_sitter_json
    from tree_sitter import Language, Parser

    root = Parser(Language(tree_sitter_json.language())).parse(source).root_node
    wrong = next((n for n in _all(root) if (n.is_error and n.text != b",") or n.is_missing), None)
    if wrong is not None:
        raise ValueError(f"line {wrong.start_point[0] + 1} is not JSON")
    node: Any = next((child for child in root.named_children if child.type == "object"), None)
    if node is None:
        raise ValueError("it holds no object")
    for depth, step in enumerate(path):
        pair = next((p for p in node.children if p.type == "pair" and _key(p) == step), None)
        rest = path[depth + 1 :]
        if pair is None:
            return _added(source, node, step, _nested(rest, value)).decode()
        found: Any = pair.child_by_field_name("value")
        if not rest:
            return _replaced(source, pair, found, value).decode()
        if found.type != "object":
            raise ValueError(f"{step!r} is no object in it (line {found.start_point[0] + 1})")
        node = found
    return text


def _all(node: Any) -> list[Any]:
    return [node, *(inner for child in node.children for inner in _all(child))]


def _key(pair: Any) -> str:
    return str(json.loads(pair.child_by_field_name("key").text))


def _nested(path: Sequence[str], value: Any) -> Any:
    for step in reversed(path):
        value = {step: value}
    return value


def _replaced(source: bytes, pair: Any, found: Any, value: Any) -> bytes:
    try:
        if json.loads(found.text) == value:
            return source
    except ValueError:
        pass  # it holds comments
    return source[: found.start_byte] + _written(value, _indent(source, pair)) + source[found.end_byte :]


def _added(source: bytes, node: Any, key: str, value: Any) -> bytes:
    """The object with one more pair at its end, laid out like the one before."""
    pairs = [child for child in node.children if child.type == "pair"]
    if not pairs:
        inner = _indent(source, node) + _STEP
        new = f"\n{inner}{json.dumps(key)}: ".encode() + _written(value, inner)
        at = node.children[0].end_byte
        body = source[at : node.end_byte - 1]
        close = b"" if b"\n" in body else f"\n{_indent(source, node)}".encode()
        return source[:at] + new + (body if body.strip() else b"") + close + source[node.end_byte - 1 :]
    last = pairs[-1]
    comma = next((c for c in node.children if c.start_byte >= last.end_byte and c.text == b","), None)
    at = comma.end_byte if comma else last.end_byte
    same_line = last.start_point[0] == node.start_point[0]
    inner = _indent(source, last)
    gap = " " if same_line else f"\n{inner}"
    new = f"{gap}{json.dumps(key)}: ".encode() + _written(value, inner)
    return source[:at] + (b"" if comma else b",") + new + (b"," if comma else b"") + source[at:]


def _indent(source: bytes, node: Any) -> str:
    line = source[source.rfind(b"\n", 0, node.start_byte) + 1 : node.start_byte].decode("utf-8", "replace")
    return line[: len(line) - len(line.lstrip())]


def _written(value: Any, indent: str) -> bytes:
    text = json.dumps(value, indent=len(_STEP), ensure_ascii=False)
    return text.replace("\n", f"\n{indent}").encode()
