"""A page on which a network wants a login, where a feed or a download was asked for."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Desk, kelp
from zesty_anchor.demo.wares import pack
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.web import WebBody
from zesty_anchor.feeds.web_page import check_page
from zesty_anchor.system.problem import Problem

PAGE = b"""<!DOCTYPE html>
<html><head><title>Harbour
 network</title></head><body><form><input name="w" type="password"></form></body></html>"""


@pytest.mark.parametrize(
    "body", [PAGE, b"\n <html lang='en'>", b'<?xml version="1.0"?>\n<!doctype HTML>', PAGE.upper()]
)
def test_a_page_is_known_by_how_it_begins(body: bytes) -> None:
    with pytest.raises(Problem, match="a web page"):
        check_page(body, "the feed", "http://x/")


@pytest.mark.parametrize("body", [b"", b"{}", b"<feed/>", b"kelp 4.2.1\n<html>", b"\x1f\x8b", b"<htmlish>"])
def test_nothing_else_is_taken_for_one(body: bytes) -> None:
    check_page(body, "the feed", "http://x/")


def test_where_pages_are_asked_for_one_with_a_login_is_not_taken() -> None:
    check_page(b"<html><a href='kelp-4.2.1.tgz'>kelp</a></html>", "the feed", "http://x/", pages=True)
    with pytest.raises(Problem, match=r"a web page \('Harbour network'\)"):
        check_page(PAGE, "the feed", "http://x/", pages=True)


def test_what_was_kept_is_not_replaced_by_it(make_feed: Callable[..., str], tmp_path: Path) -> None:
    url = make_feed({"kelp.json": b"[1]", "gone.json": PAGE})
    cache = tmp_path / "cache"
    cache.mkdir()
    assert Web(cache).json(f"{url}kelp.json", who="the feed") == [1]
    (tmp_path / "feed0/kelp.json").write_bytes(PAGE)
    with pytest.raises(Problem, match="Harbour network"):
        Web(cache).json(f"{url}kelp.json", who="the feed")
    assert Web(cache, offline=True).json(f"{url}kelp.json", who="the feed") == [1]
    with pytest.raises(Problem, match="Harbour network"):
        list(WebBody(Web(cache).session, f"{url}gone.json", "the feed").chunks(1 << 16))


def test_a_person_is_told_to_log_in(desk: Desk, make_feed: Callable[..., str], tmp_path: Path) -> None:
    """For the feed, and for a download where the network asks again in between."""
    archive = pack("kelp-4.2.1", kelp("4.2.1"), "tar.gz")
    release = {"version": "4.2.1", "files": [{"platform": "any", "url": "k.tgz", "sha256": "0" * 64}]}
    document = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": [release]}
    url = make_feed({"kelp.json": json.dumps(document).encode(), "k.tgz": archive})
    desk.wants(runtimes='[runtimes.kelp]\nwant = "4.2"\n', url=url)
    (tmp_path / "feed0/k.tgz").write_bytes(PAGE)
    answer = desk.run("provision", "--yes")
    assert answer.code == 1 and "a web page ('Harbour network')" in answer.out + answer.err
    assert "open that address in a browser" in answer.out + answer.err
    assert not (desk.shelf / "kelp/4.2.1").exists()
    (tmp_path / "feed0/kelp.json").write_bytes(PAGE)
    answer = desk.run("preview")
    assert answer.code == 1 and "the feed 'harbour' gives a web page ('Harbour network')" in answer.err
