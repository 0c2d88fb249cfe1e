"""What the manifest's tables and the recipes' have in common."""

from typing import Annotated, Any

import msgspec

from zesty_anchor.manifest.feed_kinds import FEED_KINDS
from zesty_anchor.manifest.shell_names import SHELL_CLASSES
from zesty_anchor.system.registry import Registry


def registered(registry: Registry[Any]) -> msgspec.Meta:
    """Marks a text of the model as a name of a registry: reading and the JSON Schema ask that for what is
    allowed. Pure.
    """
    return msgspec.Meta(extra={"registry": registry}, extra_json_schema={REGISTRY: registry.noun})


REGISTRY = "registry"
"""The key that marks such a text in a schema until ``json_schema`` replaces it by the names."""

Name = Annotated[
    str,
    msgspec.Meta(
        pattern=r"\A[A-Za-z][A-Za-z0-9._-]*\Z",
        description="a name: a letter, then letters, digits, dots, _ and -",
    ),
]

VariableName = Annotated[
    str,
    msgspec.Meta(
        pattern=r"\A[A-Za-z_][A-Za-z0-9_]*\Z",
        description="a variable's name: a letter or _, then letters, digits and _",
    ),
]

FileName = Annotated[
    str,
    msgspec.Meta(pattern=r"\A[A-Za-z0-9._-]+\Z", description="a file's name: letters, digits, dots, _ and -"),
]

CommandName = Annotated[
    str,
    msgspec.Meta(
        pattern=r"\A[A-Za-z0-9_][A-Za-z0-9._+-]*\Z",
        description="a command's name: letters, digits, dots, _, + and -",
    ),
]

PackageQuestion = Annotated[
    str,
    msgspec.Meta(
        pattern=r"\A[A-Za-z0-9][A-Za-z0-9.+_-]*(/[A-Za-z0-9.+_-]+)+\Z",
        description='a question of a package: its name, a slash, and a name ("harbour-charts/licence")',
    ),
]

AnswerText = Annotated[str, msgspec.Meta(pattern=r"\A[^\x00-\x1f\x7f]*\Z", description="a text of one line")]

ShellName = Annotated[str, registered(SHELL_CLASSES)]

FeedName = Annotated[str, registered(FEED_KINDS)]

Names = tuple[str, ...] | dict[str, tuple[str, ...]]
"""Names of packages: the same everywhere, or by family of systems (``debian``)."""


class Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename="kebab"):
    """A table of the manifest: unknown keys are refused."""


def names_for(names: Names, family: str) -> tuple[str, ...]:
    """The names that count for a family of systems."""
    return names if isinstance(names, tuple) else names.get(family, ())
