"""One home, as a command finds it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.engine.home_identity import check_its_own
from zesty_anchor.engine.journal import Past
from zesty_anchor.engine.opening import past
from zesty_anchor.system.locations import Locations, locate
from zesty_anchor.system.ownership import check_own

if TYPE_CHECKING:
    from zesty_anchor.changes.change import Kinds


class Home(msgspec.Struct, frozen=True):
    """An environment, the folders that it names, and what the journal says of them."""

    environ: Mapping[str, str]
    locations: Locations
    past: Past


def open_home(environ: Mapping[str, str]) -> Home:
    """The home that ``environ`` names.

    Raises ``Problem`` where its folders are another user's, or its journal cannot be read or belongs to
    another home.
    """
    locations = locate(environ)
    for own in (locations.data, locations.state, locations.cache, locations.config):
        check_own(own, locations.home)
    known = past(locations, kinds)
    check_its_own(known.home, locations)
    return Home(environ, locations, known)


def kinds() -> Kinds:
    """All kinds of change; they are imported when one is read."""
    from zesty_anchor.changes.kinds import KINDS

    return KINDS
