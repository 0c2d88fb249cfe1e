"""Every kind of change, by the name that the journal knows it by."""

from __future__ import annotations

from zesty_anchor.changes.change import AnyKind
from zesty_anchor.changes.conflicts.drop_alternative import Alternatives
from zesty_anchor.changes.conflicts.purge_packages import PackageRemovals
from zesty_anchor.changes.conflicts.retire_folder import RetireFolders
from zesty_anchor.changes.conflicts.retire_lines import RetireStatements
from zesty_anchor.changes.person.choice import Choices
from zesty_anchor.changes.person.git_identity import Identities
from zesty_anchor.changes.person.setting import Settings
from zesty_anchor.changes.person.ssh_key import Keys
from zesty_anchor.changes.runtimes.choose_default import ManagerDefaults
from zesty_anchor.changes.runtimes.extra import Extras
from zesty_anchor.changes.runtimes.install import Installs
from zesty_anchor.changes.runtimes.install_through import ManagedVersions
from zesty_anchor.changes.runtimes.remove_version import RemovedVersions
from zesty_anchor.changes.runtimes.retire_manager import RetiredManagers
from zesty_anchor.changes.runtimes.run_installer import InstallerScripts
from zesty_anchor.changes.shells.generated_file import GeneratedFiles
from zesty_anchor.changes.shells.launcher_set import Launchers
from zesty_anchor.changes.shells.startup_block import Blocks
from zesty_anchor.changes.system.packages import Packages
from zesty_anchor.changes.system.system_variables import SystemVariables

KINDS: dict[str, AnyKind] = {
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
        Choices(),
    )
}
