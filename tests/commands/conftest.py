"""A home that is provisioned once for all tests that only look at it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.conftest import Desk

MORE = """
[shells]
use = "all"
[variables]
GAUGE = "north quay, $5 a day"
KELP_AT = "{kelp}"
[path]
first = ["~/bin"]
"""
BOTH = '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6", "4.1"]\n'
GUARD = "case $- in *i*) ;; *) return ;; esac\n"
ENV = '#!/bin/sh\nprintf "%s|%s|%s\\n" "@" "$GAUGE" "${KELP_AT##*/}"\n'


@pytest.fixture(scope="session")
def settled(tmp_path_factory: pytest.TempPathFactory, kelp_feed: str) -> Iterator[Desk]:
    """A home with a guard at the top of .bashrc, three versions, and a project that pins one."""
    home = tmp_path_factory.mktemp("contexts") / "home"
    home.mkdir()
    desk = Desk(home, kelp_feed)
    desk.write(GUARD + 'PATH="$HOME/mine:$PATH"\n', ".bashrc")
    desk.wants(MORE, BOTH)
    desk.write("3.6\n", "project/.kelp-version")
    (home / "project/deep").mkdir()
    desk.well("provision")
    for version in ("4.2.1", "3.6.2", "4.1.0"):
        # As if the runtime's own package tool had brought it.
        file = desk.shelf / f"kelp/{version}/bin/kelp-env"
        file.write_text(ENV.replace("@", version))
        file.chmod(0o755)
    yield desk
