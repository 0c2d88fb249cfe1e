"""What a manifest says that its types let pass and its meaning does not."""

from __future__ import annotations

import os
from collections.abc import Iterator

from zesty_anchor.manifest.model import SYSTEM, Manifest, Removal
from zesty_anchor.manifest.position import Step
from zesty_anchor.manifest.want import Want
from zesty_anchor.manifest.wrong import Wrong, dotted, nearest_key
from zesty_anchor.system import pam_environment


def meaning(manifest: Manifest) -> Iterator[Wrong]:
    """What the types let pass and the meaning does not. Pure."""
    yield from _managers(manifest)
    for name, runtime in manifest.runtimes.items():
        wants: list[tuple[tuple[Step, ...], str]] = [(("runtimes", name, "want"), runtime.want)]
        wants += [(("runtimes", name, "also", i), text) for i, text in enumerate(runtime.also)]
        for path, text in wants:
            if text == "system" and path[-1] != "want":
                yield Wrong(path, f'{dotted(path)}: "system" is no version', "write it as want, or leave it out")
            try:
                Want(text)
            except ValueError as error:
                what, _, advice = str(error).partition(": ")
                yield Wrong(path, f"{dotted(path)}: {what}", advice)
        if runtime.feed is not None and runtime.feed not in manifest.feeds:
            yield Wrong(
                ("runtimes", name, "feed"),
                f"there is no feed {runtime.feed!r} in this manifest",
                nearest_key(runtime.feed, list(manifest.feeds)) if manifest.feeds else f"add [feeds.{runtime.feed}]",
            )
    for name, feed in manifest.feeds.items():
        if feed.kind not in ("npm", "pypi") and not feed.url:
            what = f"the feed {name!r} of kind {feed.kind} has no address"
            yield Wrong(("feeds", name), what, 'add a line: url = "https://…/"')
        for need in ("releases", "version", "file") if feed.kind == "json" else ():
            if need not in feed.map:
                what = f"the json feed {name!r} does not say where the {need} stands"
                yield Wrong(("feeds", name), what, f'add a line: map.{need} = "a JMESPath expression"')
    for name, value in manifest.variables.items():
        yield from _variable(name, value)
    for key in ("first", "last"):
        for index, folder in enumerate(getattr(manifest.path, key)):
            yield from _path_entry(("path", key, index), folder)
    for index, removal in enumerate(manifest.conflicts.remove):
        yield from _removal(("conflicts", "remove", index), removal)


def _managers(manifest: Manifest) -> Iterator[Wrong]:
    for name, runtime in manifest.runtimes.items():
        if runtime.through is not None and runtime.through not in manifest.managers:
            yield Wrong(
                ("runtimes", name, "through"),
                f"there is no manager {runtime.through!r} in this manifest",
                nearest_key(runtime.through, list(manifest.managers))
                if manifest.managers
                else f"add [managers.{runtime.through}], or take this line out to have {name} on the shelf",
            )
        if runtime.through is not None and runtime.feed is not None:
            what = f"{name} comes through {runtime.through}, so no feed is asked for it"
            yield Wrong(("runtimes", name, "feed"), what, "take out one of the two: feed, or through")
    for name, manager in manifest.managers.items():
        if name in manifest.runtimes:
            yield Wrong(
                ("managers", name), f"{name} is a runtime of this manifest, and a manager", "rename one of them"
            )
        try:
            exact = Want(manager.want).kind == "line"
        except ValueError as error:
            what, _, advice = str(error).partition(": ")
            yield Wrong(("managers", name, "want"), f"managers.{name}.want: {what}", advice)
            continue
        if manager.want == "system":
            what = f"a manager that is to be asked must be one that is brought here, and {name} is left to the system"
            yield Wrong(("managers", name, "want"), what, 'write a version, or want = "latest"')
        elif manager.script is not None and not exact:
            what = f"a script brings one version, and managers.{name} wants {manager.want!r}"
            yield Wrong(("managers", name, "want"), what, "write the exact version that the script brings")
        if manager.feed is not None and manager.script is not None:
            yield Wrong(
                ("managers", name, "feed"), f"{name} comes by a script, so no feed is asked", "take out one of the two"
            )
        if manager.feed is not None and manager.feed not in manifest.feeds:
            what = f"there is no feed {manager.feed!r} in this manifest"
            yield Wrong(("managers", name, "feed"), what, f"add [feeds.{manager.feed}]")


def _variable(name: str, value: str | dict[str, str]) -> Iterator[Wrong]:
    if isinstance(value, str) == (name == SYSTEM):
        what = "is for variables of the whole system" if name == SYSTEM else "is a table"
        yield Wrong(("variables", name), f"variables.{name} {what}", f'write {name} = "…", or [variables.{SYSTEM}]')
    elif isinstance(value, dict):
        for inner, text in value.items():
            why = pam_environment.unfit(text)
            if why:
                yield Wrong(
                    ("variables", name, inner),
                    f"{inner} cannot be a variable of the whole system: {why}",
                    "set it in [variables], for your own shells",
                )
    elif "\0" in value:
        yield Wrong(("variables", name), f"{name} holds a NUL byte", "no environment can carry one: leave it out")


def _path_entry(path: tuple[Step, ...], folder: str) -> Iterator[Wrong]:
    if ":" in folder or "\0" in folder:
        yield Wrong(path, f"{folder!r} cannot stand on PATH: a colon separates its entries", "rename the folder")
    elif not folder.startswith(("/", "~/")) and folder != "~":
        yield Wrong(path, f"{folder!r} is neither absolute nor in the home", f'write "~/{folder}" or the whole path')


def _removal(path: tuple[Step, ...], removal: Removal) -> Iterator[Wrong]:
    named = [key for key in ("path", "package", "variable", "alternative") if getattr(removal, key) is not None]
    if len(named) != 1:
        what = f"conflicts.remove names {' and '.join(named) or 'nothing'}"
        yield Wrong(path, what, "name one: path, package, variable or alternative")
    if removal.path is None:
        return
    plain = os.path.normpath(removal.path) if removal.path else ""
    if not removal.path.startswith(("/", "~/")) and plain != "~":
        advice = f'write "~/{removal.path}" or the whole path'
        yield Wrong((*path, "path"), f"{removal.path!r} is neither absolute nor in the home", advice)
    elif plain in ("~", "/", "//") or plain in _SHARED or plain in (f"~/{name}" for name in _OF_THE_HOME):
        what = f"{removal.path!r} is no install: everything else stands there, too"
        yield Wrong((*path, "path"), what, "name the folder of the old install alone, or one file")


_SYSTEM = ("", "/usr", "/usr/local")
_SHARED = frozenset(
    (*(f"{top}/{name}" for top in _SYSTEM for name in ("bin", "sbin", "lib", "lib32", "lib64", "libexec", "share", "include", "etc", "games", "src")),
     "/usr", "/usr/local", "/boot", "/dev", "/home", "/media", "/mnt", "/opt", "/proc", "/root", "/run", "/srv", "/sys", "/tmp",
     "/var", "/var/lib", "/var/tmp", "/Applications", "/Library", "/System", "/Users", "/private")
)  # fmt: skip
"""Folders of a system that hold what is not of one program (hier(7), and the Filesystem Hierarchy Standard 3.0)."""
_OF_THE_HOME = (
    ".", "..", ".config", ".local", ".local/bin", ".local/share", ".local/state", ".cache", ".ssh", ".gnupg", "bin", "Documents",
    "Desktop", "Downloads", "Library",
)  # fmt: skip
