"""Runtimes with all that belongs to them: ordered feeds, roots, links, companions, Debian packages,
extras.
"""

from __future__ import annotations

import base64
import hashlib
import json
import shutil
from collections.abc import Iterator
from pathlib import Path
from shlex import quote

import pysequoia
import pytest

from tests.conftest import PROGRAMS, Desk
from zesty_anchor.demo.archive import write_suite
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack

pytestmark = pytest.mark.needs("bash")
RECIPE = """
as-root = "allowed"
[shells]
use = ["bash"]
[recipes.kelp]
commands = ["kelp", "kelp-pack"]
[[recipes.kelp.feeds]]
kind = "pypi"
package = "kelp-whole"
root = "kelp_whole"
links.kelp-pack = "lib/pack/main"
[[recipes.kelp.feeds]]
kind = "npm"
package = "kelp-bare"
[[recipes.kelp.feeds.companions]]
name = "pack"
kind = "npm"
package = "kelp-pack"
requires = "engines.kelp"
into = "lib/pack"
links.kelp-pack = "main"
[recipes.kelp.version]
run = "kelp && kelp-pack"
expect = "kelp {version}?pack *"
[recipes.kelp.extras]
kind = "npm"
install = '''
[ "$NAME" != sunk ] || exit 1
echo "$NAME" >>"$CACHE/asked"
printf '#!/bin/sh\\necho %s %s\\n' "$NAME" "$VERSION" >"$FOLDER/bin/$NAME"
chmod +x "$FOLDER/bin/$NAME"
[ "$NAME" != half ] || exit 1
'''
"""


def says(text: str) -> tuple[bytes, int]:
    return f"#!/bin/sh\necho {text}\n".encode(), 0o755


class Registries:
    """A package index and an npm registry on loopback, both in one folder."""

    def __init__(self, folder: Path, desk: Desk) -> None:
        self.folder, self.desk = folder, desk
        self.host = Host(folder).__enter__()
        desk.environment |= {
            "PIP_INDEX_URL": f"{self.host.url}pypi/",
            "NPM_CONFIG_REGISTRY": f"{self.host.url}npm/",
        }

    def wheels(self, *versions: str) -> None:
        """kelp whole; as in any wheel, what should be a link is a copy that does not work."""
        rows = ""
        for version in versions:
            files = {"bin/kelp": says(f"kelp {version}"), "bin/kelp-pack": says("no pack found"),
                     "lib/pack/main": (says(f"pack with {version}")[0], 0o644)}  # fmt: skip
            content = pack("kelp_whole", files, "zip")
            name = f"kelp_whole-{version}-py3-none-any.whl"
            self.put(f"pypi/kelp-whole/{name}", content)
            rows += f'<a href="{name}#sha256={hashlib.sha256(content).hexdigest()}">{name}</a>\n'
        self.put("pypi/kelp-whole/index.html", rows.encode())

    def npm(
        self, package: str, versions: dict[str, tuple[dict[str, tuple[bytes, int]], dict[str, str]]]
    ) -> None:
        listed = {}
        for version, (files, engines) in versions.items():
            content = pack("package", files, "tar.xz")
            file = f"npm/{package}-{version}.tgz"
            self.put(file, content)
            digest = base64.b64encode(hashlib.sha512(content).digest()).decode()
            dist = {"tarball": f"{self.host.url}{file}", "integrity": f"sha512-{digest}"}
            listed[version] = {"dist": dist, "engines": engines}
        self.put(f"npm/{package}", json.dumps({"versions": listed}).encode())

    def bare(self, *versions: str) -> None:
        self.npm("kelp-bare", {v: ({"bin/kelp": says(f"kelp {v}")}, {}) for v in versions})

    def packs(self, **needed: str) -> None:
        """The companion in several versions, each with the kelp that it says it needs."""
        listed = {v.replace("_", "."): need for v, need in needed.items()}
        self.npm(
            "kelp-pack",
            {v[1:]: ({"main": (says(f"pack {v[1:]}")[0], 0o644)}, {"kelp": n}) for v, n in listed.items()},
        )

    def put(self, name: str, content: bytes) -> None:
        (self.folder / name).parent.mkdir(parents=True, exist_ok=True)
        (self.folder / name).write_bytes(content)


