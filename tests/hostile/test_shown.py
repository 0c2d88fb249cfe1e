"""What comes from outside reaches the terminal with its control characters visible, and no credentials reach
anything.
"""

from __future__ import annotations

import io
import json
import re

import pytest

from tests.conftest import Desk
from tests.hostile.measured import note
from zesty_anchor.show.document import encode
from zesty_anchor.show.paint import Paint
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.visible import _OBEYED, visible

OBEYED = [
    "\x1b[2J",
    "\x1b]0;title\x07",
    "\x9b31m",
    "\r",
    "\b\b",
    "\x7f",
    "\u202e",
    "\u2066",
    "\u200b",
    "\x1bP",
    "\udc1b",
    "\x00",
    "\ufeff",
]


@pytest.mark.parametrize("text", OBEYED)
@pytest.mark.parametrize("colour", ["always", "never"])
def test_nothing_from_outside_is_obeyed(text: str, colour: str) -> None:
    stream = io.StringIO()
    paint = Paint(stream, colour, {})
    paint.write(paint.good("well") + f" {text} " + paint.name(f"<{text}>"))
    shown = stream.getvalue()
    own = shown.replace("\x1b[32m", "").replace("\x1b[36m", "").replace("\x1b[0m", "").replace("\n", "")
    assert own.isprintable(), repr(own)
    assert visible(text) in own
    told = encode({"a": text.replace("\udc1b", "\x1b")})
    assert told.replace("\n", "").isprintable()
    assert json.loads(told)["a"] == text.replace("\udc1b", "\x1b")
    note(f"shown: {text!r}, colour {colour}")


@pytest.mark.parametrize(
    ("text", "left"),
    [
        ("https://desk:secret@a/b", "https://a/b"), ("http://token@a/", "http://a/"), ("ssh://git:secret@a/b",
        "ssh://git@a/b"),
        ("ssh://git@a/b", "ssh://git@a/b"), ("https://a/b?token=secret&x=1", "https://a/b?token=…&x=1"),
        ("a@b", "a@b"),
        ("see https://u:p@a/ and http://u:p@b/", "see https://a/ and http://b/"), ("https://a/b@c", "https://a/b@c"),
    ],
)  # fmt: skip
def test_credentials_are_taken_out(text: str, left: str) -> None:
    assert without_credentials(text) == left


def test_no_name_and_no_password_of_an_address_is_anywhere(desk: Desk) -> None:
    bare, secret = desk.url, desk.url.replace("http://", "http://desk:hush-hush@")
    desk.wants(url=secret)
    told = desk.run("provision", "--json")
    assert told.code == 0, told.err
    told2, told3 = desk.run("provision", "-v"), desk.run("preview", "--json")
    locked = desk.run("lock")
    assert locked.code == 2 and "bears a name or a password" in locked.err
    desk.wants(url=secret.replace(bare.rpartition(":")[2], "1/"))
    failed = desk.run("list", "kelp", "--json")
    for answer in (told, told2, told3, locked, failed):
        assert "hush-hush" not in answer.out + answer.err
    desk.manifest.unlink()
    holding = [path for path in desk.home.rglob("*") if path.is_file() and b"hush-hush" in path.read_bytes()]
    assert holding == []
    note("credentials: in no file")


def test_nothing_that_a_terminal_obeys_counts_as_printable() -> None:
    """A text of printable characters is shown as it is, without a look at each."""
    printable = "".join(chr(number) for number in range(0x110000) if chr(number).isprintable())
    assert re.search(_OBEYED, printable) is None
    assert visible("low\x1b[2Jwater\n") == "low\\x1b[2Jwater\n"
