"""What a package tool gets of a registry through a server on loopback."""

from __future__ import annotations

import urllib.error
import urllib.request

import pytest

from zesty_anchor.feeds.gateway import Gateway, Passed, is_document, kind_of, through
from zesty_anchor.system.problem import Problem

BASE = "http://127.0.0.1:7/x"


def test_addresses_in_a_document_lead_through_it() -> None:
    content = (
        b'{"tarball": "https://reg.example/lamp/-/lamp-1.tgz", "home": "http:\\/\\/a.example:81\\/x",'
        b' "url": "/files/a.whl", "mail": "tide@quay.example", "text": "see //x"}'
    )
    assert through(content, BASE, "https", "reg.example") == (
        b'{"tarball": "http://127.0.0.1:7/x/https/reg.example/lamp/-/lamp-1.tgz",'
        b' "home": "http://127.0.0.1:7/x/http/a.example:81\\/x",'
        b' "url": "http://127.0.0.1:7/x/https/reg.example/files/a.whl", "mail": "tide@quay.example",'
        b' "text": "see //x"}'
    )
    page = b'<a href="../a.whl">a</a><a href="/b.whl">b</a><a href="//c.example/c">c</a>'
    assert through(page, BASE, "http", "h:8") == (
        b'<a href="../a.whl">a</a><a href="http://127.0.0.1:7/x/http/h:8/b.whl">b</a>'
        b'<a href="//c.example/c">c</a>'
    )


@pytest.mark.parametrize(
    ("kind", "document"),
    [
        ("text/html; charset=utf-8", True),
        ("application/vnd.pypi.simple.v1+json", True),
        ("application/json", True),
        ("application/octet-stream", False),
        ("application/x-gzip", False),
        ("text/plain", False),
    ],
)
def test_pages_and_data_are_documents(kind: str, document: bool) -> None:
    assert is_document(kind) is document


def test_the_kind_of_a_kept_document_is_seen_from_it() -> None:
    simple = "application/vnd.pypi.simple.v1+json"
    assert kind_of(b" <!DOCTYPE html>", "*/*") == "text/html"
    assert kind_of(b'{"files": []}', f"{simple}, text/html;q=0.1") == simple
    assert kind_of(b'{"versions": {}}', simple) == kind_of(b'{"files": 1}', "*/*") == "application/json"


def test_only_who_knows_its_address_gets_an_answer() -> None:
    asked: list[str] = []

    def source(address: str, accept: str) -> Passed | None:
        asked.append(address)
        if address.endswith("none"):
            return None
        if address.endswith("late"):
            raise Problem("it does not answer")
        return Passed("application/octet-stream", None, iter([b"tide ", b"table"]))

    def status(url: str) -> int:
        try:
            return int(urllib.request.urlopen(url, timeout=5).status)
        except urllib.error.HTTPError as error:
            return error.code

    with Gateway(source) as gateway:
        there = gateway.at("https://reg.example/lamp?v=1")
        assert urllib.request.urlopen(there, timeout=5).read() == b"tide table"
        assert asked == ["https://reg.example/lamp?v=1"]
        urllib.request.urlopen(gateway.at("http://reg.example%3A81/lamp"), timeout=5)
        assert asked.pop() == "http://reg.example:81/lamp"
        assert status(gateway.at("https://reg.example/none")) == 404
        assert status(gateway.at("https://reg.example/late")) == 502
        host = "/".join(there.split("/")[:3])
        asked.clear()
        for path in ("/https/reg.example/lamp", "/guess/https/reg.example/lamp", "/"):
            assert status(host + path) == 404
        assert not asked
