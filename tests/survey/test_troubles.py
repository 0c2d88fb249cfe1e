"""What is wrong with startup files, and what is not."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.survey.startup.troubles import guarded

SKEL = Path("/etc/skel/.bashrc")


@pytest.mark.parametrize(
    ("above", "is_guarded"),
    [
        ("if [ -f ~/tides ]; then", True),
        ("if [ -n x ]; then\n  if [ -r ~/tides ]\n  then", True),
        ("if [ -s '~/tides' ]; then\n  if true; then\n    :\n  fi", True),
        ("if [ -f ~/quay ]; then\n  . ~/quay\nelif [ -f ~/tides ]; then", True),
        ("if test -e ~/tides", True),
        ("if ( -e ~/tides ) then", True),
        ("", False),
        ("if [ -f ~/tides ]; then\n  :\nfi", False),
        ("if [ -f ~/tides ]; then :; fi", False),
        ("if [ -f ~/tides-of-old ]; then", False),
        ("if [ -n ~/tides ]; then", False),
        ("# if [ -f ~/tides ]; then", False),
        ("if test -e ~/tides\n  :\nend", False),
    ],
)
def test_a_file_that_is_asked_for_first(above: str, is_guarded: bool) -> None:
    assert guarded(above.splitlines(), "~/tides") is is_guarded


@pytest.mark.skipif(not SKEL.is_file(), reason="no Debian skeleton home")
def test_the_home_that_debian_gives_raises_no_alarm() -> None:
    rows = SKEL.read_text().splitlines()
    sources = {n: row.split()[1] for n, row in enumerate(rows) if row.strip().startswith(". ")}
    assert sources and all(guarded(rows[:number], target) for number, target in sources.items())
