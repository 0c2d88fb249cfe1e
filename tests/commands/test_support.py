"""The second half of a version's life: support that ends, a version that is withdrawn, a security fix."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import pytest

from tests.conftest import Desk, packed_runtime
from zesty_anchor.feeds.release import Release, choose, support_ends
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.want import Want

pytestmark = pytest.mark.needs("bash")
MANIFEST = """\
as-root = "allowed"
[shells]
use = ["bash"]
[feeds.quay]
kind = "index"
url = "{url}"
[recipes.kelp]
commands = ["kelp"]
support = {{ "3" = "2020-01-31" }}
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {{version}}"
[runtimes.kelp]
want = "4.2"
also = ["3.6"]
"""


class Year:
    """A feed whose list changes while time goes on."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def lists(self, *releases: dict[str, Any]) -> None:
        """Offer these releases, each with its version and what else is said of it."""
        found = []
        for release in releases:
            version = release["version"]
            says, archive = release.pop("says", ""), self._folder / f"kelp-{version}.tar.gz"
            if says or not archive.exists():
                archive.write_bytes(packed_runtime("kelp", version, says))
            packed = archive.read_bytes()
            file = {
                "platform": "any", "url": f"kelp-{version}.tar.gz", "sha256": hashlib.sha256(packed).hexdigest(),
                "size": len(packed),
            }  # fmt: skip
            found.append({"files": [file], **release})
        runtime = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": found}
        (self._folder / "kelp.json").write_bytes(msgspec.json.encode(runtime))


@pytest.fixture
def year(desk: Desk, make_feed: Callable[..., str], tmp_path: Path) -> Year:
    url = make_feed({"empty": b""})
    (folder,) = (path.parent for path in tmp_path.rglob("empty"))
    feed = Year(folder)
    feed.lists({"version": "3.6.2"}, {"version": "4.2.1", "ends": "2099-06-30"})
    desk.write(MANIFEST.format(url=url))
    desk.well("provision")
    return feed


def test_what_has_changed_after_a_year_is_reported_where_people_look(desk: Desk, year: Year) -> None:
    assert "note: kelp 3.6.2: not supported since 2020-01-31" in desk.well("verify").out
    assert "3.6.2 not supported since 2020-01-31" in desk.well("list").out
    year.lists(
        {"version": "3.6.2"},
        {"version": "4.2.1", "ends": "2020-06-30", "withdrawn": "it floods the log"},
        {"version": "4.2.2", "security": True},
        {"version": "4.2.3"},
        {"version": "4.2.4", "withdrawn": "does not start"},
        {"version": "5.0.0"},
    )
    row, old = desk.well("list", "--newer", "--json").json["newer"]
    assert (row["newer"], row["beyond"], row["fixes"], row["withdrawn"], row["ends"]) == (
        "4.2.3", "5.0.0", True, "it floods the log", "2020-06-30",
    )  # fmt: skip
    assert row["size"] > 100 and (old["ends"], old["newer"]) == ("2020-01-31", "")
    shown = desk.well("upgrade", "--list").out
    assert "withdrawn: it floods the log" in shown and "has a security fix" in shown
    listed = desk.well("list", "kelp").out
    assert "withdrawn: does not start" in listed and "not supported since 2020-06-30" in listed

    told = desk.well("verify", "--json").json
    assert told["ok"] and told["notes"] == [
        "kelp 4.2.1: not supported since 2020-06-30, withdrawn (it floods the log)",
        "kelp 3.6.2: not supported since 2020-01-31",
    ]
    assert "kelp 4.2.1: it floods the log" in desk.run("status").out
    desk.write(desk.manifest.read_text() + '[support]\nended = "fail"\n')
    desk.well("provision")
    failing = desk.run("verify")
    assert failing.code == 4 and failing.out.startswith("support has ended"), failing.out


def test_a_withdrawn_version_is_taken_only_where_nothing_else_will_do(desk: Desk, year: Year) -> None:
    year.lists({"version": "4.2.1"}, {"version": "4.2.9", "withdrawn": "broken"}, {"version": "3.6.2"})
    assert desk.well("upgrade", "--list", "--json").json["newer"][0]["newer"] == ""
    desk.write(desk.manifest.read_text().replace('"4.2"', '"4.2.9"'))
    desk.well("provision")
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.9"


@pytest.mark.parametrize(
    ("want", "taken"), [("latest", "5.0.0"), ("4", "4.1.0"), ("3", "3.6.2"), ("6.0.0", "6.0.0"), (">5", None)]
)
def test_which_release_is_taken(want: str, taken: str | None) -> None:
    offered = [
        Release("3.6.2", "", "", withdrawn="old"), Release("4.1.0", "", ""),
        Release("4.2.0", "", "", withdrawn="broken"), Release("5.0.0", "", ""),
        Release("6.0.0", "", "", withdrawn="broken"),
    ]  # fmt: skip
    chosen = choose(Want(want), offered)
    assert (chosen.version if chosen else None) == taken


def test_the_longest_line_decides_when_support_ends() -> None:
    recipe = Recipe(commands=("kelp",), support={"3": "2020-01-31", "3.6": "2021-01-31"})
    assert support_ends("3.6.2", recipe) == "2021-01-31" and support_ends("3.60.1", recipe) == "2020-01-31"
    assert support_ends("4.0", recipe) == "" and support_ends("3.6.2", recipe, "2030-01-01") == "2030-01-01"


def test_a_digest_that_changed_upstream_is_named_with_both(desk: Desk, year: Year) -> None:
    year.lists({"version": "3.6.2"}, {"version": "4.2.1", "says": "something else"})
    row, old = desk.well("list", "--newer", "--json").json["newer"]
    was, now = row["digests"]
    assert was != now and was.startswith("sha256:") and now.startswith("sha256:") and old["digests"] is None
    shown = desk.well("upgrade", "--list").out
    assert f"its digest changed upstream: {was[:15]}… was installed, {now[:15]}… now" in shown


def test_the_report_has_them_too(desk: Desk, year: Year) -> None:
    desk.well("report")
    page = (desk.home / "report.html").read_text()
    assert "kelp 3.6.2: not supported since 2020-01-31" in page
