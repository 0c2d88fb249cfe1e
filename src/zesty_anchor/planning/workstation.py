"""The workstation: what is fixed for one command. A value; it does nothing."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from zesty_anchor.engine.journal import Past
from zesty_anchor.manifest.condition import Facts
from zesty_anchor.manifest.model import Manifest
from zesty_anchor.manifest.source import Source
from zesty_anchor.planning.home import open_home
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.feeds.mirror import Mirror
    from zesty_anchor.manifest.lock import Locked
    from zesty_anchor.manifest.recipe import Recipe


class Workstation(msgspec.Struct, frozen=True):
    """One home, one environment, the folder that a command is used in, and one manifest with its recipes and
    its lock.

    ``program`` are the words that start this program, ``source`` is what the manifest was read from, empty as
    the manifest is where a command needs none. ``past`` is what the journal tells. ``facts`` decide which
    parts of the manifest hold (None: those of this machine). ``hands_known`` tells that it was looked at
    already in whose hands the manifest is: in a copy of the home the owners of what is around it are not to
    be seen.
    """

    environ: Mapping[str, str]
    locations: Locations
    folder: Path
    program: tuple[str, ...] = ("zesty-anchor",)
    offline: bool = False
    past: Past = Past()
    facts: Facts | None = None
    source: Source = Source()
    manifest: Manifest = Manifest()
    recipes: Mapping[str, Recipe] = {}
    lock: Mapping[tuple[str, str], Locked] = {}
    hands_known: bool = False

    @property
    def file(self) -> Path:
        """The manifest's file: the person's own, where it has a base."""
        return self.source.file

    @property
    def text(self) -> str:
        """What the manifest's own file says."""
        return self.source.text

    def check_runtime(self, name: str) -> None:
        """Raises ``UsageProblem`` where the manifest does not have a runtime, or a manager, of this name."""
        if name not in self.manifest.tools:
            import difflib

            close = difflib.get_close_matches(name, self.manifest.tools, 1)
            raise UsageProblem(
                f"the manifest has no runtime {name!r}",
                where=str(self.file),
                advice=f"did you mean {close[0]!r}?" if close else f"add [runtimes.{name}] with want = …",
            )

    def place(self, *path: str | int) -> str:
        """The file and the line of a key of the manifest."""
        return self.source.place(*path)

    def recipe_place(self, name: str) -> str:
        """The file of a runtime's recipe; with the line where it stands in the manifest."""
        from zesty_anchor.recipes import recipe_file

        return (
            self.place("recipes", name)
            if name in self.manifest.recipes
            else recipe_file(name, self.locations.recipes)
        )

    def decided_by_default(self) -> dict[str, str]:
        """Where the manifest says which version of each runtime is the default."""
        shown, place = self.locations.shown, self.source.place
        return {
            name: f"{shown(place(*self.manifest.step(name), 'want'))} (want {tool.want})"
            for name, tool in self.manifest.tools.items()
        }


def open_workstation(
    environ: Mapping[str, str],
    folder: Path,
    program: tuple[str, ...] = ("zesty-anchor",),
    *,
    offline: bool = False,
) -> Workstation:
    """The workstation without a manifest. Raises ``Problem`` as ``open_home``."""
    home = open_home(environ)
    return Workstation(environ, home.locations, folder, program, offline, home.past)


def with_manifest_here(bare: Workstation, given: Path | None) -> Workstation:
    """With the manifest that is given, or that is found from the folder. Raises ``UsageProblem``."""
    from zesty_anchor.manifest.toml_file import read_text

    file = manifest_here(bare, given)
    return with_manifest(bare, file, read_text(file))


def manifest_here(bare: Workstation, given: Path | None) -> Path:
    """The manifest that is given, or that is found from the folder. Raises ``UsageProblem``."""
    from zesty_anchor.manifest.read import find

    places = bare.locations
    return find(given, bare.folder, places.config, _provisioned(bare), _only_pins, places.home).absolute()


