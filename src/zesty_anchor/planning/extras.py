"""From the command-line packages that a manifest asks for to names and versions."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.feeds.release import choose
from zesty_anchor.manifest.want import Want
from zesty_anchor.manifest.wanted import WantedExtra
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import Extra, extras_in
from zesty_anchor.system.problem import Problem, UsageProblem


def wanted_extras(
    workstation: Workstation, offers: Offers, name: str, want: str, there: Mapping[str, Extra]
) -> tuple[WantedExtra, ...]:
    """The packages that a version of a runtime is to have; ``there`` are those that it has. The registry is
    asked only for one that it has not, and that the lock does not hold; where it does not answer, the package
    tool is left to choose.

    Raises ``UsageProblem`` where the recipe does not say how packages are added.
    """
    asked = workstation.manifest.tools[name].extras
    tool = workstation.recipes[name].extras
    if asked and tool is None:
        raise UsageProblem(
            f"the recipe of {name!r} does not say how a command-line package is added to it",
            where=workstation.place("runtimes", name, "extras"),
            advice=(
                "take extras out, or add [extras] with install = … to the recipe (docs/recipes.md shows how)"
            ),
        )
    locked = workstation.lock.get((name, want))
    found = []
    for text in asked:
        package, version = split(text)
        known = there.get(text)
        pinned = locked.extras.get(text, "") if locked else ""
        if known is not None and pinned in ("", known.version):
            found.append(WantedExtra(text, package, known.version, known.commands))
        elif pinned:
            found.append(WantedExtra(text, package, pinned))
        else:
            exact = _newest(offers, package, version) if tool is not None and tool.kind else version
            found.append(WantedExtra(text, package, exact))
    return tuple(found)


def known_extras(workstation: Workstation, name: str, there: Mapping[str, Extra]) -> tuple[WantedExtra, ...]:
    """The same as far as nobody has to be asked: one that is not there has the version that the manifest
    says.
    """
    found = []
    for text in workstation.manifest.tools[name].extras:
        package, version = split(text)
        known = there.get(text)
        found.append(
            WantedExtra(text, package, known.version if known else version, known.commands if known else ())
        )
    return tuple(found)


def split(text: str) -> tuple[str, str]:
    """A package's name, and the version that is asked for. A name may begin with @, as npm's scopes do."""
    name, _, version = text[1:].partition("@")
    return text[:1] + name, version


def installed_extras(workstation: Workstation, name: str, folder: Path) -> Mapping[str, Extra]:
    """The packages that a version on the shelf has; none are read where the manifest asks for none."""
    return extras_in(folder) if workstation.manifest.tools[name].extras else {}


def _newest(offers: Offers, package: str, version: str) -> str:
    """The exact version to take; what was asked for where the registry does not tell, or speaks of it in its
    own way.
    """
    try:
        chosen = choose(Want(version or "latest"), offers.of_registry("npm", package))
    except (Problem, ValueError):
        return version
    return chosen.version if chosen else version
