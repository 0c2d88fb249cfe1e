"""What a command came to on many machines: what is equal, what failed, what differs from the lock."""

from __future__ import annotations

from typing import Any

import pytest

from zesty_anchor.planning.spread import Alike, OnHost, Spread, alike, differing, judged


def test_the_worst_come_first_and_then_the_largest_group() -> None:
    hosts = (
        OnHost("a", "ok", ("verified",)),
        OnHost("b", "unreachable", ("no route",)),
        OnHost("c", "ok", ("verified",)),
        OnHost("d", "ok", ("nothing to do",)),
        OnHost("e", "failed", ("kelp",)),
    )
    assert alike(hosts) == [
        Alike(("e",), "failed", ("kelp",)), Alike(("b",), "unreachable", ("no route",)),
        Alike(("a", "c"), "ok", ("verified",)), Alike(("d",), "ok", ("nothing to do",)),
    ]  # fmt: skip
    assert not Spread("verify", hosts).ok and Spread("verify", hosts[:1]).ok


@pytest.mark.parametrize(
    ("command", "code", "document", "state", "says"),
    [
        ("provision", 0, {"changed": 3, "proof": {"shells": []}}, "ok", ("3 changes done, verified",)),
        ("provision", 0, {"changed": 0, "proof": None}, "ok", ("nothing to do",)),
        ("undo", 0, {"undone": 1}, "ok", ("1 change undone",)),
        (
            "provision",
            1,
            {
                "changed": 1,
                "changes": [{"subject": "kelp 4.2.1", "outcome": "failed", "problem": "no space left"}],
            },
            "failed",
            ("1 change done", "kelp 4.2.1: no space left"),
        ),
        (
            "verify",
            4,
            {
                "shells": [
                    {
                        "shell": "zsh",
                        "checks": [
                            {
                                "name": "kelp",
                                "ok": False,
                                "cause": {"what": "an alias hides it", "file": "~/.zshrc", "line": 3},
                            },
                            {"name": "x", "ok": True},
                        ],
                    }
                ]
            },
            "failed",
            ('"kelp" failed in zsh', "cause: an alias hides it (~/.zshrc:3)"),
        ),
        (
            "verify",
            0,
            {"shells": [{"shell": "zsh", "checks": [{"name": "x", "ok": True}]}]},
            "ok",
            ("1 check passed",),
        ),
        (
            "preview",
            3,
            {"pending": 2, "changes": [{"kind": "version", "subject": "kelp 4.2.1"}]},
            "ok",
            ("2 changes pending", "kelp 4.2.1"),
        ),
        ("status", 3, {"state": "pending", "versions": {"kelp": "4.2.1"}}, "ok", ("pending: kelp 4.2.1",)),
        (
            "provision",
            5,
            {"errors": [{"what": "1 question\n more", "where": "f:3"}]},
            "answer needed",
            ("1 question (f:3)",),
        ),
        ("verify", 2, {"errors": [{"what": "no manifest"}]}, "failed", ("no manifest",)),
        ("verify", 127, None, "failed", ("exit status 127",)),
        ("verify", 0, [1, 2], "ok", ()),
    ],
)
def test_what_is_said_of_a_document(
    command: str, code: int, document: Any, state: str, says: tuple[str, ...]
) -> None:
    assert judged(command, code, document) == (state, says)


def test_what_differs_from_the_lock_and_else_from_most() -> None:
    documents = {
        "a": {"versions": {"kelp": "4.2.1", "coral": "11"}},
        "b": {"versions": {"kelp": "3.6.2", "coral": "11"}},
        "c": {"versions": {"kelp": "4.2.1"}},
        "d": "nothing that is understood",
    }
    assert differing({k: documents[k] for k in "abc"}, {"kelp": "4.2.1"}) == {
        "a": (),
        "b": ("kelp 3.6.2 (lock: 4.2.1)",),
        "c": ("coral not installed (most: 11)",),
    }
    assert differing(documents, {"kelp": "4.2.1"})["d"][0] == "kelp not installed (lock: 4.2.1)"