@pytest.fixture
def registries(desk: Desk, tmp_path: Path) -> Iterator[Registries]:
    (tmp_path / "registries").mkdir()
    made = Registries(tmp_path / "registries", desk)
    yield made
    made.host.__exit__()


def answers(desk: Desk, version: str, packs: str) -> None:
    desk.well("provision")
    assert desk.shell("bash", "kelp && kelp-pack", "-l").splitlines() == [f"kelp {version}", f"pack {packs}"]
    assert desk.well("provision", "--json").json["changes"] == []


def test_a_wheel_is_made_whole_by_its_links(desk: Desk, registries: Registries) -> None:
    registries.wheels("4.2.1", "4.1.0")
    desk.write(RECIPE + '[runtimes.kelp]\nwant = "4"\n')
    before = likeness(desk.home, (".local/state/zesty-anchor", ".cache"))
    answers(desk, "4.2.1", "with 4.2.1")
    folder = desk.shelf / "kelp/4.2.1"
    assert (folder / "bin/kelp-pack").readlink() == Path("../lib/pack/main"), (
        "the archive's root is the version"
    )
    desk.well("undo")
    assert likeness(desk.home, (".local/state/zesty-anchor", ".cache")) == before


def test_the_first_feed_that_has_the_version_counts(desk: Desk, registries: Registries) -> None:
    registries.wheels("4.2.1")
    registries.bare("4.2.1", "5.0.0")
    registries.packs(v1_0_0=">=4 <6", v2_0_0=">=6")
    desk.write(RECIPE + '[runtimes.kelp]\nwant = "5"\nalso = ["4"]\n')
    answers(desk, "5.0.0", "1.0.0")
    told = desk.well("list", "kelp", "--json").json["available"]
    assert [(each["version"], each["feed"]) for each in told] == [("5.0.0", "npm"), ("4.2.1", "pypi")]
    assert (desk.shelf / "kelp/4.2.1/kelp_whole").exists() is False
    missing = desk.run("with", "--install", "kelp=6", "--", "kelp")
    assert missing.code == 2 and "no version of kelp matches '6'" in missing.err and "5.0.0" in missing.err


def test_a_feed_that_cannot_be_used_is_passed_over_and_told(desk: Desk, registries: Registries) -> None:
    registries.bare("4.2.1")
    registries.packs(v1_0_0="*")
    desk.environment["PIP_INDEX_URL"] = "http://127.0.0.1:9/"
    desk.write(RECIPE + '[runtimes.kelp]\nwant = "4"\n')
    told = desk.well("provision")
    assert (
        "the feed 'pypi' could not be asked, and may have other versions: the package index cannot be reached"
        in told.err + told.out
    )
    desk.well("undo")
    (registries.folder / "npm/kelp-bare").unlink()
    both = desk.run("provision")
    assert both.code == 1 and "the package index cannot be reached" in both.err, (
        "the first one's reason, not the last one's"
    )


def test_the_newest_companion_that_fits_and_the_one_that_is_wanted(
    desk: Desk, registries: Registries
) -> None:
    registries.bare("4.2.1")
    registries.packs(v1_0_0=">=3", v1_5_0=">=4.1", v2_0_0=">=6")
    desk.write(RECIPE + '[feeds.npm]\nkind = "npm"\n[runtimes.kelp]\nwant = "4"\nfeed = "npm"\n')
    answers(desk, "4.2.1", "1.5.0")
    desk.well("lock")
    locked = (desk.home / "workstation.lock").read_text()
    assert 'name = "pack"' in locked and 'version = "1.5.0"' in locked
    (desk.home / "workstation.lock").unlink()
    desk.write(desk.manifest.read_text() + 'companions = { pack = "1.0" }\n')
    answers(desk, "4.2.1", "1.0.0")
    desk.write(desk.manifest.read_text().replace('"1.0"', '"2"'))
    unfit = desk.run("provision")
    assert unfit.code == 2 and "no pack '2' runs on kelp 4.2.1" in unfit.err
    desk.write(desk.manifest.read_text().replace("pack =", "peck ="))
    unknown = desk.run("provision")
    assert (
        unknown.code == 2 and "knows no companion 'peck'" in unknown.err and "it knows: pack" in unknown.err
    )


