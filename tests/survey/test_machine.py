"""The machine is read when it is asked for, and again only where something has changed."""

from __future__ import annotations

from pathlib import Path

import pytest

from zesty_anchor.manifest.model import Identity, KnownHost
from zesty_anchor.survey import machine as module
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate


@pytest.fixture
def machine(tmp_path: Path) -> Machine:
    environment = {"HOME": str(tmp_path), "PATH": login_path()}
    nobody = KnownHost(name="127.0.0.1", port=9, fingerprint="SHA256:" + "A" * 43)
    return Machine(locate(environment), environment, identity=Identity(hosts=(nobody,)))


def test_nothing_is_read_before_it_is_asked_for(machine: Machine) -> None:
    assert {"shelf", "startup", "identity", "packages", "shells"} & machine.__dict__.keys() == set()
    assert machine.shelf == {}
    assert "startup" not in machine.__dict__ and "identity" not in machine.__dict__, "no host was asked"


def test_what_a_change_touches_is_read_again_and_nothing_else(
    machine: Machine, monkeypatch: pytest.MonkeyPatch
) -> None:
    reads: list[str] = []
    monkeypatch.setattr(module, "stock", lambda shelf: reads.append("shelf") or {})
    monkeypatch.setattr(module, "installed_shells", lambda environ: reads.append("shells") or ())
    for _ in range(2):
        _, _ = machine.shelf, machine.shells
    assert reads == ["shelf", "shells"]
    after = machine.again({"shelf"})
    _, _ = after.shelf, after.shells
    assert reads == ["shelf", "shells", "shelf"]
    _, _ = after.again({"packages"}).shells, machine.shells
    assert reads == ["shelf", "shells", "shelf", "shells"], "a package may bring a shell"


def test_a_startup_file_that_came_is_seen_after_its_change_alone(machine: Machine, tmp_path: Path) -> None:
    file = tmp_path / ".bashrc"
    assert machine.startup[file].content is None
    file.write_bytes(b"mine\n")
    assert machine.again({"shelf"}).startup[file].content is None
    assert machine.again({"startup"}).startup[file].content == b"mine\n"
    assert file in machine.again({"home"}).around.existing
