"""What a person meets first: no manifest yet, a word mistyped, output that goes nowhere, an error for a program to read."""

from __future__ import annotations

import os
import subprocess
import tomllib

import pytest

from tests.conftest import PROGRAM, Desk, kelp
from zesty_anchor.demo.wares import pack
from zesty_anchor.recipes import shipped

pytestmark = pytest.mark.needs("bash", "zsh")


def test_without_a_manifest_list_names_the_runtimes_that_can_be_had(desk: Desk) -> None:
    own = desk.home / ".config/zesty-anchor/recipes/tides.toml"
    own.parent.mkdir(parents=True)
    own.write_text('title = "Tide tables"\ncommands = ["sh"]\nfeed = { kind = "npm", package = "tides" }\n')
    told = desk.well("list", "--json").json["recipes"]
    assert {each["runtime"] for each in told} == {*shipped(), "tides"}
    tides = next(each for each in told if each["runtime"] == "tides")
    assert tides["feeds"] == ["npm"] and tides["here"][0]["path"].endswith("/sh") and tides["here"][0]["owner"]
    shown = desk.well("list").out
    assert "Node.js with npm and npx" in shown and "from Python index, npm, upstream" in shown
    assert "here: /" in next(line for line in shown.splitlines() if line.startswith("tides"))


def test_versions_can_be_listed_without_a_manifest(desk: Desk) -> None:
    desk.environment["PIP_INDEX_URL"] = desk.environment["NPM_CONFIG_REGISTRY"] = "http://127.0.0.1:9/"
    unknown = desk.run("list", "nod")
    assert unknown.code == 2 and "did you mean 'node'?" in unknown.err
    unreachable = desk.run("list", "zig")
    assert unreachable.code == 1 and "the package index cannot be reached" in unreachable.err


def test_draft_takes_names(desk: Desk) -> None:
    desk.well("draft", "node", "zig", "node")
    written = tomllib.loads(desk.manifest.read_text())
    assert written["runtimes"] == {"node": {"want": "lts"}, "zig": {"want": "latest"}}
    assert "exists already" in desk.run("draft", "node").err
    assert tomllib.loads(desk.well("draft", "java", "-").out)["runtimes"] == {"java": {"want": "lts"}}
    wrong = desk.run("draft", "jav", "other.toml")
    assert wrong.code == 2 and "did you mean 'java'?" in wrong.err and not (desk.home / "other.toml").exists()


def test_no_manifest_names_the_way_to_one(desk: Desk) -> None:
    told = desk.run("provision")
    assert told.code == 2 and "zesty-anchor draft node" in told.err


@pytest.mark.parametrize("words", [("provision",), ("list", "kelp"), ("verify",), ("undo", "extra")])
def test_an_error_is_a_document_where_one_is_asked_for(desk: Desk, words: tuple[str, ...]) -> None:
    desk.write("[runtimes.kelp]\nwant = 4\nals = []\n")
    told = desk.run(*words, "--json")
    assert told.code == 2 and "error: " in told.err.lower()
    errors = told.json["errors"]
    assert told.json["code"] == 2 and errors[0]["what"]
    if words[0] != "undo":
        assert [e["where"].rpartition(":")[2] for e in errors] == ["2", "3"] and all(e["advice"] for e in errors)


def test_a_mistyped_runtime_in_a_value_is_told(desk: Desk, offer: object) -> None:
    url = offer(pack("kelp-4.2.1", kelp("4.2.1"), "tar.gz"))  # type: ignore[operator]
    desk.wants('[variables]\nKELP_AT = "{klep}"\nSIGN = "{x} {kelp}"\n', '[runtimes.kelp]\nwant = "latest"\n', url)
    told = desk.well("preview").out
    assert "KELP_AT holds {klep}, which stands for no runtime and stays as it is: did you mean {kelp}?" in told
    assert "{x}" not in told.replace("SIGN", ""), "any other text in braces is text"


def test_output_that_goes_nowhere_is_no_error(desk: Desk) -> None:
    environment = {"HOME": str(desk.home), "PATH": os.defpath, "LANG": "C.UTF-8"}
    for closed in (">&-", ">&- 2>&-", "<&- >&- 2>&-"):
        done = subprocess.run(
            ["sh", "-c", f'exec "$0" list {closed}', str(PROGRAM)], env=environment, cwd=desk.home, capture_output=True, check=False
        )  # fmt: skip
        assert (done.returncode, done.stdout, done.stderr) == (0, b"", b""), closed