def test_a_second_home_with_the_lock_has_the_same_digests(
    desk: Desk, registries: Registries, tmp_path: Path
) -> None:
    registries.bare("4.2.1")
    registries.packs(v1_0_0="*")
    registries.npm("tidy", {"1.2.0": ({"x": says("x")}, {})})
    desk.write(
        RECIPE + '[feeds.npm]\nkind = "npm"\n[runtimes.kelp]\nwant = "4"\nfeed = "npm"\nextras = ["tidy"]\n'
    )
    answers(desk, "4.2.1", "1.0.0")
    desk.well("lock")
    registries.packs(v1_0_0="*", v1_9_0="*")
    registries.npm("tidy", {"1.3.0": ({"x": says("x")}, {})})
    other = Desk(tmp_path / "other", desk.url, desk.environment)
    other.home.mkdir()
    for name in ("workstation.toml", "workstation.lock"):
        shutil.copy(desk.home / name, other.home / name)
    answers(other, "4.2.1", "1.0.0")
    assert other.shell("bash", "tidy", "-l") == "tidy 1.2.0\n"
    one, two = (json.loads((d.shelf / "kelp/4.2.1/.zesty-anchor.json").read_text()) for d in (desk, other))
    assert one == two and one["parts"][0]["digest"].startswith("sha512:")


def test_extras_are_found_and_one_that_fails_keeps_nothing_else_back(
    desk: Desk, registries: Registries
) -> None:
    registries.wheels("4.2.1")
    for name in ("sunk", "tidy"):
        registries.npm(name, {"1.2.0": ({"x": says("x")}, {}), "1.3.0": ({"x": says("x")}, {})})
    desk.write(RECIPE + '[runtimes.kelp]\nwant = "4"\nextras = ["sunk", "tidy@1.2"]\n')
    before = likeness(desk.home, (".local/state/zesty-anchor", ".cache"))
    told = desk.run("provision")
    assert told.code == 1 and "failed: add sunk@1.3.0 to kelp 4.2.1" in told.out
    assert desk.shell("bash", "tidy", "-l") == "tidy 1.2.0\n"
    assert "tidy is found" in desk.run("verify", "-v").out
    desk.well("undo")
    assert likeness(desk.home, (".local/state/zesty-anchor", ".cache")) == before
    desk.write(desk.manifest.read_text().replace('"sunk", ', ""))
    desk.well("provision")
    assert desk.well("provision", "--json").json["changes"] == []
    (desk.shelf / "kelp/4.2.1/bin/tidy").unlink()
    red = desk.run("verify")
    assert red.code == 4 and "tidy is found" in red.out


