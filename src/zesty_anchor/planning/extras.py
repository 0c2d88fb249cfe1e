"""From the command-line packages that a manifest asks for to names and versions."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.feeds.release import choose
from zesty_anchor.manifest.pin import meets
from zesty_anchor.manifest.recipe import ADDRESS
from zesty_anchor.manifest.want import Want
from zesty_anchor.manifest.wanted import WantedExtra
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.shelf.receipt import Extra, extras_in
from zesty_anchor.system.problem import Problem, UsageProblem


def wanted_extras(
    workstation: Workstation,
    offers: Offers,
    name: str,
    want: str,
    there: Mapping[str, Extra],
    runtime: str,
) -> tuple[WantedExtra, ...]:
    """The packages that a version of a ``runtime`` is to have; ``there`` are those that it has. The registry
    is asked only for one that it has not, and that the lock does not hold; where it does not answer, the
    package tool is left to choose.

    Raises ``UsageProblem`` where the recipe does not say how packages are added, or no version of a package
    fits the runtime's.
    """
    asked = workstation.manifest.tools[name].extras
    tool = workstation.recipes[name].extras
    if asked and tool is None:
        raise UsageProblem(
            f"the recipe of {name!r} does not say how a command-line package is added to it",
            where=workstation.place("runtimes", name, "extras"),
            advice=(
                "take extras out, or add [extras] with install = … to the recipe (zesty-anchor docs recipes)"
            ),
        )
    locked = workstation.lock.get((name, want))
    found = []
    for text in asked:
        package, version = split(text)
        by_address = tool is not None and tool.registry == ADDRESS
        if by_address != ("://" in package):
            raise UsageProblem(
                f"the package tool of {name} takes packages by their {'address' if by_address else 'name'}",
                where=f"{workstation.place('runtimes', name, 'extras')}: {text[:60]}",
                advice="write ADDRESS@DIGEST" if by_address else "write NAME, or NAME@VERSION",
            )
        known = there.get(text)
        pinned = locked.extras.get(text, "") if locked else ""
        if known is not None and pinned in ("", known.version):
            found.append(WantedExtra(text, package, known.version, known.commands))
        elif pinned:
            found.append(WantedExtra(text, package, pinned))
        else:
            exact = _newest(workstation, offers, name, (package, version), runtime)
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


def _newest(workstation: Workstation, offers: Offers, name: str, asked: tuple[str, str], runtime: str) -> str:
    """The exact version to take of a package: the newest of those that say they fit the runtime's version.
    What was asked for where no registry is known, or it does not tell, or speaks of it in its own way.

    Raises ``UsageProblem`` where none fits.
    """
    package, version = asked
    tool = workstation.recipes[name].extras
    if tool is None or tool.kind is None:
        return version
    try:
        want = Want(version or "latest")
        offered = offers.of_registry(tool.kind, package)
    except (Problem, ValueError):
        return version
    fits = [each for each in offered if meets(each.requires.get(tool.requires, "*"), "npm", runtime)]
    chosen = choose(want, fits)
    if chosen is not None:
        return chosen.version
    newest = choose(want, offered)
    if newest is None:
        return version
    raise UsageProblem(
        f"no {package} {str(want)!r} runs on {name} {runtime}",
        where=workstation.place("runtimes", name, "extras"),
        advice=f"{package} {newest.version} needs {name} {newest.requires.get(tool.requires)}",
    )
