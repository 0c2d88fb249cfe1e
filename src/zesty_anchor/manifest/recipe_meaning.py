"""What a recipe says that its types let pass and its meaning does not."""

from __future__ import annotations

import base64
import re
import shlex
from collections.abc import Iterator

from zesty_anchor.manifest.position import Step
from zesty_anchor.manifest.recipe import Recipe, Source
from zesty_anchor.manifest.want import Want
from zesty_anchor.manifest.wrong import Wrong, dotted

_COMMAND = re.compile(r"\A[A-Za-z0-9_+][A-Za-z0-9_.+@-]{0,99}\Z")
_MOST_PATTERN = 500


def recipe_meaning(recipe: Recipe, at: tuple[Step, ...] = ()) -> Iterator[Wrong]:
    """What is wrong with a recipe that stands at this place of a file. Pure."""
    if not recipe.commands:
        yield Wrong(
            (*at, "commands"), "a recipe names no command", 'write those that it gives: commands = ["kelp"]'
        )
    for index, command in enumerate(recipe.commands):
        if not _COMMAND.match(command):
            yield Wrong(
                (*at, "commands", index),
                f"{command[:60]!r} is no name of a command",
                "write the name alone, as it is typed",
            )
    if recipe.binary and len(recipe.commands) > 1:
        advice = "name the one command, or leave binary out where its feed gives archives"
        yield Wrong((*at, "binary"), "one file is one command, and the recipe names several", advice)
    if not recipe.bin:
        yield Wrong(
            (*at, "bin"), "a recipe names no folder of commands", 'leave bin out, or write bin = ["bin"]'
        )
    for index, folder in enumerate(recipe.bin):
        yield from _inside((*at, "bin", index), folder)
    for index, source in enumerate(recipe.sources):
        where = (*at, "feed") if recipe.feed and index == 0 else (*at, "feeds", index - bool(recipe.feed))
        yield from _source(source, where)
    for pattern, path in _patterns(recipe, at):
        yield from _expression(path, pattern)
    if recipe.program is not None:
        yield from _inside((*at, "program", "file"), recipe.program.file)
    for shell, file in recipe.completions.items():
        yield from _inside((*at, "completions", shell), file)
    if recipe.installer is not None:
        for index, part in enumerate(recipe.installer.keeps):
            yield from _inside((*at, "installer", "keeps", index), part)
    if recipe.manager is not None and "version" not in _groups(recipe.manager.line):
        advice = r"write one with (?P<version>…) in it"
        yield Wrong((*at, "manager", "line"), "manager.line has no group named version", advice)
    yield from _templates(recipe, at)
    if recipe.build is not None and recipe.build.earlier is not None:
        for key, text in (("want", recipe.build.earlier.want), ("from", recipe.build.earlier.from_)):
            try:
                Want(text)
            except ValueError as error:
                what, _, advice = str(error).partition(": ")
                yield Wrong((*at, "build", "earlier", key), f"build.earlier.{key}: {what}", advice)
    if recipe.program is not None and recipe.program.base64:
        try:
            base64.b64decode(recipe.program.base64, validate=True)
        except ValueError as error:
            what = f"program.base64 is not valid: {error}"
            yield Wrong((*at, "program", "base64"), what, "write what base64(1) prints, on one line (-w 0)")
    if recipe.on is not None and bool(recipe.on.version) == bool(recipe.on.ranges):
        advice = "one of the two: a regular expression with one group, or a range for each line"
        yield Wrong((*at, "on"), "on has both version and ranges, or neither", advice)
    if (
        recipe.on is not None
        and recipe.on.version
        and _is_expression(recipe.on.version)
        and re.compile(recipe.on.version).groups != 1
    ):
        yield Wrong(
            (*at, "on", "version"),
            "on.version has not one group",
            "put what counts into one pair of parentheses",
        )


def _templates(recipe: Recipe, at: tuple[Step, ...]) -> Iterator[Wrong]:
    """How a manager is spoken to, and where it keeps what it installs."""
    if recipe.manager is None:
        return
    for key in ("list", "install", "locate", "choose"):
        text = getattr(recipe.manager, key)
        try:
            shlex.split(text or "")
        except ValueError as error:
            what = f"manager.{key} cannot be split into words: {str(error).lower()}"
            yield Wrong((*at, "manager", key), what, "close each quote, or write a backslash before it")
    homes = [(("manager", "home"), recipe.manager.home)]
    homes += [(("installer", "folder"), recipe.installer.folder)] if recipe.installer is not None else []
    for path, home in homes:
        if home is not None and (
            not home.startswith("~/") or ".." in home.split("/") or not home.isprintable()
        ):
            what = f"{dotted(path)} is {home[:60]!r}, which is not a folder in the home"
            yield Wrong((*at, *path), what, 'write one that begins with "~/", without ..')


def _source(source: Source, at: tuple[Step, ...]) -> Iterator[Wrong]:
    if source.root:
        yield from _inside((*at, "root"), source.root, of="archive")
    for name, file in source.links.items():
        yield from _inside((*at, "links", name), file)
    for index, companion in enumerate(source.companions):
        yield from _inside((*at, "companions", index, "into"), companion.into, whole=True)
        for name, file in companion.links.items():
            yield from _inside((*at, "companions", index, "links", name), file)


def _inside(
    path: tuple[Step, ...], text: str, *, whole: bool = False, of: str = "version's folder"
) -> Iterator[Wrong]:
    """A path that must stay in a version's folder, and may become a part of PATH."""
    if not text and whole:
        return
    what = "root in the recipe" if path[-1] == "root" else "the recipe"
    advice = f"fix {what}: a path below that folder, without .. and colons"
    if text.startswith(("/", "~")) or ".." in text.split("/"):
        yield Wrong(path, f"{dotted(path)} is {text[:60]!r}, which leads out of the {of}", advice)
    elif not text or text.startswith("-") or ":" in text or not text.isprintable():
        yield Wrong(path, f"{dotted(path)} is {text[:60]!r}, which is no path in the {of}", advice)


def _patterns(recipe: Recipe, at: tuple[Step, ...]) -> Iterator[tuple[str, tuple[Step, ...]]]:
    for index, requirement in enumerate(recipe.requirements):
        if requirement.pattern:
            yield requirement.pattern, (*at, "requirements", index, "pattern")
    if recipe.manager is not None:
        yield recipe.manager.line, (*at, "manager", "line")
    if recipe.on is not None and recipe.on.version:
        yield recipe.on.version, (*at, "on", "version")
    if recipe.build is not None:
        for text in recipe.build.messages:
            yield text, (*at, "build", "messages", text)
    for index, source in enumerate(recipe.sources):
        if source.version:
            yield source.version, (*at, "feed" if recipe.feed and index == 0 else "feeds", "version")


def _expression(path: tuple[Step, ...], text: str) -> Iterator[Wrong]:
    if len(text) > _MOST_PATTERN:
        yield Wrong(
            path, f"{dotted(path)} is longer than {_MOST_PATTERN} letters", "write a shorter expression"
        )
    elif not _is_expression(text):
        try:
            re.compile(text)
        except (re.error, RecursionError, OverflowError) as error:
            what = f"{dotted(path)} is no regular expression: {error}"
            yield Wrong(path, what, "see the syntax of Python's re")


def _is_expression(text: str) -> bool:
    try:
        re.compile(text)
    except (re.error, RecursionError, OverflowError):
        return False
    return True


def _groups(text: str) -> tuple[str, ...]:
    return tuple(re.compile(text).groupindex) if _is_expression(text) else ("version",)
