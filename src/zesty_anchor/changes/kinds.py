"""Every kind of change, by the name that the journal knows it by."""

from __future__ import annotations

from zesty_anchor.changes.block import Blocks
from zesty_anchor.changes.change import Kind
from zesty_anchor.changes.choose_default import ManagerDefaults
from zesty_anchor.changes.drop_alternative import Alternatives
from zesty_anchor.changes.extra import Extras
from zesty_anchor.changes.generated import GeneratedFiles
from zesty_anchor.changes.identity import Identities, Keys
from zesty_anchor.changes.install import Installs
from zesty_anchor.changes.install_through import ManagedVersions
from zesty_anchor.changes.launchers import Launchers
from zesty_anchor.changes.packages import Packages
from zesty_anchor.changes.purge_packages import PackageRemovals
from zesty_anchor.changes.remove_version import RemovedVersions
from zesty_anchor.changes.retire_folder import RetireFolders
from zesty_anchor.changes.retire_lines import RetireStatements
from zesty_anchor.changes.retire_manager import RetiredManagers
from zesty_anchor.changes.run_installer import InstallerScripts
from zesty_anchor.changes.setting import Settings
from zesty_anchor.changes.system_variables import SystemVariables

KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Packages(),
        SystemVariables(),
        Installs(),
        InstallerScripts(),
        ManagedVersions(),
        ManagerDefaults(),
        Extras(),
        Launchers(),
        GeneratedFiles(),
        Blocks(),
        Settings(),
        Identities(),
        Keys(),
        RetireStatements(),
        RetireFolders(),
        PackageRemovals(),
        Alternatives(),
        RetiredManagers(),
        RemovedVersions(),
    )
}