def with_provisioned_manifest(bare: Workstation) -> Workstation:
    """With the manifest that this machine was provisioned from last: what the shells ask about is in its
    terms.
    """
    from zesty_anchor.manifest.read import find
    from zesty_anchor.manifest.toml_file import read_text

    file = _provisioned(bare) or find(None, bare.locations.home, bare.locations.config).absolute()
    return with_manifest(bare, file, read_text(file))


def with_manifest(bare: Workstation, file: Path, text: str, *, newest_bases: bool = False) -> Workstation:
    """With a manifest that stands, or will stand, in ``file``, its bases, its recipes and its lock. Bases
    that a key signs are those that the lock pins, or with ``newest_bases`` those of now. Raises
    ``UsageProblem``.
    """
    # Half of the commands need no manifest, and all this takes a quarter of their time.
    from zesty_anchor.manifest.build_options import with_named_options
    from zesty_anchor.manifest.layers import read_layers
    from zesty_anchor.manifest.lock import file_beside
    from zesty_anchor.manifest.lock import read as read_lock
    from zesty_anchor.manifest.read import manifest_of
    from zesty_anchor.planning.base import fetched_base
    from zesty_anchor.planning.linked import with_linked
    from zesty_anchor.planning.manifest_checks import check
    from zesty_anchor.recipes import as_manager, check_installers, recipe_for, recipe_tables

    personal = bare.locations.recipes
    fetch = fetched_base(
        bare.environ,
        bare.locations,
        file,
        lambda: _mirror_in(text, bare.environ),
        offline=bare.offline,
        newest=newest_bases,
    )
    source, others = read_layers(
        text, file, lambda: bare.facts or facts_here(bare.environ), bare.locations.home, fetch
    )
    manifest = manifest_of(source, others, lambda name: recipe_tables(name, personal))
    recipes = {name: recipe_for(name, manifest, personal, source) for name in manifest.tools}
    manifest, recipes = with_named_options(manifest, recipes, source)
    manifest = with_linked(manifest, recipes, bare.locations.home)
    check_installers(manifest, recipes, source)
    for name in manifest.managers:
        recipes[name] = as_manager(name, recipes[name], bare.locations)
    check(manifest, recipes, source)
    lock: dict[tuple[str, str], Locked] = {}
    for layer in source.layers:
        lock |= {} if layer.address else read_lock(file_beside(layer.file))
    return msgspec.structs.replace(bare, source=source, manifest=manifest, recipes=recipes, lock=lock)


def on_another(bare: Workstation, words: str) -> Workstation:
    """The workstation as it would be on another machine, on which nothing was installed yet. Raises
    ``UsageProblem`` where ``words`` name none.
    """
    from zesty_anchor.manifest.condition import as_on

    try:
        facts = as_on(facts_here(bare.environ), words)
    except ValueError as error:
        raise UsageProblem(f"{words!r} is not a machine", advice=str(error)) from None
    return msgspec.structs.replace(bare, facts=facts, past=Past())


def facts_here(environ: Mapping[str, str]) -> Facts:
    """What decides which parts of a manifest hold on this machine, for this user."""
    from zesty_anchor.system.host import host, in_container, user_name

    here = host()
    return Facts(
        here.platform, here.families, here.version, os.uname().nodename, user_name(), in_container(environ)
    )


def _mirror_in(text: str, environ: Mapping[str, str]) -> Mirror | None:
    """The mirror that a manifest's own text names, else the environment's: its bases are asked for there
    before they are read.
    """
    import tomllib

    from zesty_anchor.feeds.mirror import Mirror, mirror_around

    table = tomllib.loads(text).get("mirror")
    if isinstance(table, dict) and isinstance(table.get("url"), str):
        return Mirror(table["url"], table.get("only") is True)
    return mirror_around(environ)


def _provisioned(bare: Workstation) -> Path | None:
    file = bare.past.manifest
    return file if file is not None and file.is_file() else None


def _only_pins(file: Path) -> bool:
    from zesty_anchor.manifest.project import is_project

    return is_project(file.read_text("utf-8", "replace"))
