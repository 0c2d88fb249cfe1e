"""The newest is the newest: a want is resolved over all of a runtime's feeds, and every command says the
same.
"""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.conftest import Desk, packed_runtime

FEEDS = """\
as-root = "allowed"
[shells]
use = ["bash"]
[feeds.quay]
kind = "folder"
url = "{quay}"
[feeds.harbour]
kind = "listing"
url = "{url}"
[recipes.kelp]
commands = ["kelp"]
channels.lts = ["4"]
feeds = [{{ kind = "folder" }}, {{ kind = "listing" }}]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {{version}}"
[runtimes.kelp]
want = "{want}"
unpinned = "accepted"
"""


@pytest.fixture
def both(desk: Desk, tmp_path: Path, make_feed) -> tuple[Desk, str, str]:  # type: ignore[no-untyped-def]
    """A folder with old versions and a pre-release, and a web folder with newer ones."""
    quay = tmp_path / "quay"
    quay.mkdir()
    for version in ("3.6.2", "4.2.1", "5.0.0-rc1"):
        (quay / f"kelp-{version}.tar.gz").write_bytes(packed_runtime("kelp", version))
    newer = {
        f"kelp-{version}.tar.gz": packed_runtime("kelp", version) for version in ("4.2.1", "4.2.9", "5.1.0")
    }
    page = "".join(f'<a href="{name}">{name}</a>' for name in newer)
    url = make_feed({"index.html": page.encode(), **newer})
    return desk, str(quay), url


@pytest.mark.parametrize(
    ("want", "version", "feed"),
    [
        ("lts", "4.2.9", "harbour"),
        ("4", "4.2.9", "harbour"),
        ("latest", "5.1.0", "harbour"),
        ("3", "3.6.2", "quay"),
        ("4.2.1", "4.2.1", "quay"),
    ],
)
def test_a_want_takes_the_newest_of_all_feeds(
    both: tuple[Desk, str, str], want: str, version: str, feed: str
) -> None:
    desk, quay, url = both
    desk.write(FEEDS.format(quay=quay, url=url, want=want))
    desk.well("provision")
    assert desk.shell("bash", "kelp", "-i").split() == ["kelp", version]
    listed = desk.well("list", "kelp", "--json").json
    assert listed["installed"] == [version]
    assert [e["feed"] for e in listed["available"] if e["version"] == version] == [feed]
    (row,) = desk.well("list", "--newer", "--json").json["newer"]
    assert (row["version"], row["newer"]) == (version, "")
    desk.well("lock")
    assert f'version = "{version}"' in (desk.home / "workstation.lock").read_text()


def test_a_feed_that_could_not_be_asked_is_named(both: tuple[Desk, str, str]) -> None:
    desk, quay, _ = both
    desk.write(FEEDS.format(quay=quay, url="http://127.0.0.1:9/", want="lts"))
    answer = desk.well("provision")
    assert desk.shell("bash", "kelp", "-i").split() == ["kelp", "4.2.1"]
    assert "the feed 'harbour' could not be asked, and may have other versions" in answer.out + answer.err
    exact = FEEDS.format(quay=quay, url="http://127.0.0.1:9/", want="3.6.2")
    desk.write(exact)
    answer = desk.well("provision")
    assert "could not be asked" not in answer.out + answer.err, "an exact version needs no other feed"
    assert json.loads(desk.well("list", "--json").out)
