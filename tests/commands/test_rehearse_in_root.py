"""A rehearsal in another system's root, packages for real: nothing of it is left, in the root, the system and
the home.
"""

from __future__ import annotations

import os
import pwd
import shutil
import sys
from contextlib import contextmanager
from pathlib import Path

import pytest

from tests.conftest import Desk
from tests.system.test_package_sources import Quay, held, quay
from zesty_anchor.operations.rehearse import looked, rehearse_in_root
from zesty_anchor.shells.rooted import Root, in_root
from zesty_anchor.system.namespaces import Closed
from zesty_anchor.system.problem import UsageProblem
from zesty_anchor.system.with_sudo import way_to_root

__all__ = ["quay"]

root_on_debian = pytest.mark.skipif(
    os.geteuid() != 0 or shutil.which("apt-get") is None, reason="needs root on Debian"
)


@pytest.mark.system
@root_on_debian
def test_packages_come_for_real_and_all_of_it_is_gone(desk: Desk, quay: Quay) -> None:
    before = held()
    fingerprint = str(quay.certificate.fingerprint)
    quay.wants(desk, fingerprint=fingerprint)
    text = desk.manifest.read_text()
    desk.write(
        f'{text}[[checks]]\nname = "the table"\nrun = "tide-table"\nexpect = "high water at six"\n',
        desk.manifest.name,
    )
    home = looked(desk.home)
    page = desk.home.parent / "page.html"
    answer = desk.well("rehearse", "--root", "/", "--json", "--report", str(page))
    assert ("tide-table", "done") in {(each["subject"], each["outcome"]) for each in answer.json["changes"]}
    assert (
        answer.json["ok"]
        and answer.json["root"] == "/"
        and not answer.json["back"]
        and not answer.json["touched"]
    )
    assert "checks passed" in page.read_text()
    assert looked(desk.home) == home and held() == before and shutil.which("tide-table") is None
    shown = desk.well("rehearse", "--root", "/").out
    assert "a copy of / with a copy of the home, which is deleted" in shown and "only told" not in shown
    assert looked(desk.home) == home and held() == before


@pytest.mark.system
@root_on_debian
def test_what_a_person_is_to_fix_comes_out_of_it(desk: Desk, quay: Quay) -> None:
    quay.wants(desk)  # whose key is asked about, and nobody can be asked
    answer = desk.run("rehearse", "--root", "/")
    assert answer.code == 5 and "fingerprint" in answer.out + answer.err


@root_on_debian
def test_a_root_with_a_user_of_its_own_and_the_program_s_python(tmp_path: Path) -> None:
    """A root that has next to nothing: it gets the person, the home, names on the network, and what this
    program is made of.
    """
    root, home, papers = tmp_path / "root", tmp_path / "home", tmp_path / "papers"
    for name in ("etc", "usr/lib", "bin"):
        (root / name).mkdir(parents=True)
    (root / "etc/passwd").write_text("root:x:0:0:root:/root:/bin/sh\n")
    both = tmp_path / "both"  # the root has a folder of this name, too
    for folder in (home, papers, both, root / both.relative_to("/")):
        folder.mkdir(parents=True)
    (home / "tides").write_text("high\n")
    (both / "workstation.toml").write_text("tides\n")
    user = pwd.struct_passwd(("quay", "x", 4711, 4711, "", str(home), "/bin/sh"))

    def task() -> list[str]:
        import tarfile  # from the Python that came along

        (home / "tides").write_text("low\n")
        Path("/etc/written").write_text("x")
        try:
            (papers / "new").write_text("x")
            papers_are = "written"
        except OSError:
            papers_are = "read-only"
        return [
            pwd.getpwuid(4711).pw_name, str(Path("/etc/shadow").exists()), tarfile.__name__, papers_are,
            str(os.access("/usr/sbin/policy-rc.d", os.X_OK)), str(Path("/etc/resolv.conf").exists()),
            str(os.access(sys.executable, os.X_OK)), (both / "workstation.toml").read_text(),
            " ".join(name for name in os.listdir("/proc") if name.isdigit()),
        ]  # fmt: skip

    told = in_root(Root(root, user, home, (papers, both, both / "workstation.toml")), task)
    assert not (root / both.relative_to("/") / "workstation.toml").exists()
    assert told == ["quay", "False", "tarfile", "read-only", "True", "True", "True", "tides\n", "1"]
    assert (home / "tides").read_text() == "high\n"
    shutil.rmtree(root / tmp_path.relative_to("/").parts[0])
    assert sorted(str(path.relative_to(root)) for path in root.rglob("*")) == [
        "bin",
        "etc",
        "etc/passwd",
        "usr",
        "usr/lib",
    ]


@root_on_debian
def test_no_link_of_a_root_leads_out_of_it(tmp_path: Path) -> None:
    """A stranger's root, whose folders are links to folders of this machine."""
    root, home, bait = tmp_path / "root", tmp_path / "home", tmp_path / "bait"
    for name in ("root/usr", "root/bin", "home", "bait/etc", "bait/sbin", "bait/run"):
        (tmp_path / name).mkdir(parents=True)
    (root / "etc").symlink_to(bait / "etc")
    (root / "usr/sbin").symlink_to(bait / "sbin")
    (root / "run").symlink_to(bait / "run")
    (root / "tmp").symlink_to(bait)
    (bait / "etc/passwd").write_text("root:x:0:0:root:/root:/bin/sh\n")
    before = looked(bait)
    user = pwd.struct_passwd(("quay", "x", 4711, 4711, "", str(home), "/bin/sh"))
    with pytest.raises((Closed, OSError)):
        in_root(Root(root, user, home), lambda: "entered")
    assert (
        looked(bait) == before
        and not (bait / "etc/resolv.conf").exists()
        and not (bait / "sbin/policy-rc.d").exists()
    )


def test_what_is_no_root_of_a_system_is_refused(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    desk.wants()
    user = pwd.getpwuid(os.geteuid())

    @contextmanager
    def begin():  # type: ignore[no-untyped-def]
        raise AssertionError

    monkeypatch.setattr(os, "geteuid", lambda: 0)
    with pytest.raises(UsageProblem, match="no root of a system: it has no bin/sh and no etc"):
        rehearse_in_root(Root(desk.home, user, desk.home), begin)
    monkeypatch.setattr(os, "geteuid", lambda: 4711)
    with pytest.raises(UsageProblem, match="by root alone") as refused:
        rehearse_in_root(Root(Path("/"), user, desk.home), begin)
    assert refused.value.advice.endswith(': "$(command -v zesty-anchor)" rehearse --root /') or (
        way_to_root() and refused.value.advice.startswith(way_to_root())
    )
