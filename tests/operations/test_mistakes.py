"""Thirty mistakes in manifests, recipes and feeds: each names a file, a line and the way out, and changes
nothing.
"""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Callable

import pytest

from tests.conftest import Desk, kelp
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import pack
from zesty_anchor.operations.person import Person
from zesty_anchor.operations.provision import provision
from zesty_anchor.planning.workstation import open_workstation, with_manifest_here
from zesty_anchor.system.host import login_path
from zesty_anchor.system.problem import Problem, Problems

HEAD = 'as-root = "allowed"\n[shells]\nuse = ["bash"]\n'
ASKED = '[runtimes.kelp]\nwant = "4"\n'
NPM = '[[recipes.kelp.feeds]]\nkind = "npm"\npackage = "kelp"\n'
RECIPE = '[recipes.kelp]\ncommands = ["kelp"]\n'
COMPANION = (
    '[[recipes.kelp.feeds.companions]]\nname = "pack"\nkind = "npm"\nrequires = "engines.kelp"\ninto ='
    ' "lib/pack"\n'
)

# The manifest below its head, the line that is named, words of what is wrong, and words of the way out.
MANIFEST: dict[str, tuple[str, str, str, str]] = {
    "a key that is not known": (ASKED + 'als = ["3"]\n', "als", "the key 'als' is not known",
    "did you mean 'also'"),
    "a number for a version": ('[runtimes.kelp]\nwant = 4\n', "want", "the number 4, but text is expected",
    'put it in quotes: "4"'),
    "a text for true": (RECIPE + ASKED + 'optional-needs = "Yes"\n', "optional-needs", 'true or false is expected',
    "write true, without quotes"),
    "a want that is none": ('[runtimes.kelp]\nwant = "newest"\n', "want", "'newest'", "latest"),
    "a runtime without a recipe": ('[runtimes.kelb]\nwant = "4"\n' + RECIPE, "[runtimes.kelb]",
    "no recipe for the runtime 'kelb'", "did you mean 'kelp'"),
    "a feed that is not there": (RECIPE + ASKED + 'feed = "quay"\n', "feed = ", "no feed 'quay'",
    "add [feeds.quay]"),
    "a kind of feed that is none": ('[feeds.quay]\nkind = "nmp"\n', "kind", '"nmp"', "did you mean 'npm'"),
    "a feed without an address": ('[feeds.quay]\nkind = "index"\n', "[feeds.quay]", "has no address", 'url = "https://…/"'),
    "a list that says not where": ('[feeds.quay]\nkind = "json"\nurl = "http://x/"\n', "[feeds.quay]",
    "has no map.releases", "map.releases"),
    "a review that is no digest": ('[managers.bollard]\nwant = "1"\nreviewed = "sha256:abc"\n', "reviewed",
    'expected is "sha256:" and 64', "zesty-anchor docs keys"),
    "a shell that is none": ('[shells.hooks]\nbsh = "x"\n', "bsh", '"bsh"', "did you mean 'bash'"),
    "extras that nobody can add": (RECIPE + NPM + ASKED + 'extras = ["tidy"]\n', "extras",
    "does not say how a command-line package is added", "zesty-anchor docs recipes"),
    "two feeds that would do": (RECIPE + ASKED + '[feeds.a]\nkind = "index"\nurl = "http://x/"\n[feeds.b]\nkind = "index"\nurl = "http://y/"\n', "want", "there are several: a, b", 'write feed = "a"'),
    "a variable's name": ('[variables]\n"GA-UGE" = "x"\n', "GA-UGE", "a variable's name", ""),
    "a companion that is not known": (RECIPE + NPM + ASKED + 'companions = { pack = "1" }\n', "companions = ",
    "knows no companion 'pack'", "take that line out"),
    "a companion that does not fit": (RECIPE + NPM + COMPANION + ASKED + 'companions = { pack = "9" }\n',
    "companions = ", "no pack '9' runs on kelp 4.2.1", "the nearest: 1.0.0"),
}  # fmt: skip
PROVISIONED: dict[str, tuple[str, str, str, str]] = {
    "a version that nobody has": (RECIPE + NPM + '[runtimes.kelp]\nwant = "9"\n', "want",
    "no version of kelp matches '9'", "the nearest: 4.2.1"),
    "a package that is not there": (RECIPE + NPM.replace('"kelp"', '"klep"') + ASKED, "want",
    "has no package 'klep'", "check the package's name in the recipe"),
    "no package for this platform": (RECIPE + NPM.replace('package = "kelp"',
    'packages.macos-x86_64 = "kelp"') + ASKED, "want", "names no package for", "choose another feed"),
    "an archive without the command": (RECIPE.replace('["kelp"]', '["kelp", "kelb"]') + NPM + ASKED,
    "[recipes.kelp]", "holds no command 'kelb'", "fix bin or commands"),
    "another folder of commands": (RECIPE + 'bin = ["sbin"]\n' + NPM + ASKED, "[recipes.kelp]",
    "holds no command 'kelp'", "fix bin"),
    "a root that is not there": (RECIPE + NPM + 'root = "kelp-*"\n' + ASKED, "[recipes.kelp]",
    "holds no single folder 'kelp-*'", "fix root in the recipe"),
    "a root that leads out": (RECIPE + NPM + 'root = ".."\n' + ASKED, 'root = ".."',
    "leads out of the archive", "fix root in the recipe"),
    "a link to nothing": (RECIPE + NPM + 'links.kelp = "lib/kelp"\n' + ASKED, "[recipes.kelp]",
    "there is no 'lib/kelp' for the command 'kelp'", "fix links"),
    "a link that leads out": (RECIPE + NPM + 'links.kelp = "../../../../bin/sh"\n' + ASKED, "links.kelp",
    "leads out of the version's folder", "fix the recipe"),
    "a companion that leads out": (RECIPE + NPM + COMPANION.replace("lib/pack", "../pack") + ASKED,
    'into = "../pack"', "leads out of the version's folder", "fix the recipe"),
    "an expression that is none": (RECIPE + '[feeds.quay]\nkind = "json"\nurl = "@kelp"\nmap = { releases = "[[", version = "v", file = "f" }\n' + ASKED, "want", "map.releases of the feed 'quay' is no JMESPath expression", "jmespath.org"),
    "a document of another kind": (RECIPE + '[feeds.quay]\nkind = "index"\nurl = "@"\n' + ASKED, "want", "",
    ""),
    "a server that is down": (RECIPE + '[feeds.quay]\nkind = "index"\nurl = "http://127.0.0.1:9/"\n' + ASKED,
    "want", "cannot be reached", "run the same command again"),
    "packages that nobody names": (RECIPE + '[feeds.quay]\nkind = "debian"\nurl = "@"\nsuites = ["calm"]\n' + ASKED + 'feed = "quay"\n', "want", "does not say which packages of a Debian archive", "zesty-anchor docs recipes"),
    "an archive without a key": (RECIPE + '[[recipes.kelp.feeds]]\nkind = "debian"\nnames = ["kelp"]\n[feeds.quay]\nkind = "debian"\nurl = "@"\nsuites = ["calm"]\nkey = "gone.pgp"\n' + ASKED, "key = \"gone", "the key file gone.pgp does not exist", "save the key as"),
}  # fmt: skip
ALL = MANIFEST | PROVISIONED


