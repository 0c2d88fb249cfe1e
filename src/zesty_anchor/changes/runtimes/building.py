"""Building a version from its source, or taking the build that was kept of the same."""

from __future__ import annotations

import re
import time
from collections.abc import Mapping
from pathlib import Path

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.manifest.wanted import WantedVersion, refer
from zesty_anchor.shelf import place
from zesty_anchor.shelf.build import Unhurried, build, build_environment
from zesty_anchor.shelf.jobserver import knows_jobserver, shared
from zesty_anchor.shelf.kept_builds import KeptBuilds, Made
from zesty_anchor.system.host import host, login_path
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.package_managers import package_manager
from zesty_anchor.system.problem import Problem

COMMON_MESSAGES = {
    r"\b(g?cc|c99): (command )?not found": "gcc",
    r"\bg\+\+: (command )?not found": "g++",
    r"\bmake: (command )?not found": "make",
    r"fatal error: (stdio|stdlib|math|string)\.h": "libc6-dev",
    r"fatal error: zlib\.h": "zlib1g-dev",
    r"fatal error: openssl/": "libssl-dev",
}
"""What a line of a build's output points to: a pattern, and the Debian package that is probably missing."""


def need_of(line: str, messages: Mapping[str, str]) -> str:
    """The prerequisite that a line of output points to; empty where it points to none. Pure."""
    return next((need for found, need in messages.items() if re.search(found, line)), "")


def kept_already(
    version: WantedVersion, digest: str, locations: Locations, environ: Mapping[str, str]
) -> str:
    """Whose build of the source with that digest will be taken, so that nothing is compiled; empty where none
    is kept. Raises ``Problem`` where one is there that others can change.
    """
    name, alike = _keys(version, digest, environ)
    if KeptBuilds(locations.builds).made(name) is not None:
        return "that was kept of the same source and options"
    for folder in version.builds:
        builds = KeptBuilds(folder)
        key = builds.alike(alike)
        made = builds.made(key) if key is not None else None
        if made is not None:
            return f"of another machine: {locations.shown(folder)} ({made.system}, {made.day})"
    return ""


def _system() -> str:
    here = host()
    return f"{here.title}, {here.machine}"


def earlier_of(version: WantedVersion) -> str:
    """The version that it is built with, with its runtime where that is another one; empty: none."""
    earlier = version.earlier
    if earlier is None:
        return ""
    return earlier.version if earlier.runtime == version.runtime else f"{earlier.runtime} {earlier.version}"


def _keys(version: WantedVersion, digest: str, environ: Mapping[str, str]) -> tuple[str, str]:
    """Under what a build of a source is kept: with the versions that the packages have here, and on any
    machine of this system.
    """
    recipe = version.recipe.build
    assert recipe is not None
    here = host()
    manager = package_manager(here.families, environ)
    others = [f"{each.runtime} {each.version}" for each in version.built_with]
    # Of options that have names only those count that were chosen.
    said = {k: v for k, v in msgspec.to_builtins(recipe).items() if k not in ("options", "minutes")}
    parts = {
        "source": digest,
        "parts": [part.artefact.digest for part in version.parts],
        "recipe": said,
        "options": version.build.options,
        "environment": {**recipe.environment, **version.build.environment},
        "earlier": earlier_of(version),
        "on": version.on,
        **({"with": others} if others else {}),
        "system": [here.title, here.machine],
        # What cannot be moved serves again only where it stood.
        "prefix": "" if recipe.moves else str(version.folder),
    }
    packages = manager.versions(version.packages) if manager is not None and version.packages else {}
    return KeptBuilds.key({**parts, "packages": packages}), KeptBuilds.key(parts)


