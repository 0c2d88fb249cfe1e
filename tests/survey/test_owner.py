"""Whose a file is, by the system's package manager."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

from zesty_anchor.planning.look import look_at
from zesty_anchor.planning.workstation import open_workstation
from zesty_anchor.survey.owner import Owners
from zesty_anchor.system.apt import Apt

on_debian = pytest.mark.skipif(shutil.which("dpkg-query") is None, reason="Debian's package manager is asked")


@on_debian
def test_a_diversion_is_no_package_and_a_path_is_no_pattern(tmp_path: Path) -> None:
    found = Apt({}).owners_of(
        ["/bin/sh", "/usr/bin/[", "/bin/ls", "/usr/bin/l?", "/usrlocal/bin/ls", str(tmp_path)]
    )
    assert found == {
        "/bin/sh": "dash", "/usr/bin/[": "coreutils", "/bin/ls": "coreutils", "/usr/bin/l?": "",
        "/usrlocal/bin/ls": "",
        str(tmp_path): "",
    }  # fmt: skip
    assert Apt({}).owners_of([]) == {}


@on_debian
def test_many_are_asked_about_at_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[list[str]] = []
    run = subprocess.run

    def counted(words, **more):  # type: ignore[no-untyped-def]
        asked.append(words)
        return run(words, **more)

    monkeypatch.setattr(subprocess, "run", counted)
    environ = {"HOME": str(tmp_path), "PATH": "/usr/bin:/bin"}
    owners = Owners(look_at(open_workstation(environ, tmp_path, ("zesty-anchor",))))
    owners.ask(["/usr/bin/env", "/bin/ls", f"{tmp_path}/quay/kelp", "/usr/bin/env"])
    assert owners.of("/usr/bin/env") == owners.of("/bin/ls") == "Debian package coreutils"
    assert (
        owners.of(f"{tmp_path}/quay/kelp") == "the folder ~/quay" and owners.package("/bin/ls") == "coreutils"
    )
    assert len(asked) == 1 and str(tmp_path) not in " ".join(asked[0])
