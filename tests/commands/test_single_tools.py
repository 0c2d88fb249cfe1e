"""A tool that is one file: the example of docs/recipes.md, against a stand-in of that shape."""

from __future__ import annotations

import gzip
import hashlib
import re
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.demo.wares import pack
from zesty_anchor.system.host import host

DOCS = (Path(__file__).parents[2] / "docs/recipes.md").read_text()
EXAMPLE = next(each for each in re.findall(r"```toml\n(.*?)```", DOCS, re.DOTALL) if "binary = true" in each)


def offered(make_feed: Callable[..., str], content: bytes, digest: str = "") -> str:
    system, machine = host().platform.split("-")
    name = f"gauge-{system}-{machine}"
    files = {}
    for version in ("2.1.0", "2.0.3"):
        each = content.replace(b"@", version.encode()) if b"@" in content else content
        files[f"v{version}/{name}"] = each
        files[f"v{version}/SHA256SUMS"] = f"{digest or hashlib.sha256(each).hexdigest()}  {name}\n".encode()
    files["index.html"] = b'<a href="v2.1.0/">v2.1.0/</a> <a href="v2.0.3/">v2.0.3/</a>'
    return make_feed(files)


HEAD = 'as-root = "allowed"\n[shells]\nuse = ["bash"]\n'
SCRIPT = b"#!/bin/sh\necho gauge @\n"


def test_the_example_of_the_docs_installs_and_answers(desk: Desk, make_feed: Callable[..., str]) -> None:
    url = offered(make_feed, SCRIPT)
    desk.write(HEAD + EXAMPLE.replace("https://…/gauge/", url))
    assert len(EXAMPLE.replace("\n\n", "\n").strip().splitlines()) <= 12
    desk.well("provision")
    assert desk.shell("bash", "gauge", "-i").strip() == "gauge 2.1.0"
    assert (desk.shelf / "gauge/2.1.0/bin/gauge").stat().st_mode & 0o777 == 0o755
    assert "Nothing to do" in desk.well("provision").out
    desk.well("undo")
    assert not (desk.shelf / "gauge").exists()


def test_a_compressed_one_is_unpacked(desk: Desk, make_feed: Callable[..., str]) -> None:
    url = offered(make_feed, gzip.compress(SCRIPT.replace(b"@", b"2.1.0")))
    text = EXAMPLE.replace("https://…/gauge/", url).replace('"latest"', '"2.1.0"')
    desk.write(HEAD + text)
    desk.well("provision")
    assert desk.shell("bash", "gauge", "-i").strip() == "gauge 2.1.0"


@pytest.mark.parametrize(
    ("content", "digest", "told"),
    [(SCRIPT, "0" * 64, "digest differs"), (b"", "", "empty"), (b"\x1f\x8b\x08\x00broken", "", "damaged")],
)
def test_one_that_is_not_whole_is_not_installed(
    desk: Desk, make_feed: Callable[..., str], content: bytes, digest: str, told: str
) -> None:
    desk.write(HEAD + EXAMPLE.replace("https://…/gauge/", offered(make_feed, content, digest)))
    answer = desk.run("provision")
    assert answer.code == 1 and told in answer.out + answer.err, answer
    assert not (desk.shelf / "gauge").exists() or not list((desk.shelf / "gauge").iterdir())


def test_one_file_is_one_command(desk: Desk) -> None:
    desk.write(EXAMPLE.replace('["gauge"]', '["gauge", "tide"]'))
    answer = desk.run("preview")
    assert answer.code == 2 and "one file is one command" in answer.err


@pytest.mark.parametrize("form", ["zip", "tar.gz"])
def test_an_archive_is_no_command(desk: Desk, make_feed: Callable[..., str], form: str) -> None:
    url = offered(make_feed, pack("gauge-2.1.0", {"gauge": (SCRIPT, 0o755)}, form))
    desk.write(HEAD + EXAMPLE.replace("https://…/gauge/", url))
    answer = desk.run("provision")
    kind = form.partition(".")[0]
    assert answer.code == 1 and f"it is a {kind} archive, and the recipe says" in answer.out, answer.out
    assert "take binary = true out of the recipe" in answer.out
    assert not (desk.shelf / "gauge/2.1.0").exists()
