"""Which package manager this machine has."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zesty_anchor.system.apt import Apt
from zesty_anchor.system.package_manager import PackageManager
from zesty_anchor.system.pacman import Pacman
from zesty_anchor.system.rpm_managers import Dnf, Zypper


def package_manager(families: Sequence[str], environ: Mapping[str, str]) -> PackageManager | None:
    """The package manager of this machine, by the families that os-release(5) names; None where we know none.

    ``environ`` is the environment that it is started in.
    """
    managers: list[PackageManager] = [Apt(environ), Dnf(environ), Zypper(environ), Pacman(environ)]
    return next((m for family in families for m in managers if m.family == family), None)
