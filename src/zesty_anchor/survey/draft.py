"""A starter manifest from what the survey found."""

from __future__ import annotations

import re

import tomlkit

from zesty_anchor.manifest.want import Want
from zesty_anchor.survey.findings import Findings, RuntimeFound

_HEAD = """\
# A draft, written from what is here. Read it, keep what you want, then look with: zesty-anchor preview
# docs/manifest.md lists every key.
"""


def draft(found: Findings) -> str:
    """The text: runtimes that answer, variables and folders that startup files set, the shells. Pure."""
    document = tomlkit.parse(_HEAD)
    document.add("title", tomlkit.item("My workstation"))
    shells = tomlkit.table()
    shells.add("use", [shell.name for shell in found.shells if shell.login] or "all")
    shells["use"].comment('"all" sets up every shell that is installed')
    document.add("shells", shells)
    runtimes = tomlkit.table(is_super_table=True)
    for name in dict.fromkeys(runtime.name for runtime in found.runtimes):
        versions = [runtime for runtime in found.runtimes if runtime.name == name and _exact(runtime)]
        if versions:
            runtimes.add(name, _runtime(versions))
    if len(runtimes):
        document.add("runtimes", runtimes)
    variables = tomlkit.table()
    for variable in found.variables:
        if "\0" not in variable.value:
            variables.add(variable.name, variable.value)
            variables[variable.name].comment(f"as {variable.file}:{variable.line} sets it")
    if len(variables):
        document.add("variables", variables)
    folders = tomlkit.array()
    for entry in found.path:
        if not entry.value and ":" not in entry.name and entry.name.startswith(("/", "~/")):
            folders.add_line(entry.name, comment=f"put there by {entry.file}:{entry.line}")
    if len(folders):
        folders.add_line(indent="")
        document.add("path", tomlkit.table().add("first", folders))
    return tomlkit.dumps(document)


def _runtime(found: list[RuntimeFound]) -> tomlkit.items.Table:
    """What answers now stays the default, and its lines come beside it: so that the first preview is small."""
    table = tomlkit.table()
    table.add("want", "system")
    table["want"].comment('what is here stays the default; or "latest", "lts", or one of the lines below')
    also = tomlkit.array()
    for line in dict.fromkeys(_line(runtime.version) for runtime in found):
        first = next(runtime for runtime in found if _line(runtime.version) == line)
        also.add_line(line, comment=f"{first.version} answers now: {first.path}, of {first.owner}")
    also.add_line(indent="")
    table.add("also", also)
    return table


def _line(version: str) -> str:
    """The line that a version is of: its first number, or its first two where that is 0 or 1."""
    numbers = version.split(".")
    return ".".join(numbers[: 2 if numbers[0] in ("0", "1") else 1])


def _exact(runtime: RuntimeFound) -> bool:
    """Whether a runtime told a version that a manifest can want."""
    if not re.fullmatch(r"\d+(\.\d+)+[0-9A-Za-z.+-]*", runtime.version) or "zesty-anchor" in runtime.owner:
        return False
    try:
        return Want(runtime.version).kind == "line"
    except ValueError:
        return False
