"""Versions as they are shown."""

from __future__ import annotations

import io

from zesty_anchor.planning.listing import Active, Listing
from zesty_anchor.show import listing
from zesty_anchor.show.paint import Paint
from zesty_anchor.survey.installs_there import InstallThere


def test_of_the_systems_own_the_version_and_place_are_shown() -> None:
    out = io.StringIO()
    effect = Active("system", "default", "~/workstation.toml:3")
    here = (
        InstallThere("~/old/kelp", "you", "2.0"),
        InstallThere("/usr/bin/kelp", "Debian package kelp", "3.1.2"),
    )
    listing.runtime(Paint(out, "never", {}), Listing("kelp", effect, (), (), here=here), "", "2026-06-30")
    assert out.getvalue().startswith("kelp  system (3.1.2, /usr/bin/kelp) is active: default")
