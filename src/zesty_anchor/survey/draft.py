"""A starter manifest from what the survey found."""

from __future__ import annotations

import re

import tomlkit

from zesty_anchor.manifest.want import Want
from zesty_anchor.survey.findings import Findings, RuntimeFound

_HEAD = """\
# A draft, written from what is here. Read it, keep what you want, then look with: zesty-anchor preview
# zesty-anchor docs keys lists every key.
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
        own = [each for each in versions if each.path.startswith("~/")]
        if versions and not own:
            runtimes.add(name, _runtime(versions))
        for each in own:
            # The system's own would have to answer, and it does not.
            line = f'[runtimes.{name}] want = "{_line(each.version)}"'
            document.add(
                tomlkit.comment(f"{name} {each.version} in {each.path} stays; to have it from a feed: {line}")
            )
    if len(runtimes):
        document.add("runtimes", runtimes)
    variables = tomlkit.table()
    for variable in found.variables:
        if variable.computed:
            variables.add(
                tomlkit.comment(
                    f"{variable.name} is worked out at each start by {variable.file}:{variable.line}, and"
                    " stays there"
                )
            )
        elif variable.diverts:
            text = f"{variable.name} = {variable.value}, by {variable.file}:{variable.line}, is left out"
            variables.add(tomlkit.comment(f"{text}: {variable.diverts}".replace("\n", " ")))
        elif variable.leads_nowhere:
            variables.add(
                tomlkit.comment(
                    f"{variable.name} = {variable.value}, by {variable.file}:{variable.line}: no such folder"
                )
            )
        elif "\0" not in variable.value:
            variables.add(variable.name, variable.value)
            variables[variable.name].comment(f"as {variable.file}:{variable.line} sets it")
            for other in variable.others:
                variables.add(
                    tomlkit.comment(
                        f"{variable.name} is {other}; this manifest gives every shell one value".replace(
                            "\n", " "
                        )
                    )
                )
    if found.variables:
        document.add("variables", variables)
    path = tomlkit.table()
    for key, behind in (("first", False), ("last", True)):
        folders = tomlkit.array()
        for entry in found.path:
            usable = not entry.remark and ":" not in entry.folder and entry.folder.startswith(("/", "~/"))
            if usable and entry.behind is behind:
                folders.add_line(entry.folder, comment=f"put there by {entry.file}:{entry.line}")
        if len(folders):
            folders.add_line(indent="")
            path.add(key, folders)
    if len(path):
        document.add("path", path)
    return tomlkit.dumps(document)


def _runtime(found: list[RuntimeFound]) -> tomlkit.items.Table:
    """What is active now stays: so the first provisioning changes nothing of it, and brings nothing beside
    it.
    """
    table = tomlkit.table()
    table.add("want", "system")
    lines = ", ".join(dict.fromkeys(f'"{_line(runtime.version)}"' for runtime in found))
    table["want"].comment(f'what is here stays; to have it from a feed: {lines}, "latest" or "lts"')
    for runtime in found:
        table.add(tomlkit.comment(f"{runtime.version} is active now: {runtime.path}, of {runtime.owner}"))
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
