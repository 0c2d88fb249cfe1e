"""What a manifest says that its types let pass and its meaning does not."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from contextlib import suppress
from urllib.parse import urlsplit

from zesty_anchor.manifest.check_meaning import check_meaning
from zesty_anchor.manifest.feed_kinds import FEED_KINDS
from zesty_anchor.manifest.model import SYSTEM, Feed, Manifest, PackageSource, Removal
from zesty_anchor.manifest.position import Step
from zesty_anchor.manifest.recipe_meaning import recipe_meaning
from zesty_anchor.manifest.reserved import why_reserved
from zesty_anchor.manifest.want import Want
from zesty_anchor.manifest.wrong import Wrong, dotted, nearest_key, shortened
from zesty_anchor.system import pam_environment


def meaning(manifest: Manifest) -> Iterator[Wrong]:
    """What the types let pass and the meaning does not. Pure."""
    yield from _managers(manifest)
    for name, recipe in manifest.recipes.items():
        yield from recipe_meaning(recipe, ("recipes", name))
    yield from _names(manifest)
    for name, runtime in manifest.runtimes.items():
        wants: list[tuple[tuple[Step, ...], str]] = [(("runtimes", name, "want"), runtime.want)]
        wants += [(("runtimes", name, "also", i), text) for i, text in enumerate(runtime.also)]
        for path, text in wants:
            if text == "system" and path[-1] != "want":
                yield Wrong(
                    path, f'{dotted(path)}: "system" is no version', "write it as want, or leave it out"
                )
            try:
                Want(text)
            except ValueError as error:
                what, _, advice = str(error).partition(": ")
                yield Wrong(path, f"{dotted(path)}: {what}", advice)
        if runtime.feed is not None and runtime.feed not in manifest.feeds:
            yield Wrong(
                ("runtimes", name, "feed"),
                f"there is no feed {runtime.feed!r} in this manifest",
                (
                    nearest_key(runtime.feed, list(manifest.feeds))
                    if manifest.feeds
                    else f"add [feeds.{runtime.feed}]"
                ),
            )
    for name, feed in manifest.feeds.items():
        kind = FEED_KINDS[feed.kind]
        if not kind.own_address and not feed.url:
            what = f"the feed {name!r} of kind {feed.kind} has no address"
            yield Wrong(("feeds", name), what, 'add a line: url = "https://…/"')
        for need in kind.map_keys:
            if need not in feed.map:
                what = f"the {feed.kind} feed {name!r} has no map.{need}"
                yield Wrong(("feeds", name), what, f'add a line: map.{need} = "a JMESPath expression"')
    for name, value in manifest.variables.items():
        yield from _variable(name, value)
    for name, file in manifest.secrets.items():
        yield from _secret(name, file, manifest)
    for shell, completions in manifest.shells.completions.items():
        if not completions.startswith("/") or not completions.isprintable():
            what = f"shells.completions.{shell} is {shortened(completions)!r}, which is not an absolute path"
            yield Wrong(("shells", "completions", shell), what, "begin it with /")
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
                (
                    nearest_key(runtime.through, list(manifest.managers))
                    if manifest.managers
                    else (
                        f"add [managers.{runtime.through}], or take this line out to have {name} on the shelf"
                    )
                ),
            )
        if runtime.through is not None and runtime.feed is not None:
            what = f"{name} comes through {runtime.through}, so no feed is asked for it"
            yield Wrong(("runtimes", name, "feed"), what, "take out one of the two: feed, or through")
    for name, runtime in manifest.runtimes.items():
        if runtime.system is not None and (runtime.through is not None or runtime.feed is not None):
            what = f"{name} is an install that is there already, so no feed and no manager is asked for it"
            yield Wrong(("runtimes", name, "system"), what, "take out one of the two")
        if runtime.system is None and not runtime.alternatives:
            what = f"{name} names no install of the system, so no alternative would lead to it"
            yield Wrong(
                ("runtimes", name, "alternatives"),
                what,
                'take the line out, or add one: system = "/a/folder"',
            )
        if runtime.system is not None and not runtime.system.startswith(("/", "~/")):
            yield Wrong(
                ("runtimes", name, "system"), f"{runtime.system!r} is no whole path", "begin it with / or ~/"
            )
    for name, manager in manifest.managers.items():
        if name in manifest.runtimes:
            yield Wrong(
                ("managers", name),
                f"{name} is a runtime of this manifest, and a manager",
                "rename one of them",
            )
        try:
            exact = Want(manager.want).kind == "line"
        except ValueError as error:
            what, _, advice = str(error).partition(": ")
            yield Wrong(("managers", name, "want"), f"managers.{name}.want: {what}", advice)
            continue
        if manager.want == "system":
            what = (
                f"a manager that is to be asked must be one that is installed here, and {name} is left to the"
                " system"
            )
            yield Wrong(("managers", name, "want"), what, 'write a version, or want = "latest"')
        elif manager.script is not None and not exact:
            what = f"a script brings one version, and managers.{name} wants {manager.want!r}"
            yield Wrong(("managers", name, "want"), what, "write the exact version that the script brings")
        if manager.feed is not None and manager.script is not None:
            yield Wrong(
                ("managers", name, "feed"),
                f"{name} comes by a script, so no feed is asked",
                "take out one of the two",
            )
        if manager.feed is not None and manager.feed not in manifest.feeds:
            what = f"there is no feed {manager.feed!r} in this manifest"
            yield Wrong(("managers", name, "feed"), what, f"add [feeds.{manager.feed}]")


_PACKAGE = r"\A[A-Za-z0-9][A-Za-z0-9+._:@~-]{0,199}\Z"
"""Debian Policy 5.6.1; what rpm and pacman take is within it."""
_HOST = r"\A(?:[A-Za-z0-9_](?:[A-Za-z0-9_-]{0,61}[A-Za-z0-9])?(?:\.|(?=\Z)))+\Z|\A[0-9A-Fa-f:.]{2,45}\Z"
"""RFC 1123, section 2.1; an address of IPv4 or IPv6."""
_USER = r"\A[A-Za-z_][A-Za-z0-9_.-]{0,31}\$?\Z"
"""useradd(8), "CAVEATS"."""


_ADDRESS = r"\A(?:https?|file)://[^\s\x00-\x20\x7f]{1,1000}\Z"
_ADDRESS_WITH_DIGEST = r"\Ahttps?://[^\s\x00-\x20\x7f@]{1,1000}@[0-9a-f]{64,128}\Z"
"""The address of a package, with its digest."""
_SUITE = r"\A[A-Za-z0-9.][A-Za-z0-9._/+~-]{0,99}\Z"
_FINGERPRINT = r"\A(?:[0-9A-Fa-f]{40}|[0-9A-Fa-f]{64})\Z"
"""RFC 9580, section 5.5.4: of versions 4 and 6."""


def _package_source(name: str, source: PackageSource) -> Iterator[Wrong]:
    """What becomes a line of the package manager's own files."""
    at: tuple[Step, ...] = ("prerequisites", "sources", name)
    if not re.match(_ADDRESS, source.url):
        yield Wrong(
            (*at, "url"),
            f"{source.url[:60]!r} is no address of a source",
            "it begins with https://, http:// or file://",
        )
    for key, text in (("suite", source.suite), *(("components", each) for each in source.components)):
        if text and not re.match(_SUITE, text):
            yield Wrong((*at, key), f"{text[:60]!r} is no name in an archive", "write it as the archive does")
    if source.fingerprint and not re.match(_FINGERPRINT, source.fingerprint.replace(" ", "")):
        yield Wrong(
            (*at, "fingerprint"),
            "this is no fingerprint of a key",
            "it has 40 or 64 hexadecimal digits, and may have blanks between them",
        )


