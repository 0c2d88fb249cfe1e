"""Writes docs/json.md, docs/keys.md, docs/commands.md and the manual pages, from the types and the commands
themselves.

python docs/generate.py [FOLDER]
"""

from __future__ import annotations

import re
import sys
import types
import typing
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click
import msgspec
from click_man.core import generate_man_page

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.mutants.lines import MUTANTS

from zesty_anchor import __version__
from zesty_anchor.commands import main
from zesty_anchor.commands.examples import EXAMPLES
from zesty_anchor.manifest.keys import Key, every_key
from zesty_anchor.manifest.model import Manifest
from zesty_anchor.planning.agreement import FREE
from zesty_anchor.show.shapes import DOCUMENTS
from zesty_anchor.system.exit_status import EXIT_STATUS
from zesty_anchor.system.own_commands import COMMANDS

HERE = Path(__file__).parent
SECURITY = HERE.parent / "SECURITY.md"
_SAID = "<!-- made by docs/generate.py: do not edit -->\n"


def json_page() -> str:
    """Every document that ``--json`` prints: its fields with their types, and what its type says of
    itself.
    """
    parts = [
        "# What `--json` prints\n",
        _SAID,
        (
            "Each command prints one document. Its JSON Schema: `zesty-anchor schema verify`, `zesty-anchor"
            " schema list --newer`. Times are seconds since 1970 unless a name says otherwise, sizes bytes."
            " New fields may come; those that are there stay.\n"
        ),
        "## Documents\n",
        "| command | document |\n|---|---|",
        *(f"| `{use}` | [{kind.__name__}](#{kind.__name__.lower()}) |" for use, kind in DOCUMENTS.items()),
        "",
    ]
    for kind in dict.fromkeys(_all(DOCUMENTS.values())):
        text = " ".join((kind.__doc__ or "").replace("``", "`").split())
        parts += [f"## {kind.__name__}\n", f"{text}\n", "| field | type |\n|---|---|"]
        hints = typing.get_type_hints(kind)
        parts += [
            f"| `{field.encode_name}` | {_named(hints[field.name])} |"
            for field in msgspec.structs.fields(kind)
        ]
        parts.append("")
    return "\n".join(parts)


def _all(kinds: Any) -> Iterator[type]:
    """The struct types of documents, each before those that it holds."""
    for kind in kinds:
        if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
            yield kind
            yield from _all(typing.get_type_hints(kind).values())
        else:
            yield from _all(typing.get_args(kind))


def _named(kind: Any) -> str:
    """A type in words."""
    origin, held = typing.get_origin(kind), [arg for arg in typing.get_args(kind) if arg is not Ellipsis]
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        return f"[{kind.__name__}](#{kind.__name__.lower()})"
    if kind is type(None):
        return "null"
    if origin is typing.Literal:
        return " or ".join(f"`{each}`" for each in held)
    if origin in (types.UnionType, typing.Union):
        return " or ".join(map(_named, held))
    if origin is dict or getattr(origin, "__name__", "") == "Mapping":
        return f"object of {_named(held[1])} by name"
    if origin is tuple and Ellipsis not in typing.get_args(kind):
        return f"array of {', '.join(map(_named, held))}"
    if origin is not None:
        return f"array of {_named(held[0])}"
    return {str: "text", int: "number", float: "number", bool: "true or false"}.get(kind, "any")


def commands_page() -> str:
    """Every command with its help, as the program itself prints it."""
    parts = ["# The commands\n", _SAID]
    context = click.Context(main, info_name="zesty-anchor", max_content_width=100, terminal_width=100)
    for name in COMMANDS:
        command = main.get_command(context, name)
        assert command is not None
        told = click.Context(
            command, info_name=name, parent=context, max_content_width=100, terminal_width=100
        )
        parts += [f"## {name}\n", "```text", command.get_help(told).rstrip(), "```\n"]
    return "\n".join(parts)


def keys_page() -> str:
    """Every key of the manifest, a section for each table, from the models."""
    parts = [
        "# Keys of the manifest\n",
        _SAID,
        (
            "Every key with its type, default, meaning and an example. `zesty-anchor explain"
            " runtimes.NAME.want` prints one of them, with the line of your manifest that sets it. [The"
            " manifest](manifest.md) shows them together.\n"
        ),
    ]
    tables: dict[str, list[Key]] = {}
    for key in every_key():
        tables.setdefault(".".join(key.path[:-1]), []).append(key)
    written: dict[type, str] = {}
    for table, rows in tables.items():
        kind = rows[0].table
        if kind in written:
            parts.append(f"## {table}\n\nThe same keys as [{written[kind]}](#{_anchor(written[kind])}).\n")
            continue
        written[kind] = table
        parts.append(
            f"## {table or 'The whole file'}\n\n| key | type | meaning | default | example"
            " |\n|---|---|---|---|---|"
        )
        for key in rows:
            shown = [_cell(f"`{text}`") if text else "" for text in (key.default, key.example)]
            needed = "required" if key.required else shown[0]
            parts.append(
                f"| `{key.path[-1]}` | {_cell(key.type)} | {_cell(key.meaning)} | {needed} | {shown[1]} |"
            )
        parts.append("")
    return "\n".join(parts)


def _cell(text: str) -> str:
    """A text as a cell of a table."""
    return text.replace("|", "\\|")


def _anchor(heading: str) -> str:
    """The anchor of a heading."""
    return heading.lower().replace(".", "")


