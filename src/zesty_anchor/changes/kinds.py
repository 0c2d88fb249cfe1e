"""Every kind of change there is. A kind's own file is read when it is first needed, which most of them seldom
are.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from zesty_anchor.changes.change import AnyKind
from zesty_anchor.manifest.wanted import Wanted
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.registry import Registry

_When = Callable[[Wanted, Machine], bool]
"""Whether a kind could have something to do: told by what is wanted, and by what is known of the machine
anyway.
"""


def _always(wanted: Wanted, machine: Machine) -> bool:
    return True


def _never(wanted: Wanted, machine: Machine) -> bool:
    """A person asks for it."""
    return False


def _has_manager(wanted: Wanted, machine: Machine) -> bool:
    return bool(wanted.managers) or any(receipt.home is not None for receipt in machine.shelf.values())


def _goes(wanted: Wanted, machine: Machine) -> bool:
    return bool(wanted.removals or wanted.stale_variables)


# The order is that in which changes of one stage are told and, where none needs another, carried out.
_TABLE: dict[str, tuple[str, _When]] = {
    "package-source": ("system.sources:Sources", lambda wanted, machine: bool(wanted.sources)),
    "package": ("system.packages:Packages", lambda wanted, machine: bool(wanted.packages)),
    "system-variables": (
        "system.system_variables:SystemVariables",
        lambda wanted, machine: bool(wanted.system_variables),
    ),
    "version": (
        "runtimes.install:Installs",
        lambda wanted, machine: any(v.artefact or v.damage for v in wanted.versions),
    ),
    "installer-script": (
        "runtimes.run_installer:InstallerScripts",
        lambda wanted, machine: bool(wanted.managers),
    ),
    "managed-version": (
        "runtimes.install_through:ManagedVersions",
        lambda wanted, machine: bool(wanted.managers),
    ),
    "manager-default": (
        "runtimes.choose_default:ManagerDefaults",
        lambda wanted, machine: bool(wanted.managers),
    ),
    "extra": ("runtimes.extra:Extras", lambda wanted, machine: any(v.extras for v in wanted.versions)),
    "trust-store": (
        "runtimes.trust_store:TrustStores",
        lambda wanted, machine: bool(wanted.authorities),
    ),
    "generated-file": ("shells.generated_file:GeneratedFiles", _always),
    "launchers": ("shells.launcher_set:Launchers", _always),
    "startup-file": ("shells.startup_block:Blocks", _always),
    "setting": ("person.setting:Settings", lambda wanted, machine: bool(wanted.settings)),
    "crontab": (
        "person.crontab:Crontabs",
        lambda wanted, machine: wanted.elsewhere.cron is not None,
    ),
    "identity": ("person.git_identity:Identities", lambda wanted, machine: wanted.identity is not None),
    "ssh-key": ("person.ssh_key:Keys", lambda wanted, machine: wanted.identity is not None),
    "conflict-lines": ("conflicts.retire_lines:RetireStatements", _goes),
    "conflict": ("conflicts.retire_folder:RetireFolders", lambda wanted, machine: bool(wanted.removals)),
    "alternative-choice": (
        "system.lead_alternative:LedAlternatives",
        lambda wanted, machine: bool(wanted.led),
    ),
    "system-launcher": (
        "system.system_launcher:SystemLaunchers",
        lambda wanted, machine: wanted.elsewhere.sudo is not None,
    ),
    "package-removal": (
        "conflicts.purge_packages:PackageRemovals",
        lambda wanted, machine: bool(wanted.purges),
    ),
    "alternative": (
        "conflicts.drop_alternative:Alternatives",
        lambda wanted, machine: bool(wanted.alternatives),
    ),
    "retired-manager": ("runtimes.retire_manager:RetiredManagers", _has_manager),
    "removed-version": ("runtimes.remove_version:RemovedVersions", _never),
    "choice": ("person.choice:Choices", _never),
    "repair": ("person.repair:Repairs", _never),
}
"""By its name: the file and the class of a kind, and when it could have something to do. That condition is
here so that the kind's module is imported only when it is needed. Another package adds one as an entry point
of the group ``zesty_anchor.changes`` (docs/extending.md).
"""


CLASSES: Registry[Callable[[], AnyKind]] = Registry(
    "kind of change",
    {name: f"zesty_anchor.changes.{place}" for name, (place, _) in _TABLE.items()},
    "zesty_anchor.changes",
)


class _Kinds(Mapping[str, AnyKind]):
    def __init__(self) -> None:
        self._known: dict[str, AnyKind] = {}

    def __getitem__(self, name: str) -> AnyKind:
        if name not in self._known:
            self._known[name] = CLASSES[name]()
        return self._known[name]

    def __contains__(self, name: object) -> bool:
        return name in CLASSES

    def __iter__(self) -> Iterator[str]:
        return iter(CLASSES.names())

    def __len__(self) -> int:
        return len(CLASSES.names())

    def concerned(self, wanted: Wanted, machine: Machine) -> list[AnyKind]:
        """The kinds that could have something to do, in their order."""
        shipped = [self[name] for name, (_, when) in _TABLE.items() if when(wanted, machine)]
        added = (self[name] for name in self if name not in _TABLE)
        return [*shipped, *(kind for kind in added if kind.concerns(wanted, machine))]


KINDS = _Kinds()