def _names(manifest: Manifest) -> Iterator[Wrong]:
    """Names that become words of a command, and places that are written to."""
    packages = manifest.prerequisites.packages
    listed = {"": packages} if isinstance(packages, tuple) else packages
    for family, names in listed.items():
        for index, name in enumerate(names):
            if not re.match(_PACKAGE, name):
                path: tuple[Step, ...] = ("prerequisites", "packages", *((family,) if family else ()), index)
                yield Wrong(
                    path, f"{name[:60]!r} is no name of a package", "write it as the package manager does"
                )
    for name, source in manifest.prerequisites.sources.items():
        yield from _package_source(name, source)
    for index, host in enumerate(manifest.identity.hosts if manifest.identity else ()):
        where = ("identity", "hosts", index)
        if not re.match(_HOST, host.name):
            yield Wrong(
                (*where, "name"),
                f"{host.name[:60]!r} is no name of a host",
                "write the name, or the address, alone",
            )
        if not 0 < host.port < 65536:
            yield Wrong((*where, "port"), f"{host.port} is no port", "ports are numbered from 1 to 65535")
        if host.user is not None and not re.match(_USER, host.user):
            yield Wrong(
                (*where, "user"),
                f"{host.user[:60]!r} is no name of a user",
                "write the name that you log in with there",
            )
    identity = manifest.identity
    for key in ("name", "email") if identity else ():
        text = getattr(identity, key)
        if text is not None and (not text.strip() or not text.isprintable()):
            yield Wrong(("identity", key), f"identity.{key} is {text[:40]!r}", "write it on one line")
    for index, setting in enumerate(manifest.settings):
        if (
            not setting.file.startswith(("/", "~/"))
            or ".." in setting.file.split("/")
            or "\0" in setting.file
        ):
            what = f"settings.file is {setting.file[:60]!r}, which is neither absolute nor in the home"
            yield Wrong(
                ("settings", index, "file"), what, 'write the whole path, or one that begins with "~/"'
            )
        if not setting.key:
            yield Wrong(("settings", index, "key"), "settings.key is empty", "write the key's name")
    yield from check_meaning(manifest.checks, _hosts(manifest))
    for index, removal in enumerate(manifest.conflicts.remove):
        if removal.package is not None and not re.match(_PACKAGE, removal.package):
            what = f"{removal.package[:60]!r} is no name of a package"
            yield Wrong(
                ("conflicts", "remove", index, "package"), what, "write it as the package manager does"
            )
        if removal.alternative is not None and not re.match(_PACKAGE, removal.alternative):
            what = f"{removal.alternative[:60]!r} is no name of an alternative"
            yield Wrong(
                ("conflicts", "remove", index, "alternative"), what, "write it as update-alternatives does"
            )
    for name, runtime in manifest.runtimes.items():
        for index, extra in enumerate(runtime.extras):
            steps = extra.partition("@")[0] if not extra.startswith("@") else extra
            named = _is_package(extra) or re.fullmatch(_ADDRESS_WITH_DIGEST, extra)
            if not named or ".." in steps.split("/"):
                what = f"{extra[:60]!r} is no name of a package"
                advice = "write NAME or NAME@VERSION; for a package tool that takes files, ADDRESS@DIGEST"
                yield Wrong(("runtimes", name, "extras", index), what, advice)
    for name, feed in manifest.feeds.items():
        yield from _feed(name, feed)


