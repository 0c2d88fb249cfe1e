"""Which members of an archive are let in."""

from __future__ import annotations

import stat

import pytest

from zesty_anchor.shelf import members
from zesty_anchor.shelf.members import ArchiveRefused, Gate


@pytest.mark.parametrize("name", ["/etc/passwd", "../x", "a/../../x", "a\0b", "d/" * 3000 + "x", "x" * 300])
def test_a_path_that_leaves_or_is_too_long_is_refused(name: str) -> None:
    with pytest.raises(ArchiveRefused):
        Gate().place(name)


def test_a_path_is_made_plain() -> None:
    gate = Gate()
    assert [gate.place(name) for name in ("a/b", "./a//b/", ".", "a/./c")] == ["a/b", "a/b", ".", "a/c"]


def test_no_more_members_than_that(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(members, "MOST_MEMBERS", 3)
    gate = Gate()
    for name in "abc":
        gate.place(name)
    with pytest.raises(ArchiveRefused, match="more than 3 members"):
        gate.place("d")


@pytest.mark.parametrize("target", ["/etc", "../x", "b/../../x"])
def test_a_link_that_leads_out_is_refused_at_once(target: str) -> None:
    with pytest.raises(ArchiveRefused):
        Gate().link("a", "a", target)


def test_links_that_lead_out_together_are_refused() -> None:
    gate = Gate()
    gate.link("top/deep/up", "top/deep/up", "..")
    gate.link("top/out", "top/out", "deep/up/..")
    gate.check_links()
    with pytest.raises(ArchiveRefused, match="leads outside"):
        gate.check_links("top")


def test_links_in_a_circle_are_refused() -> None:
    gate = Gate()
    gate.link("a", "a", "b")
    gate.link("b", "b", "a")
    with pytest.raises(ArchiveRefused, match="in a circle"):
        gate.check_links()


def test_nothing_is_put_through_a_link_of_the_archive() -> None:
    gate = Gate()
    gate.link("a", "a", "b")
    with pytest.raises(ArchiveRefused, match="through a link"):
        gate.place("a/x")


@pytest.mark.parametrize("bit", [stat.S_ISUID, stat.S_ISGID])
def test_a_mode_is_one_of_two_and_never_anothers_rights(bit: int) -> None:
    with pytest.raises(ArchiveRefused, match="another user's rights"):
        Gate().mode("a", 0o755 | bit)
    assert [oct(Gate().mode("a", mode)) for mode in (0o777, 0o100, 0o666, 0)] == [
        "0o755",
        "0o755",
        "0o644",
        "0o644",
    ]