def test_each_command_of_an_extra_is_started(desk: Desk, registries: Registries) -> None:
    """One that knows neither option passes, one that cannot be loaded does not."""
    registries.wheels("4.2.1")
    for name in ("lost", "curt", "tidy"):
        registries.npm(name, {"1.2.0": ({"x": says("x")}, {})})
    bodies = {
        "lost": "echo \"Error: Cannot find module 'tide'\" >&2; exit 1",
        "curt": '[ -n "$1" ] && { echo "unknown option $1" >&2; exit 3; }',
    }
    install = "".join(
        f"[ \"$NAME\" != {n} ] || printf '%s\\n' '#!/bin/sh' {quote(b)} >\"$FOLDER/bin/{n}\"\n"
        for n, b in bodies.items()
    )
    text = RECIPE.replace('chmod +x "$FOLDER/bin/$NAME"\n', f'{install}chmod +x "$FOLDER/bin/$NAME"\n')
    desk.write(text + '[runtimes.kelp]\nwant = "4"\nextras = ["lost", "curt", "tidy"]\n')
    answer = desk.run("provision")
    assert answer.code == 1, answer.out
    line = desk.manifest.read_text().splitlines().index('extras = ["lost", "curt", "tidy"]') + 1
    assert f"~/workstation.toml:{line}: lost does not start with kelp 4.2.1" in answer.out, answer.out
    assert "Error: Cannot find module 'tide'" in answer.out
    assert "choose another version of lost in extras, or remove it" in answer.out
    marks = {
        c["name"]: c["ok"] for each in desk.run("verify", "--json").json["shells"] for c in each["checks"]
    }
    assert (marks["lost starts"], marks["curt starts"], marks["tidy starts"]) == (False, True, True)
    assert not list(desk.home.glob("tmp*")), "it works in a folder of its own"
    shells = json.dumps([name for name in ("bash", "zsh", "fish", "tcsh") if name in PROGRAMS])
    desk.write(desk.manifest.read_text().replace('"lost", ', "").replace('use = ["bash"]', f"use = {shells}"))
    desk.well("provision")


def test_a_package_tool_is_tried_where_that_is_asked_for(desk: Desk, registries: Registries) -> None:
    registries.wheels("4.2.1")
    tool = (
        'online = "[ -z \\"$FOG\\" ] && echo tide >tide || { echo no route to the registry >&2; exit 3; }"\n'
    )
    desk.write(
        RECIPE.replace('commands = ["kelp"', f'{tool}commands = ["kelp"') + '[runtimes.kelp]\nwant = "4"\n'
    )
    desk.well("provision")
    assert "online" not in desk.well("verify", "-v").out
    assert "kelp's package tool fetches a package" in desk.well("verify", "--online", "-v").out
    assert not list(desk.home.rglob("tide")), "what it fetched is gone"
    desk.write(desk.manifest.read_text().replace(tool, ""))
    desk.well("provision", "--yes")
    assert (
        "not tried online, since the recipe has no online command: kelp"
        in desk.well("verify", "--online").out
    )
    desk.write(desk.manifest.read_text().replace('commands = ["kelp"', f'{tool}commands = ["kelp"'))
    desk.well("provision", "--yes")
    desk.write("export FOG=1\n" + (desk.home / ".profile").read_text(), ".profile")
    seen = desk.run("verify", "--online")
    assert seen.code == 4 and "kelp's package tool does not reach its registry" in seen.out, seen.out
    assert "no route to the registry" in seen.out and "[trust] system = true" in seen.out
    desk.write(desk.manifest.read_text().replace('use = ["bash"]', "use = []"))
    desk.well("provision")
    assert "kelp's package tool fetches a package" in desk.well("verify", "--online", "-v").out


def test_a_package_that_fails_half_way_leaves_nothing(desk: Desk, registries: Registries) -> None:
    registries.wheels("4.2.1")
    registries.npm("half", {"1.2.0": ({"x": says("x")}, {})})
    desk.write(RECIPE + '[runtimes.kelp]\nwant = "4"\nextras = ["half@1.2"]\n')
    answer = desk.run("provision")
    assert answer.code == 1 and "failed: add half@1.2.0 to kelp 4.2.1" in answer.out
    assert (desk.shelf / "kelp/4.2.1/bin/kelp").exists()
    assert not list(desk.shelf.rglob("half*"))
    assert desk.well("attic", "--json").json["kept"] == []


