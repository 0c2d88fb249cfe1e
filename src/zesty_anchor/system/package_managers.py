"""The package managers by name, and the one that this machine has.

Another package adds one as an entry point of the group ``zesty_anchor.package_managers`` (docs/extending.md).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zesty_anchor.system.package_manager import PackageManager
from zesty_anchor.system.registry import Registry

PACKAGE_MANAGERS: Registry[type[PackageManager]] = Registry(
    "package manager",
    {
        "apt": "zesty_anchor.system.apt:Apt",
        "dnf": "zesty_anchor.system.rpm_managers:Dnf",
        "zypper": "zesty_anchor.system.rpm_managers:Zypper",
        "pacman": "zesty_anchor.system.pacman:Pacman",
    },
    "zesty_anchor.package_managers",
)


def package_manager(families: Sequence[str], environ: Mapping[str, str]) -> PackageManager | None:
    """The package manager of this machine, by the families that os-release(5) names, the nearest one first;
    None where we know none.

    ``environ`` is the environment that it is started in.
    """
    kinds = [kind for _, kind in PACKAGE_MANAGERS.items()]
    return next((kind(environ) for family in families for kind in kinds if kind.family == family), None)


def package_programs() -> tuple[str, ...]:
    """The commands of all package managers, each once."""
    return tuple(dict.fromkeys(program for _, kind in PACKAGE_MANAGERS.items() for program in kind.programs))
