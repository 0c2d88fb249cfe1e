"""What people type: a name and a version in one word, x for the rest of a line, a runtime that the manifest
does not have.
"""

from __future__ import annotations

import re

import pytest

from tests.conftest import Desk
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.system.own_commands import COMMANDS, OTHER_OPTIONS, OTHER_WORDS


@pytest.mark.parametrize("text", ["4.x", "4.X", "4.*", "v4", "4"])
def test_a_line_is_understood_however_it_is_written(text: str) -> None:
    want = Want(text)
    assert want.kind == "line" and want.admits(Version("4.2.1"), ()) and not want.admits(Version("5.0"), ())
    assert not want.admits(Version("4.3.0-rc1"), ())


def test_a_name_and_a_version_in_one_word(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    desk.well("switch", "kelp@3.6", "--default")
    assert 'want = "3.6"' in desk.manifest.read_text()
    assert desk.well("locate", "kelp@3.6").out.strip().endswith("/kelp/3.6.2")
    assert not any(
        line.split()[:1] == ["3.6.2"] for line in desk.well("list", "kelp@4", "--all").out.splitlines()
    )


def test_the_name_is_looked_at_before_the_scope_and_what_there_is_is_said(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    assert "did you mean 'kelp'?" in desk.run("switch", "klep", "3.6").err
    said = desk.run("switch", "kelp", "9", "--default", "--install").err
    assert "9" in said and "the nearest: 5.0.0" in said, said
    asked = desk.run("switch", "kelp", "9", "--session")
    assert asked.code == 2


def test_what_else_can_be_had_is_listed_with_a_manifest_too(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    said = desk.well("list").out
    assert (
        "Other runtimes with a recipe (zesty-anchor list NAME):" in said
        and "python" in said
        and "kelp" in said.splitlines()[0]
    )
    desk.environment |= {
        "PIP_INDEX_URL": "http://127.0.0.1:9/",
        "NPM_CONFIG_REGISTRY": "http://127.0.0.1:9/",
        "HTTPS_PROXY": "http://127.0.0.1:9",
    }
    said = desk.run("list", "node").err
    assert "has no runtime" not in said and "cannot be reached" in said
    assert "has no runtime 'nodee'" in desk.run("list", "nodee").err


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("install", "node"), "zesty-anchor draft NAME"),
        (("use", "kelp", "4"), "zesty-anchor switch NAME VERSION"),
        (("doctor",), "zesty-anchor survey"),
        (("update",), "zesty-anchor upgrade NAME"),
        (("help",), "zesty-anchor --help"),
        (("provision", "--dry-run"), "zesty-anchor preview"),
        (("list", "--color"), "--colour"),
        (("provison",), "did you mean 'provision'?"),
    ],
)
def test_words_that_people_try_first_are_answered_with_ours(
    desk: Desk, words: tuple[str, ...], told: str
) -> None:
    answer = desk.run(*words)
    assert answer.code == 2 and told in answer.err, answer.err


def test_no_word_of_others_is_a_command_and_each_answer_names_commands_that_are() -> None:
    assert not OTHER_WORDS.keys() & COMMANDS.keys()
    for text in (*OTHER_WORDS.values(), *OTHER_OPTIONS.values()):
        for name in re.findall(r"zesty-anchor ([a-z]+)", text):
            assert name in COMMANDS, text
