"""One key in somebody else's file, and not a byte beyond."""

from __future__ import annotations

import json
import tomllib
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Desk
from zesty_anchor.demo.home import likeness
from zesty_anchor.files.keyed import form_of, with_key


@pytest.mark.parametrize(
    ("before", "path", "value", "after"),
    [
        (None, ["a"], 1, '{\n    "a": 1\n}\n'),
        ("", ["a", "b"], "x", '{\n    "a": {\n        "b": "x"\n    }\n}\n'),
        ("{}", ["a"], True, '{\n    "a": true\n}'),
        ('{"b": 2}', ["a"], 1, '{"b": 2, "a": 1}'),
        ('{\n\t"b": 2 // two\n}\n', ["a"], "ü", '{\n\t"b": 2,\n\t"a": "ü" // two\n}\n'),
        ('{\n  "b": 2,\n}\n', ["a"], 1, '{\n  "b": 2,\n  "a": 1,\n}\n'),
        ('// mine\n{ "a": 1 /* one */ }', ["a"], 2, '// mine\n{ "a": 2 /* one */ }'),
        ('{"a": {"b": 1}}', ["a", "c"], [1], '{"a": {"b": 1, "c": [\n    1\n]}}'),
        ('{"terminal.shell": "x"}', ["terminal.shell"], "y", '{"terminal.shell": "y"}'),
        ('{ "a" : [1,2] }', ["a"], [1, 2], '{ "a" : [1,2] }'),
    ],
)
def test_json(before: str | None, path: list[str], value: Any, after: str) -> None:
    content = before.encode() if before is not None else None
    assert with_key(content, "json", path, value).decode() == after
    assert with_key(after.encode(), "json", path, value).decode() == after, "a second time changes nothing"


@pytest.mark.parametrize(
    ("before", "path", "value", "after"),
    [
        ("# mine\n[a]\nb = 1  # one\n", ["a", "b"], 2, "# mine\n[a]\nb = 2  # one\n"),
        ("a = {b = 1}\n", ["a", "b"], 1, "a = {b = 1}\n"),
        ("", ["a", "b"], "x", '[a]\nb = "x"\n'),
    ],
)
def test_toml(before: str, path: list[str], value: Any, after: str) -> None:
    assert with_key(before.encode(), "toml", path, value).decode() == after


@pytest.mark.parametrize(
    ("before", "value", "after"),
    [
        (
            "; mine\n[ui]\nfont = a ; not a remark\nshell=sh\n",
            "fish",
            "; mine\n[ui]\nfont = a ; not a remark\nshell=fish\n",
        ),
        ("[ui]\nshell = fish\n", "fish", "[ui]\nshell = fish\n"),
        ("[x]\na = 1\n", 4, "[x]\na = 1\n\n[ui]\nshell = 4\n"),
        ("", "fish", "[ui]\nshell = fish\n"),
    ],
)
def test_ini(before: str, value: Any, after: str) -> None:
    assert with_key(before.encode(), "ini", ["ui", "shell"], value).decode() == after


@pytest.mark.parametrize(
    ("form", "text", "path"),
    [
        ("json", '{"a": }', ["a"]), ("json", "[1]", ["a"]), ("json", '{"a": 1}', ["a", "b"]), ("json",
        '{"a": 1', ["b"]),
        ("toml", "a = ", ["a"]), ("toml", "a = 1\n", ["a", "b"]), ("ini", "a = 1\n", ["a", "b"]), ("ini", "",
        ["a"]),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_left_alone(form: str, text: str, path: list[str]) -> None:
    with pytest.raises(ValueError):
        with_key(text.encode(), form, path, 1)


VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.text(max_size=5),
    lambda v: st.lists(v, max_size=3) | st.dictionaries(st.text(max_size=3), v, max_size=3),
    max_leaves=5,
)
TABLES = st.dictionaries(st.text(max_size=3), VALUES, max_size=4)


@given(
    TABLES, st.lists(st.text(max_size=3), min_size=1, max_size=3), VALUES, st.sampled_from([None, 2, "\t"])
)
def test_json_holds_what_it_held_and_the_key(
    table: dict[str, Any], path: list[str], value: Any, indent: Any
) -> None:
    expected: Any = json.loads(json.dumps(table))
    inner = expected
    for step in path[:-1]:
        inner = inner.setdefault(step, {})
        if not isinstance(inner, dict):
            return
    inner[path[-1]] = value
    text = json.dumps(table, indent=indent, ensure_ascii=False)
    assert json.loads(with_key(text.encode("utf-8", "surrogatepass"), "json", path, value)) == expected


def test_the_form_is_told_by_the_name() -> None:
    assert [form_of(name) for name in ("settings.json", "x.toml", "y.conf", "z")] == [
        "json",
        "toml",
        "ini",
        "",
    ]


def test_settings_are_made_shown_and_taken_back(desk: Desk) -> None:
    editor = desk.write('{\n  // the desk\'s own\n  "font": "Mono"\n}\n', ".config/editor/settings.json")
    desk.wants("""
[[settings]]
file = "~/.config/editor/settings.json"
key = "terminal.shell"
value = "zsh"
[[settings]]
file = "~/.config/editor/settings.json"
key = ["runtime", "folder"]
value = "{kelp}"
[[settings]]
file = "~/.config/term.toml"
key = ["shell", "program"]
value = "fish"
""")
    before = likeness(desk.home, (".local/state/zesty-anchor", ".cache"))
    assert '+  "terminal.shell": "zsh"' in desk.well("preview").out
    desk.well("provision")
    text = editor.read_text()
    assert "// the desk's own" in text and f'"folder": "{desk.shelf}/kelp/4.2.1"' in text
    assert tomllib.loads((desk.home / ".config/term.toml").read_text()) == {"shell": {"program": "fish"}}
    assert desk.well("provision", "--json").json["changed"] == 0
    editor.write_text(text.replace("the desk's own", "ours"))
    desk.well("undo")
    assert editor.read_text() == '{\n  // ours\n  "font": "Mono"\n}\n'
    editor.write_text('{\n  // the desk\'s own\n  "font": "Mono"\n}\n')
    assert likeness(desk.home, (".local/state/zesty-anchor", ".cache")) == before
    editor.write_text("{ no json")
    answer = desk.run("provision")
    assert answer.code == 1 and "line 1 is not JSON" in answer.err
    assert not desk.shelf.exists()
