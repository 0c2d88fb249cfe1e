"""Sources of packages: what is written for each package manager, and the real apt with an archive made
here.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pysequoia
import pytest

from tests.conftest import PROGRAMS, Desk
from zesty_anchor.demo.archive import write_suite
from zesty_anchor.demo.host import Host
from zesty_anchor.system.package_managers import PACKAGE_MANAGERS
from zesty_anchor.system.package_source import PackageSource

PACKAGE = (
    {"Package": "tide-table", "Version": "1.0-1"},
    {"usr/bin/tide-table": b"#!/bin/sh\necho high water at six\n"},
)
PLACES = ("/etc/apt", "/var/lib/apt/lists", "/var/lib/zesty-anchor")


ASKING = (
    {"Package": "tide-charts", "Version": "1.0-1", "Section": "non-free/science", "Depends": "debconf"},
    {
        "usr/bin/tide-charts": b"#!/bin/sh\necho charted\n",
        "DEBIAN/templates": b"""Template: tide-charts/licence
Type: boolean
Default: false
Description: Do you accept the licence of the charts?
 The charts are not for navigation.
 .
 Who sails by them sails alone.
""",
        "DEBIAN/config": b"""#!/bin/sh
. /usr/share/debconf/confmodule
db_input critical tide-charts/licence || :
db_go || :
""",
        "DEBIAN/postinst": b"""#!/bin/sh
. /usr/share/debconf/confmodule
db_get tide-charts/licence
[ "$RET" = true ] || { echo "the licence was not accepted" >&2; exit 1; }
""",
        "DEBIAN/postrm": b'#!/bin/sh\n[ "$1" != purge ] || { . /usr/share/debconf/confmodule; db_purge; }\n',
    },
)


class Quay:
    """An archive on loopback with one package, and the key that signs it."""

    def __init__(self, room: Path, url: str) -> None:
        self.url = url
        self.folder = room / "archive"
        self.key = pysequoia.Tsk.generate("Harbour <harbour@example.org>")
        self.certificate = self.key.extract_certificate()
        write_suite(self.folder, "calm", [PACKAGE, ASKING], self.key.signer())

    def wants(
        self,
        desk: Desk,
        *,
        key: pysequoia.Cert | None = None,
        fingerprint: str | None = None,
        suite: str = "calm",
        packages: str = '["tide-table"]',
        more: str = "",
    ) -> None:
        """A manifest with that source, and its package."""
        desk.write(str(key or self.certificate), "keys/quay.asc")
        named = f'fingerprint = "{fingerprint}"\n' if fingerprint else ""
        desk.write(
            f'[shells]\nuse = ["bash"]\n[prerequisites]\npackages = {packages}\n{more}'
            f'[prerequisites.sources.quay]\nurl = "{self.url}"\nsuite ='
            f' "{suite}"\ncomponents = ["main"]\nkey = "keys/quay.asc"\n{named}'
        )


@pytest.fixture
def quay(tmp_path: Path) -> Iterator[Quay]:
    (tmp_path / "archive").mkdir()
    with Host(tmp_path / "archive") as serving:
        yield Quay(tmp_path, serving.url)


def held() -> dict[str, bytes]:
    """Every file of apt's, and of what root keeps for us."""
    files = (Path(root) / name for place in PLACES for root, _, names in os.walk(place) for name in names)
    return {
        str(file): file.read_bytes()
        for file in files
        if file.name not in ("lock", "pkgcache.bin", "srcpkgcache.bin")
    }


@pytest.mark.system
@pytest.mark.skipif(os.geteuid() != 0 or shutil.which("apt-get") is None, reason="needs root on Debian")
def test_a_package_of_a_source_and_all_of_it_back(desk: Desk, quay: Quay) -> None:
    before = held()
    fingerprint = str(quay.certificate.fingerprint)
    quay.wants(desk)
    asked = desk.run("provision")
    assert asked.code == 5, asked
    assert (
        f'fingerprint = "{fingerprint.upper()}"' in asked.out + asked.err
        and "Harbour" in asked.out + asked.err
    )
    assert held() == before

    quay.wants(desk, fingerprint=fingerprint)
    told = desk.well("preview").out
    assert "quay" in told and "/etc/apt/sources.list.d/zesty-anchor-quay.sources" in told
    desk.well("provision")
    assert (
        subprocess.run(["tide-table"], capture_output=True, text=True, check=True).stdout
        == "high water at six\n"
    )
    written = Path("/etc/apt/sources.list.d/zesty-anchor-quay.sources").read_text()
    assert "Types: deb\n" in written and "Signed-By: /etc/apt/keyrings/zesty-anchor-quay.asc\n" in written
    assert "Nothing to do" in desk.well("provision").out
    desk.well("undo")
    assert shutil.which("tide-table") is None
    assert held() == before


