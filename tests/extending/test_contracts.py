"""The contracts, held against every member that ships."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from zesty_anchor.changes.change import AnyKind, Change
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.person.setting import SetKeys
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.feed import Around, Feed, Supply
from zesty_anchor.feeds.known import feed_class
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.system.apt import Apt
from zesty_anchor.system.package_manager import PackageManager
from zesty_anchor.testing import FeedContract, KindContract, PackageManagerContract, ShellContract

for _name, _shell in SHELLS.items():
    globals()[f"Test{_name.title()}"] = pytest.mark.needs(_name if _name != "sh" else "dash")(
        type(f"Test{_name.title()}", (ShellContract,), {"shell": _shell})
    )


class TestFolder(FeedContract):
    versions = frozenset({"3.6.2", "4.2.1"})

    def opened(self, folder: Path) -> Feed:
        for version in self.versions:
            (folder / f"kelp-{version}.tar.gz").write_bytes(version.encode())
        supply = Supply("quay", "folder", str(folder), "kelp")
        return feed_class("folder")(supply, Around({}, folder, Web()))


class TestLinked(FeedContract):
    versions = frozenset({"4.2.1"})

    def opened(self, folder: Path) -> Feed:
        return feed_class("linked")(
            Supply("system", "linked", str(folder), "kelp", file="4.2.1"), Around({}, folder, Web())
        )


@pytest.mark.sees_system
@pytest.mark.skipif(shutil.which("dpkg-query") is None, reason="this system has no apt")
class TestApt(PackageManagerContract):
    package, file = "coreutils", "/bin/ls"

    def manager(self) -> PackageManager:
        return Apt({})


class TestSettings(KindContract):
    def kind(self) -> AnyKind:
        return KINDS["setting"]

    def planned(self, home: Path) -> Change:
        path = home / "tide.json"
        path.write_bytes(b'{"mark": 1}\n')
        return SetKeys(Edit(read_text_file(path), b'{"mark": 2}\n'), "~/tide.json")