def agreement_table() -> str:
    """What agreement covers: a row for each table of the manifest, from the model."""
    rows = ["| table | keys that you agree to | free |", "|---|---|---|"]
    for each in msgspec.structs.fields(Manifest):
        kind = typing.get_type_hints(Manifest, include_extras=True)[each.name]
        structs = [
            k for k in (kind, *typing.get_args(kind)) if isinstance(k, type) and issubclass(k, msgspec.Struct)
        ]
        keys = [f.encode_name for k in structs for f in msgspec.structs.fields(k)] or [each.encode_name]
        own = [pattern for pattern in FREE if pattern.split(".")[0] == each.encode_name]
        free = [pattern.split(".")[-1] for pattern in own]
        asked = ", ".join(f"`{key}`" for key in keys if key not in free) or "none"
        rows.append(f"| `{each.encode_name}` | {asked} | {', '.join(f'`{key}`' for key in free)} |")
    rows += [
        "| `workstation.lock` beside it | all of it | |",
        "| files that it names (`key`) | each by its digest | |",
    ]
    return "\n".join(rows)


def mutants_table() -> str:
    """The lines that scripts/mutants breaks: a row for each statement, with how many lines of which file."""
    rows = ["| what holds | lines that are broken, one at a time |", "|---|---|"]
    for holds in dict.fromkeys(each.holds for each in MUTANTS):
        files = Counter(each.file for each in MUTANTS if each.holds == holds)
        rows.append(f"| {holds} | {', '.join(f'`{file}` {number}' for file, number in files.items())} |")
    return "\n".join(rows)


def security_page(text: str) -> str:
    """SECURITY.md with its two tables."""
    text = _between(text, "agreement", agreement_table())
    return _between(text, "mutants", mutants_table())


def _between(text: str, name: str, table: str) -> str:
    begin, end = f"<!-- {name}: made by docs/generate.py -->\n", f"<!-- end of {name} -->"
    before, _, rest = text.partition(begin)
    return f"{before}{begin}{table}\n{end}{rest.partition(end)[2]}"


def man_pages(folder: Path) -> None:
    """A manual page for the program, and one for each command (man-pages(7))."""
    folder.mkdir(parents=True, exist_ok=True)
    whole = click.Context(main, info_name="zesty-anchor")
    pages = {"zesty-anchor": whole}
    for name in COMMANDS:
        command = main.get_command(whole, name)
        assert command is not None
        pages[f"zesty-anchor-{name}"] = click.Context(command, info_name=name, parent=whole)
    for name, context in pages.items():
        text = generate_man_page(context, version=__version__, date="")
        text = re.sub(
            r'^(\.TH "[^"]*" "1") "[^"]*"', r'\1 ""', text
        )  # the day on which it was made tells nothing
        if name.removeprefix("zesty-anchor-") in COMMANDS:
            summary = COMMANDS[name.removeprefix("zesty-anchor-")].summary.replace("-", "\\-")
            rows = text.splitlines()
            rows[2] = f"{rows[2].partition(' ')[0]} \\- {summary}"
            text = "\n".join(rows)
        if name == "zesty-anchor":
            text = f"{text.rstrip()}\n.SH COMMANDS\n"
            for group in dict.fromkeys(own.group for own in COMMANDS.values()):
                mine = {
                    f"zesty-anchor {each}": own.summary
                    for each, own in COMMANDS.items()
                    if own.group == group
                }
                text += f".SS {group}\n{''.join(_entry(*each) for each in mine.items())}"
            codes = {str(code): said.replace("`", "") for code, said in EXIT_STATUS.items()}
            text += f".SH EXIT STATUS\n{''.join(_entry(*each) for each in codes.items())}"
            text += f".SH FILES\n{''.join(_entry(*each) for each in FILES)}"
            text += f".SH ENVIRONMENT\n{''.join(_entry(*each) for each in ENVIRONMENT)}"
        else:
            shown = EXAMPLES[name.removeprefix("zesty-anchor-")]
            text = f"{text.rstrip()}\n.SH EXAMPLES\n{''.join(_entry(*each) for each in shown)}"
            text += (
                ".SH SEE ALSO\n.BR zesty\\-anchor (1),\nwhose page has the exit statuses, files and"
                " environment variables.\n"
            )
        (folder / f"{name}.1").write_text(text.rstrip() + "\n")


FILES = (
    ("workstation.toml", "The manifest."),
    ("workstation.lock", "Exact versions, beside the manifest."),
    ("~/.config/zesty-anchor/", "Your own manifest and recipes."),
    ("~/.local/share/zesty-anchor/", "Installed versions, launchers, and the files that shells load."),
    ("~/.local/state/zesty-anchor/", "The journal and the attic."),
    ("~/.cache/zesty-anchor/", "Downloads, builds and the answers of feeds."),
)
ENVIRONMENT = (
    ("HOME, XDG_CONFIG_HOME, XDG_DATA_HOME, XDG_STATE_HOME, XDG_CACHE_HOME", "Where these folders are."),
    ("NO_COLOR", "If it is set, the output has no colours."),
    ("ZESTY_ANCHOR_SESSION", "The versions that this session has chosen. Set by the command switch."),
)


def _entry(what: str, does: str) -> str:
    """A paragraph of a manual page with its tag."""
    tag, text = (
        each.replace("\\", "\\\\").replace("-", "\\-").replace("'", "\\(aq") for each in (what, does)
    )
    return f".TP\n\\fB{tag}\\fP\n{text}\n"


def write(folder: Path) -> None:
    """All of it."""
    (folder / "json.md").write_text(json_page())
    (folder / "keys.md").write_text(keys_page())
    (folder / "commands.md").write_text(commands_page())
    man_pages(folder / "man")


if __name__ == "__main__":
    write(Path(sys.argv[1]) if len(sys.argv) > 1 else HERE)
    if len(sys.argv) == 1:
        SECURITY.write_text(security_page(SECURITY.read_text()))