def test_extras_of_a_recipe_without_a_package_tool_are_a_clear_error(
    desk: Desk, registries: Registries
) -> None:
    registries.wheels("4.2.1")
    text = RECIPE[: RECIPE.index("[recipes.kelp.extras]")]
    desk.write(text + '[runtimes.kelp]\nwant = "4"\nextras = ["tidy"]\n')
    for command in ("preview", "provision"):
        told = desk.run(command)
        assert told.code == 2 and "does not say how a command-line package is added" in told.err
        line = desk.manifest.read_text().splitlines().index('extras = ["tidy"]') + 1
        assert f"workstation.toml:{line}" in told.err


def test_packages_of_an_archive_are_unpacked_without_privilege(desk: Desk, registries: Registries) -> None:
    key = pysequoia.Tsk.generate("Harbour <harbour@example.org>")
    (desk.home / "harbour.pgp").write_bytes(bytes(key.extract_certificate()))
    packages = []
    for line, version, libc in (("4", "4.2.1+7-1", "2.20"), ("5", "5.0.0+1-1", "99.1")):
        top = f"usr/lib/kelp-{line}"
        script = (
            b'#!/bin/sh\nread -r rules <"${0%/*}/../conf/rules"\necho "'
            + f'kelp {version[:5]} $rules"\n'.encode()
        )
        core = {"Package": f"kelp-{line}-core", "Version": version, "Depends": f"libc6 (>= {libc})"}
        tools = {"Package": f"kelp-{line}-tools", "Version": version}
        files: dict[str, bytes | str] = {f"{top}/bin/kelp": script, f"{top}/conf": f"/etc/kelp-{line}"}
        packages += [
            (core, files | {f"etc/kelp-{line}/rules": b"calm\n"}),
            (tools, {f"{top}/bin/kelp-pack": b"#!/bin/sh\n"}),
        ]
    write_suite(registries.folder, "calm", packages, key.signer())
    recipe = """as-root = "allowed"
[shells]
use = ["bash"]
[recipes.kelp]
commands = ["kelp", "kelp-pack"]
version.run = "kelp"
version.expect = "kelp {version} calm"
[[recipes.kelp.feeds]]
kind = "debian"
names = ["kelp-{line}-tools", "kelp-{line}-core"]
version = '(\\d+(?:\\.\\d+)*)\\+'
root = "usr/lib/kelp-*"
"""
    feed = (
        f'[feeds.harbour]\nkind = "debian"\nurl = "{registries.host.url}"\nsuites = ["calm"]\nkey ='
        ' "harbour.pgp"\n'
    )
    desk.write(recipe + feed + '[runtimes.kelp]\nwant = "4"\n')
    before = likeness(desk.home, (".local/state/zesty-anchor", ".cache"))
    desk.well("provision")
    assert desk.shell("bash", "kelp", "-l") == "kelp 4.2.1 calm\n"
    assert desk.well("provision", "--json").json["changes"] == []
    told = desk.well("list", "kelp").out
    assert "5.0.0" in told and "it needs a newer system: libc6 99.1" in told
    desk.well("lock")
    desk.well("undo")
    (desk.home / "workstation.lock").rename(desk.home.parent / "lock")
    assert likeness(desk.home, (".local/state/zesty-anchor", ".cache")) == before
    (desk.home.parent / "lock").rename(desk.home / "workstation.lock")
    desk.well("provision")
    desk.write(desk.manifest.read_text().replace('want = "4"', 'want = "latest"'))
    refused = desk.run("provision")
    assert refused.code == 0 or "needs a newer system" in refused.err
    desk.write(desk.manifest.read_text().replace('want = "latest"', 'want = "5"'))
    refused = desk.run("provision")
    assert (
        refused.code == 2
        and "kelp 5.0.0 cannot be had on this machine: it needs a newer system" in refused.err
    )


def proved(desk: Desk) -> list[str]:
    """The names of the checks of a provisioning."""
    shells = desk.well("provision", "--json").json["proof"]["shells"]
    return [check["name"] for shell in shells for check in shell["checks"]]


