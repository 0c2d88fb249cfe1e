"""Writing the lock: each want of a manifest resolved for each platform that is asked for."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import msgspec

from zesty_anchor.feeds.release import Release
from zesty_anchor.manifest.lock import Locked, LockedFile, LockedPart
from zesty_anchor.manifest.model import SYSTEM
from zesty_anchor.manifest.recipe import Coupled
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.planning.resolve import Asked, Found, Resolver, to_build
from zesty_anchor.planning.standing import standing
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.credentials import bears_credentials, without_credentials
from zesty_anchor.system.host import Host
from zesty_anchor.system.problem import UsageProblem


def not_locked(workstation: Workstation, platform: str) -> list[tuple[str, str]]:
    """What the manifest asks for that the lock does not hold for a platform: each in a few words, and the
    file and line that asks. Pure.
    """
    found = []
    for name, tool in workstation.manifest.tools.items():
        for want, step in workstation.manifest.wants(name).items():
            entry = workstation.lock.get((name, want))
            if want == SYSTEM:
                continue
            where = workstation.place(*step)
            if entry is None:
                found.append((f"{name} {want!r}", where))
            elif platform not in entry.files:
                found.append((f"{name} {want!r} for {platform}", where))
            else:
                lacking = [extra for extra in tool.extras if extra not in entry.extras]
                found += [(f"{extra} for {name} {want!r}", where) for extra in lacking]
    return found


class Locker:
    """Locks the wants of one workstation's manifest, through its resolver."""

    def __init__(self, workstation: Workstation, resolver: Resolver) -> None:
        self._workstation = workstation
        self._resolver = resolver

    def anew(
        self, machine: Machine, platforms: Sequence[str], upgrade: Collection[str] | None
    ) -> list[Locked]:
        """The lock as it should be: entries that are there stay, but for those of the runtimes in ``upgrade``
        (None: none of them); what the manifest no longer wants is left out. A want that is not locked yet is
        locked to the version that is installed for it, else to the newest that fits.
        """
        entries = []
        here = machine.host.platform
        for name, runtime in self._workstation.manifest.tools.items():
            for want in dict.fromkeys(w for w in (runtime.want, *runtime.also) if w != "system"):
                old = None if upgrade and name in upgrade else self._workstation.lock.get((name, want))
                files, found = dict(old.files if old else {}), old
                installed = "" if upgrade and name in upgrade else self._installed(name, want, machine)
                for platform in dict.fromkeys(platforms or (here,)):
                    if platform in files:
                        continue
                    there = machine.on(_on_platform(machine.host, platform))
                    release = self._exact(name, want, found.version if found else installed, there)
                    files[platform] = _locked_file(release)
                    found = Locked(
                        name,
                        want,
                        release.version,
                        release.feed,
                        {},
                        release.channels,
                        release.licence,
                    )
                assert found is not None
                extras = self._resolver.extra_versions(name, want, found.version)
                entries.append(msgspec.structs.replace(found, files=files, extras=extras))
                entries += self._earlier(entries[-1], machine)
        return entries

    def _installed(self, name: str, want: str, machine: Machine) -> str:
        """The version that is installed for a want; empty where none is."""
        folder = standing(self._workstation, name, want, machine, self._workstation.past.resolutions)
        receipt = machine.shelf.get((name, folder)) if folder is not None else None
        return receipt.version if receipt is not None and not receipt.through else ""

    def _earlier(self, entry: Locked, machine: Machine) -> list[Locked]:
        """The entries of the versions that building a locked one takes, each under a want of its own."""
        build = self._workstation.recipes[entry.runtime].build
        needing = build.earlier.from_ if build and build.earlier else "latest"
        if build is None or build.earlier is None or not any(file.source for file in entry.files.values()):
            return []
        if not Want(needing).admits(Version(entry.version), entry.channels):
            return []
        files: dict[str, LockedFile] = {}
        version = ""
        for platform in entry.files:
            there = machine.on(_on_platform(machine.host, platform))
            newer = Release(
                version=entry.version, url="", digest="", channels=entry.channels, feed=entry.feed
            )
            older = self._resolver.older(entry.runtime, newer, build.earlier, there)
            version, files[platform] = older.version, _locked_file(older)
        earlier = Locked(entry.runtime, to_build(entry.version), version, entry.feed, files)
        same = build.earlier.runtime in (None, entry.runtime)
        return [earlier, *(self._earlier(earlier, machine) if same else [])]

    def _exact(self, name: str, want: str, version: str, machine: Machine) -> Release:
        """The release for a want on a platform; of the version that is locked, or was found for another one,
        if any.
        """
        below = self._below(self._workstation.recipes[name].on, machine)
        return self._resolver.release(Asked(name, version or want, True), machine, below)

    def _below(self, coupled: Coupled | None, machine: Machine) -> Found:
        """The versions that the manifest wants of the runtime below a coupled one."""
        if coupled is None or coupled.runtime not in self._workstation.manifest.tools:
            return {}
        runtime = self._workstation.manifest.tools[coupled.runtime]
        base = [
            self._resolver.release(Asked(coupled.runtime, w, True), machine, {})
            for w in (runtime.want, *runtime.also)
            if w != SYSTEM
        ]
        return {coupled.runtime: {release.version: release for release in base}}


def _locked_file(release: Release) -> LockedFile:
    signature = "" if release.sums else release.signature
    for address in (release.url, signature, *(part.url for part in release.parts)):
        if bears_credentials(address):
            raise UsageProblem(
                f"the address of {release.version} bears a name or a password, and a lock is handed on",
                where=without_credentials(address),
                advice=(
                    "keep them in your netrc file, or in npm's or pip's own configuration, and write the"
                    " address without"
                ),
            )
    parts = tuple(LockedPart(p.name, p.version, p.url, p.digest, p.size) for p in release.parts)
    return LockedFile(release.url, release.digest, release.size, signature, release.source, parts)


def _on_platform(here: Host, platform: str) -> Host:
    system, _, machine = platform.partition("-")
    return msgspec.structs.replace(here, system=system, machine=machine)