@pytest.mark.system
@pytest.mark.skipif(os.geteuid() != 0 or shutil.which("apt-get") is None, reason="needs root on Debian")
def test_a_mirror_has_the_package_with_what_it_needs_and_apt_takes_it_from_there_alone(
    desk: Desk, tmp_path: Path
) -> None:
    before = held()
    (tmp_path / "archive").mkdir()
    (tmp_path / "mirror").mkdir()
    secret = tmp_path / "desk.key"
    secret.write_text(str(pysequoia.Tsk.generate("Tide desk <desk@tide.example>")))
    runtime = f'[feeds.harbour]\nkind = "index"\nurl = "{desk.url}"\n[runtimes.kelp]\nwant = "4.2"\n'
    runtime += '[recipes.kelp]\ncommands = ["kelp"]\n'
    words = ("mirror", str(tmp_path / "mirror"))
    with Host(tmp_path / "archive") as serving:
        quay = Quay(tmp_path, serving.url)
        needs = ({**PACKAGE[0], "Depends": "tide-clock (>= 1)"}, PACKAGE[1])
        clock = ({"Package": "tide-clock", "Version": "1:1.0~b-1"}, {"usr/share/tide-clock": b"six"})
        write_suite(quay.folder, "calm", [needs, clock], quay.key.signer())
        quay.wants(desk, fingerprint=str(quay.certificate.fingerprint))
        desk.write('as-root = "allowed"\n' + desk.manifest.read_text() + runtime)
        desk.well("provision")
        desk.well("lock")
        assert "(--key FILE adds them): tide-table" in desk.well(*words).out
        made = desk.well(*words, "--key", str(secret)).out
        assert "2 files fetched" in made and 'suite = "packages/"' in made
        assert "nothing was missing" in desk.well(*words, "--key", str(secret)).out
        assert "Nothing to delete" in desk.well(*words, "--prune").out, "without a key nobody asks apt"
        assert "Nothing to delete" in desk.well(*words, "--prune", "--key", str(secret)).out
        listed = (tmp_path / "mirror/packages/Packages").read_text().splitlines()
        assert [line for line in listed if line.startswith("Package: ")] == [
            "Package: tide-clock",
            "Package: tide-table",
        ]
        # The archive stays among apt's sources, and can no longer be reached.
        subprocess.run(["apt-get", "purge", "-qq", "-y", "tide-table", "tide-clock"], check=True)
    with Host(tmp_path / "mirror") as host:
        shutil.copy(tmp_path / "mirror/packages/key.asc", desk.home / "mirror.asc")
        fingerprint = str(pysequoia.Cert.from_file(str(desk.home / "mirror.asc")).fingerprint)
        place = (
            f'[prerequisites.sources.mirror]\nurl = "{host.url}"\nsuite = "packages/"\nkey = "mirror.asc"\n'
        )
        only = f'[mirror]\nurl = "{host.url}"\nonly = true\n'
        desk.write(f'{desk.manifest.read_text()}{place}fingerprint = "{fingerprint}"\n{only}')
        assert "Dir::Etc::SourceList" in desk.well("preview").out
        desk.well("provision")
        asked = subprocess.run(["tide-table"], capture_output=True, text=True, check=True).stdout
        assert asked == "high water at six\n" and Path("/usr/share/tide-clock").read_bytes() == b"six"
        desk.well("undo")
    desk.write(desk.manifest.read_text().replace('packages = ["tide-table"]\n', ""))
    gone = desk.well(*words, "--prune", "--yes", "--key", str(secret)).out
    assert "2 files deleted" in gone and "tide-table" in gone
    desk.well("undo")
    assert held() == before


def answers_kept() -> str:
    return subprocess.run(["debconf-show", "tide-charts"], capture_output=True, text=True, check=False).stdout


