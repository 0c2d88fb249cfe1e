"""The further packages that belong to a version: which they are, and where they go."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from zesty_anchor.feeds.feed import Supply
from zesty_anchor.feeds.release import Piece, Release, choose
from zesty_anchor.manifest.pin import meets
from zesty_anchor.manifest.recipe import Companion, line_of_version
from zesty_anchor.manifest.want import Want, nearest
from zesty_anchor.manifest.wanted import Artefact, Part
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.problem import UsageProblem

Registry = Callable[[Literal["npm"], str], list[Release]]
"""Gives the versions of a package of a registry, by its kind and the package's name."""


def companions_of(workstation: Workstation, supply: Supply, name: str) -> list[Companion]:
    """The companions of what a feed offers: its own, and others of the recipe that the manifest asks for by
    name.

    Raises ``UsageProblem`` where the manifest asks for one that the recipe does not know.
    """
    wanted = workstation.manifest.tools[name].companions
    own = {each.name: each for each in supply.source.companions} if supply.source else {}
    known = {
        each.name: each for source in workstation.recipes[name].sources for each in source.companions
    } | own
    unknown = next((each for each in wanted if each not in known), None)
    if unknown is not None:
        raise UsageProblem(
            f"the recipe of {name!r} knows no companion {unknown!r}",
            where=workstation.place("runtimes", name, "companions", unknown),
            advice=f"it knows: {', '.join(known)}" if known else "take that line out",
        )
    return list((own | {each: known[each] for each in wanted}).values())


def companion_for(
    release: Release, companion: Companion, workstation: Workstation, name: str, registry: Registry
) -> Piece:
    """The newest package of a companion that the manifest wants, else of the line that is shipped with a
    version, and that runs on it.

    Raises ``UsageProblem`` where there is none, ``Problem`` where the registry does not answer.
    """
    shipped = companion.lines.get(line_of_version(release.version, companion.lines) or "", "latest")
    want = workstation.manifest.tools[name].companions.get(companion.name, shipped)
    offered = registry(companion.kind, companion.package or companion.name)
    fits = [
        each for each in offered if meets(each.requires.get(companion.requires, "*"), "npm", release.version)
    ]
    chosen = choose(Want(want), fits) or Want(want).choose(fits)
    if chosen is None:
        raise UsageProblem(
            f"no {companion.name} {want!r} runs on {name} {release.version}",
            where=workstation.place("runtimes", name, "companions", companion.name),
            advice=f"the nearest: {', '.join(nearest(want, (each.version for each in fits)))}",
        )
    return Piece(companion.name, chosen.version, chosen.url, chosen.digest, chosen.size)


def parts_of(release: Release, supply: Supply, workstation: Workstation, name: str) -> tuple[Part, ...]:
    """The further files of a version, each with its place."""
    known = {each.name: each for each in companions_of(workstation, supply, name)}
    recipe = workstation.recipes[name]
    lacking = set(recipe.commands) - set(recipe.at(release.version).commands)
    return tuple(
        Part(
            piece.name,
            piece.version,
            Artefact(piece.url, piece.digest, piece.size, package=piece.name not in known),
            known[piece.name].into if piece.name in known else "",
            {c: file for c, file in known[piece.name].links.items() if c not in lacking}
            if piece.name in known
            else {},
        )
        for piece in release.parts
    )