def npm(url: str) -> dict[str, bytes]:
    """A registry with kelp, and with what belongs to it."""
    found = {}
    for name, version, files in (
        ("kelp", "4.2.1", kelp("4.2.1")),
        ("pack", "1.0.0", {"main": (b"#!/bin/sh\n", 0o755)}),
    ):
        content = pack("package", files, "tar.xz")
        digest = base64.b64encode(hashlib.sha512(content).digest()).decode()
        dist = {"tarball": f"{url}{name}.tgz", "integrity": f"sha512-{digest}"}
        found |= {f"{name}.tgz": content, name: json.dumps({"versions": {version: {"dist": dist}}}).encode()}
    return found


def test_there_are_thirty_one() -> None:
    assert len(ALL) == 31


def told(desk: Desk) -> str:
    """What a person would be told: of the error that ends a provisioning, or of the change that failed."""
    environ = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", **desk.environment}
    try:
        bare = open_workstation(environ, desk.home)
        outcome = provision(with_manifest_here(bare, None), Person())
    except Problem as problem:
        each = problem.each if isinstance(problem, Problems) else [problem]
        return "\n".join(f"{one.what}\nwhere: {one.where}\nnext: {one.advice}" for one in each)
    failed = [change for change in outcome.changes if change.outcome == "failed"]
    return "\n".join(f"{one.problem}\nwhere: {one.where}\nnext: {one.advice}" for one in failed)


@pytest.mark.parametrize("mistake", ALL)
def test_a_mistake_names_file_line_and_the_way_out(
    desk: Desk, make_feed: Callable[..., str], mistake: str
) -> None:
    text, line, what, advice = ALL[mistake]
    url = make_feed({"dists/calm/InRelease": b"not signed"})
    for name, content in npm(url).items():
        (desk.home.parent / "feed0" / name).write_bytes(content)
    desk.environment |= {"NPM_CONFIG_REGISTRY": url, "PIP_INDEX_URL": url}
    desk.write(HEAD + text.replace('"@', f'"{url}'))
    before = likeness(desk.home, (".local", ".cache"))
    said = told(desk)
    for words in (what, advice, "next: "):
        assert words in said, said
    rows = enumerate(desk.manifest.read_text().splitlines(), 1)
    assert f"workstation.toml:{next(n for n, row in rows if line in row)}" in said, said
    assert likeness(desk.home, (".local", ".cache")) == before
    assert not list(desk.shelf.glob("*/*")), "nothing is on the shelf"