class Building:
    """The building of one version, of the source with that ``digest``, in the change ``key``."""

    def __init__(self, key: str, version: WantedVersion, digest: str, bench: Bench) -> None:
        assert version.recipe.build is not None
        self._key, self._version, self._bench = key, version, bench
        self._recipe = version.recipe.build
        self._kept = KeptBuilds(bench.locations.builds)
        self._system = _system()
        self._name, self._alike = _keys(version, digest, bench.environ)

    def again(self, out: Path) -> bool:
        """Put the build that was kept of the same into ``out``; False where there is none, or it does not
        work here.
        """
        made = self._kept.restore(self._name, out)
        if made is not None:
            told = f"{self._subject}: the build of the same source and options, kept before"
            self._bench.told(self._key, told)
        else:
            made = self._from_elsewhere(out)
        if made is None:
            return False
        prefix = Path(made.prefix)
        if prefix == self._version.folder:
            return True
        try:
            self._move(prefix, out)
        except Problem as problem:
            self._bench.remark(
                f"the kept build of {self._subject} could not be moved here, and is built anew: {problem}"
            )
            for entry in list(out.iterdir()):
                discard_any(entry)
            return False
        return True

    def _from_elsewhere(self, out: Path) -> Made | None:
        """The same of a build that another machine of this system made, from a folder of the manifest's."""
        for folder in self._version.builds:
            builds = KeptBuilds(folder)
            try:
                key = builds.alike(self._alike)
            except Problem as problem:
                self._bench.remark(f"{self._subject} is built here: {problem.what}")
                continue
            made = builds.restore(key, out) if key is not None else None
            if made is not None:
                where = self._bench.locations.shown(folder)
                self._bench.remark(
                    f"{self._subject} was built on another machine: {where} ({made.system}, {made.day})"
                )
                return made
            if key is not None:
                self._bench.remark(f"{self._subject} is built here: its build in {folder} is damaged")
        return None

    def build(self, folder: Path, out: Path, earlier: Path | None) -> None:
        """Build it in ``folder`` into ``out``, and keep the outcome. Raises ``BuildFailed``."""
        version, bench, runtime = self._version, self._bench, self._version.runtime
        room = place.stage(bench.locations.staging, f"{runtime}-{version.version}")
        messages = {**COMMON_MESSAGES, **self._recipe.messages}
        jobserver = shared() if knows_jobserver({"PATH": self._path}) else None
        try:
            pace = build(
                self._recipe.steps,
                version.build.options,
                folder,
                build_environment(
                    out=out,
                    prefix=version.folder,
                    room=room,
                    jobs=version.build.jobs,
                    jobserver=jobserver,
                    version=version.version,
                    earlier=earlier,
                    path=self._path,
                    more=self._environment,
                ),
                bench.log / f"build-{runtime}-{version.version}.log",
                Unhurried(lambda text: bench.told(self._key, f"build {self._subject}, {text}")),
                lambda line: need_of(line, messages),
                interrupted=bench.interrupted,
                last_time=self._kept.pace(runtime),
                jobserver=shared(),  # without such a make, too, it is one of the jobs
            )
        finally:
            discard(room)
        try:
            self._kept.took(runtime, pace)
            day = time.strftime("%Y-%m-%d")
            made = Made(str(version.folder), self._alike, self._subject, self._system, day)
            self._kept.keep(self._name, out, made)
        except OSError as error:
            bench.remark(f"the build of {self._subject} is not kept for another time: {error.strerror}")

    @property
    def _path(self) -> str:
        """Where the steps find commands: those of the other runtimes first."""
        others = (str(folder) for each in self._version.built_with for folder in each.bins)
        return ":".join([*others, *map(str, self._version.below), login_path(superuser=False)])

    @property
    def _environment(self) -> dict[str, str]:
        """The variables of the other runtimes, the recipe's and the manifest's."""
        version = self._version
        places = {each.runtime: str(each.folder) for each in version.built_with}
        given = {name: value for each in version.built_with for name, value in each.variables}
        own = {name: refer(text, places) for name, text in version.build.environment.items()}
        return {**given, **self._recipe.environment, **own}

    @property
    def _subject(self) -> str:
        return f"{self._version.runtime} {self._version.version}"

    def _move(self, prefix: Path, out: Path) -> None:
        """Have what was built for the folder ``prefix`` work where this version will stand. Raises
        ``BuildFailed``.
        """
        runtime, version = self._version.runtime, self._version.version
        room = place.stage(self._bench.locations.staging, f"{runtime}-{version}")
        environment = {
            "PATH": self._path,
            "HOME": str(room), "TMPDIR": str(room),
            "LANG": "C.UTF-8", "OLD": str(prefix), "PREFIX": str(self._version.folder),
        }  # fmt: skip
        try:
            build(
                (self._recipe.moves,), (), out, environment,
                self._bench.log / f"moves-{runtime}-{version}.log",
                lambda text: None, lambda line: "", what="the move of it",
                interrupted=self._bench.interrupted,
            )  # fmt: skip
        finally:
            discard(room)