def test_only_verify_runs_a_small_program_again(desk: Desk, registries: Registries) -> None:
    registries.wheels("4.2.1", "4.1.0")
    ran = desk.home / "ran"
    program = (
        f'[recipes.kelp.program]\nfile = "x"\ntext = "x"\nrun = "kelp && echo >>{ran}"\nexpect = "kelp*"\n'
    )
    desk.write(RECIPE + program + '[runtimes.kelp]\nwant = "4"\n')
    assert "kelp 4.2.1 runs a program" in proved(desk) and ran.read_text() == "\n"
    desk.write(desk.manifest.read_text() + 'also = ["4.1"]\n')
    told = proved(desk)
    assert (
        "kelp 4.1.0 runs a program" in told
        and "kelp 4.2.1 runs a program" not in told
        and ran.read_text() == "\n" * 2
    )
    assert "kelp 4.2.1 runs a program" in desk.well("verify", "-v").out and ran.read_text() == "\n" * 4
    desk.write(
        desk.manifest.read_text().replace('expect = "kelp*"', 'expect = "kelp *"')
        + '[variables]\nGAUGE = "north"\n'
    )
    desk.well("provision")
    assert ran.read_text() == "\n" * 6, "another program is another proof"


def test_a_line_has_the_companion_that_is_shipped_with_it_and_not_each_command(
    desk: Desk, registries: Registries
) -> None:
    registries.bare("3.6.2", "4.2.1")
    registries.packs(v1_0_0="*", v1_2_0="*", v2_0_0="*")
    recipe = RECIPE.replace(
        'links.kelp-pack = "main"',
        'links.kelp-pack = "main"\nlinks.kelp-extra = "extra"\nlines = { "3" = "1" }',
    ).replace(
        '["kelp", "kelp-pack"]', '["kelp", "kelp-pack", "kelp-extra"]\nlacking = { kelp-extra = ["3"] }'
    )
    desk.write(recipe + '[feeds.npm]\nkind = "npm"\n[runtimes.kelp]\nwant = "3"\nfeed = "npm"\n')
    answers(desk, "3.6.2", "1.2.0")
    assert not (desk.shelf / "kelp/3.6.2/bin/kelp-extra").exists()
    names = {c["name"] for each in desk.well("verify", "--json").json["shells"] for c in each["checks"]}
    assert "kelp-pack is found" in names and "kelp-extra is found" not in names
    desk.write(desk.manifest.read_text().replace('want = "3"', 'want = "4"'))
    newer = desk.run("provision")
    assert newer.code == 1 and "'extra' for the command 'kelp-extra'" in newer.err + newer.out, "4 has it"


def test_an_extra_is_the_newest_that_runs_on_the_version(desk: Desk, registries: Registries) -> None:
    registries.bare("4.2.1")
    registries.packs(v1_0_0="*")
    needs = {"1.0.0": ">=3", "1.4.0": ">=4", "2.0.0": ">=6"}
    registries.npm("tidy", {v: ({"x": says("x")}, {"kelp": need}) for v, need in needs.items()})
    recipe = RECIPE.replace("[recipes.kelp.extras]\n", '[recipes.kelp.extras]\nrequires = "engines.kelp"\n')
    desk.write(
        recipe + '[feeds.npm]\nkind = "npm"\n[runtimes.kelp]\nwant = "4"\nfeed = "npm"\nextras = ["tidy"]\n'
    )
    assert "tidy@1.4.0" in desk.well("preview").out
    desk.well("provision")
    assert desk.shell("bash", "tidy", "-i") == "tidy 1.4.0\n"
    desk.write(desk.manifest.read_text().replace('["tidy"]', '["tidy@2"]'))
    unfit = desk.run("provision")
    assert unfit.code == 2 and "no tidy '2' runs on kelp 4.2.1" in unfit.err
    assert "tidy 2.0.0 needs kelp >=6" in unfit.err and "workstation.toml:" in unfit.err