def _is_package(text: str) -> bool:
    """Whether a text names a package of a registry: no option, no path, no address."""
    name = text[1:] if text.startswith("@") else text
    return (
        bool(text)
        and text.isprintable()
        and " " not in text
        and not name.startswith(("-", ".", "/", "~"))
        and "://" not in text
    )


def _hosts(manifest: Manifest) -> frozenset[str]:
    """The hosts that feeds and the identity name."""
    found = {host.name for host in manifest.identity.hosts} if manifest.identity else set()
    for feed in manifest.feeds.values():
        with suppress(ValueError):
            found.add(urlsplit(feed.url or "").hostname or "")
    return frozenset(found - {""})


def _feed(name: str, feed: Feed) -> Iterator[Wrong]:
    if not feed.url:
        return
    at = ("feeds", name, "url")
    advice = "write it with https:// in front"
    try:
        parts = urlsplit(feed.url)
        _ = parts.hostname, parts.port
    except ValueError as error:
        yield Wrong(at, f"{feed.url[:80]!r} is no address: {error}", advice)
        return
    if not feed.url.isprintable() or " " in feed.url:
        yield Wrong(at, f"{feed.url[:80]!r} holds what no address holds", "write %20 for a blank")
    elif wrong := FEED_KINDS[feed.kind].wrong_address(feed.url):
        yield Wrong(at, *wrong)