@pytest.mark.system
@pytest.mark.skipif(os.geteuid() != 0 or shutil.which("debconf-show") is None, reason="needs root on Debian")
def test_a_package_that_asks_for_its_licence_is_answered_before_it_comes(desk: Desk, quay: Quay) -> None:
    fingerprint, both = str(quay.certificate.fingerprint), '["tide-table", "tide-charts"]'
    quay.wants(desk, fingerprint=fingerprint, packages=both)
    late = desk.run("provision")
    assert late.code == 1, late
    assert "the package tide-charts asks whether you accept its licence" in late.out + late.err
    assert '[prerequisites.answers] "tide-charts/licence" = true' in late.out + late.err
    assert shutil.which("tide-table") is None, "nothing of it is begun"

    asked = desk.run("provision")  # its source is known now
    assert asked.code == 5, asked
    assert "the package tide-charts asks: Do you accept the licence of the charts?" in asked.err
    assert '[prerequisites.answers] "tide-charts/licence" = true' in asked.err
    assert shutil.which("tide-charts") is None and answers_kept() == ""

    refused = '[prerequisites.answers]\n"tide-charts/licence" = false\n'
    quay.wants(desk, fingerprint=fingerprint, packages=both, more=refused)
    assert "the manifest refuses its licence" in desk.run("provision").out
    assert shutil.which("tide-charts") is None

    quay.wants(desk, fingerprint=fingerprint, packages=both, more=refused.replace("false", "true"))
    desk.well("provision")
    assert subprocess.run(["tide-charts"], capture_output=True, text=True, check=True).stdout == "charted\n"
    assert "tide-charts/licence: true" in answers_kept()
    while desk.run("undo").code == 0:
        pass
    assert shutil.which("tide-charts") is None and answers_kept() == ""


@pytest.mark.system
@pytest.mark.skipif(os.geteuid() != 0 or shutil.which("apt-get") is None, reason="needs root on Debian")
def test_a_source_that_another_key_signs_leaves_nothing(desk: Desk, quay: Quay) -> None:
    before = held()
    other = pysequoia.Tsk.generate("Nobody <nobody@example.org>").extract_certificate()
    quay.wants(desk, key=other, fingerprint=str(other.fingerprint))
    answer = desk.run("provision")
    assert answer.code == 1 and "cannot be used" in answer.out + answer.err, answer
    assert shutil.which("tide-table") is None
    assert held() == before
    quay.wants(desk, fingerprint=str(quay.certificate.fingerprint), suite="storm")
    answer = desk.run("provision")
    assert answer.code == 1 and "check url, suite" in answer.out + answer.err, answer
    assert held() == before


def test_the_key_must_be_the_one_that_is_named_and_alone(desk: Desk, quay: Quay) -> None:
    if shutil.which("apt-get") is None:
        pytest.skip("no apt here")
    quay.wants(desk, fingerprint="A" * 40)
    answer = desk.run("preview")
    assert answer.code == 1 and "not the one that the manifest names" in answer.err, answer
    other = pysequoia.Tsk.generate("Nobody <nobody@example.org>").extract_certificate()
    quay.wants(desk)
    desk.write(f"{quay.certificate}\n{other}", "keys/quay.asc")
    assert "2 keys" in desk.run("preview").err


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ('url = "ftp://harbour/"\nkey = "k"', "no address of a source"),
        ('url = "http://harbour/ x"\nkey = "k"', "no address of a source"),
        ('url = "http://harbour/\\nSigned-By: /x"\nkey = "k"', "no address of a source"),
        ('url = "http://harbour/"\nkey = "k"\nsuite = "calm main\\nTrusted: yes"', "no name in an archive"),
        ('url = "http://harbour/"\nkey = "k"\nfingerprint = "12AB"', "no fingerprint"),
        ('url = "http://harbour/"', "key"),
    ],
)
def test_what_would_become_another_line_is_refused(desk: Desk, more: str, told: str) -> None:
    desk.write(f"[prerequisites.sources.quay]\n{more}\n")
    answer = desk.run("preview")
    assert answer.code == 2 and told in answer.err, answer


@pytest.mark.needs("dnf")
def test_dnf_reads_what_is_written_for_it(tmp_path: Path) -> None:
    form = PACKAGE_MANAGERS["dnf"]({}).source_form(PackageSource("quay", "http://127.0.0.1:9/tides/", "KEY"))
    assert form is not None
    (tmp_path / "repos").mkdir()
    (tmp_path / "repos/quay.repo").write_text(form.files[-1][1])
    words = [
        PROGRAMS["dnf"],
        "--installroot",
        str(tmp_path),
        f"--setopt=reposdir={tmp_path}/repos",
        "--releasever=1",
        "-C",
    ]
    shown = subprocess.run([*words, "repolist", "--all"], capture_output=True, text=True, check=False).stdout
    assert "zesty-anchor-quay" in shown and "enabled" in shown


def test_each_manager_has_a_form_of_its_own() -> None:
    source = PackageSource("quay", "http://h/d/", "KEY", "calm", ("main",))
    form = {name: kind({}).source_form(source) for name, kind in PACKAGE_MANAGERS.items()}
    assert form["pacman"] is None
    for name in ("dnf", "zypper"):
        found = form[name]
        assert found is not None and "gpgcheck=1" in found.files[-1][1] and found.files[0][1] == "KEY"
    assert form["apt"] is not None and form["apt"].forget[0][-1] == "h_d_dists_calm_"
