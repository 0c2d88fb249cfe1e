"""The variables that a project sets in its folder, once the person has agreed to them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import msgspec

from zesty_anchor.manifest.pin import MOST_BYTES
from zesty_anchor.manifest.project import ProjectVariable, project_variables
from zesty_anchor.manifest.read import FILE_NAME
from zesty_anchor.planning.agreement import agree_to, agreed_texts
from zesty_anchor.planning.choices import pin_files_above
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.ownership import in_other_hands
from zesty_anchor.system.problem import UsageProblem


class ProjectSets(msgspec.Struct, frozen=True):
    """What one project sets: its ``file``, the variables that may be set, and those that may not. ``hands``
    is why the file is not taken at its word; empty: it is.
    """

    file: Path
    variables: tuple[ProjectVariable, ...] = ()
    wrong: tuple[ProjectVariable, ...] = ()
    hands: str = ""

    @property
    def digest(self) -> str:
        """Names these variables with their values: 16 letters."""
        from zesty_anchor.files.digest import digest_of  # most folders set none

        return digest_of(msgspec.json.encode([(each.name, each.value) for each in self.variables]))[:16]

    @property
    def parts(self) -> dict[str, dict[str, str]]:
        """What has to be agreed to."""
        return {"variables": {each.name: each.value for each in self.variables}}


def project_sets(file: Path) -> ProjectSets:
    """What a project's manifest sets; nothing where it is none, or cannot be read."""
    if file.name != FILE_NAME:
        return ProjectSets(file)
    try:
        with file.open("rb") as opened:
            text = opened.read(MOST_BYTES).decode("utf-8", "replace")
    except OSError:
        return ProjectSets(file)
    found = project_variables(text)
    return ProjectSets(
        file,
        tuple(each for each in found if not each.wrong),
        tuple(each for each in found if each.wrong),
        in_other_hands(file) if found else "",
    )


def is_agreed_to(sets: ProjectSets, locations: Locations) -> bool:
    """Whether the person agreed to just these variables of this file, and nobody else may change it."""
    return not sets.hands and sets.parts in agreed_texts(sets.file, locations)


def trust_project(folder: Path, locations: Locations) -> ProjectSets:
    """Agree to the variables that a project sets now. ``folder`` is its folder, or its manifest. Raises
    ``UsageProblem`` where it sets none, or somebody else may change it.
    """
    file = folder / FILE_NAME if folder.is_dir() else folder
    sets = project_sets(file)
    if not sets.variables:
        raise UsageProblem(
            f"{locations.shown(file)} sets no variables"
            if file.is_file()
            else f"there is no {FILE_NAME} in {folder}",
            advice="a project sets them in [variables], beside [runtimes] and nothing else",
        )
    if sets.hands:
        raise UsageProblem(
            f"{locations.shown(file)} is not used: {sets.hands}", advice=f"look at: ls -ld {file}"
        )
    agree_to(file, sets.parts, locations)
    return sets


def projects_around(workstation: Workstation) -> Iterator[ProjectSets]:
    """What the projects set that the current folder is in, the nearest first. The machine's own manifest is
    none of them.
    """
    for file in pin_files_above(workstation.folder, workstation.recipes, workstation.locations.home):
        if file != workstation.file and (sets := project_sets(file)).variables:
            yield sets


def variables_of(projects: Iterable[ProjectSets], locations: Locations) -> dict[str, str]:
    """The variables of projects that the person agreed to; those of the nearest, which comes first, win."""
    found: dict[str, str] = {}
    for sets in projects:
        if is_agreed_to(sets, locations):
            found = sets.parts["variables"] | found
    return found