def _variable(name: str, value: str | dict[str, str]) -> Iterator[Wrong]:
    why, advice = why_reserved(name) if isinstance(value, str) else ("", "")
    if why:
        yield Wrong(("variables", name), f"{name} cannot be set: {why}", advice)
        return
    if isinstance(value, str) == (name == SYSTEM):
        what = "is for variables of the whole system" if name == SYSTEM else "is a table"
        yield Wrong(
            ("variables", name), f"variables.{name} {what}", f'write {name} = "…", or [variables.{SYSTEM}]'
        )
    elif isinstance(value, dict):
        for inner, text in value.items():
            why = pam_environment.unfit(text) or _rules_programs(inner)
            if why:
                yield Wrong(
                    ("variables", name, inner),
                    f"{inner} cannot be a variable of the whole system: {why}",
                    "set it in [variables], for your own shells",
                )
    elif "\0" in value:
        yield Wrong(
            ("variables", name), f"{name} holds a NUL byte", "no environment can carry one: leave it out"
        )


def _secret(name: str, file: str, manifest: Manifest) -> Iterator[Wrong]:
    why, advice = why_reserved(name)
    if why:
        yield Wrong(("secrets", name), f"{name} cannot be set: {why}", advice)
    elif name in manifest.variables:
        yield Wrong(("secrets", name), f"{name} is in [variables] too", "take one of them out")
    elif not file.startswith(("/", "~/")) or not file.isprintable() or "{" in file or "'" in file:
        what = f"secrets.{name} is {shortened(file)!r}, which is not the path of a file"
        yield Wrong(("secrets", name), what, "begin it with / or ~/, and use no quotes or braces")


def _rules_programs(name: str) -> str:
    """Why a variable may not be set for everybody; empty where it may: PATH, and what the loader looks at
    (ld.so(8)).
    """
    if name == "PATH" or name.startswith(("LD_", "DYLD_")) or why_reserved(name)[0]:
        return "it decides which programs run, for root too"
    return ""


def _path_entry(path: tuple[Step, ...], folder: str) -> Iterator[Wrong]:
    if not folder.isprintable():
        what = (
            f"{shortened(folder)!r} cannot be on PATH: it contains a newline or another invisible character"
        )
        yield Wrong(path, what, "rename the folder")
    elif ":" in folder or "\0" in folder:
        yield Wrong(
            path, f"{folder!r} cannot stand on PATH: a colon separates its entries", "rename the folder"
        )
    elif not folder.startswith(("/", "~/")) and folder != "~":
        yield Wrong(
            path, f"{folder!r} is neither absolute nor in the home", f'write "~/{folder}" or the whole path'
        )


def _removal(path: tuple[Step, ...], removal: Removal) -> Iterator[Wrong]:
    named = [
        key for key in ("path", "package", "variable", "alternative") if getattr(removal, key) is not None
    ]
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
        what = f"{removal.path!r} is no install: everything else is in it, too"
        yield Wrong((*path, "path"), what, "name the folder of the old install alone, or one file")


_SYSTEM = ("", "/usr", "/usr/local")
_SHARED = frozenset(
    (*(f"{top}/{name}" for top in _SYSTEM for name in ("bin", "sbin", "lib", "lib32", "lib64", "libexec",
    "share", "include", "etc", "games", "src")),
     "/usr", "/usr/local", "/boot", "/dev", "/home", "/media", "/mnt", "/opt", "/proc", "/root", "/run",
     "/srv", "/sys", "/tmp",
     "/var", "/var/lib", "/var/tmp", "/Applications", "/Library", "/System", "/Users", "/private")
)  # fmt: skip
"""Folders of a system that hold what is not of one program (hier(7), and the Filesystem Hierarchy Standard
3.0).
"""
_OF_THE_HOME = (
    ".", "..", ".config", ".local", ".local/bin", ".local/share", ".local/state", ".cache", ".ssh", ".gnupg",
    "bin", "Documents",
    "Desktop", "Downloads", "Library",
)  # fmt: skip
