"""Wrong values for every key of a manifest: each is told with file and line, and what to write; nothing is
taken from it.
"""

from __future__ import annotations

import hashlib
import os
import re
import subprocess
import time
import tomllib
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import Desk, is_root, kelp
from tests.hostile.measured import note
from zesty_anchor.demo.wares import pack
from zesty_anchor.manifest.pin import MOST_BYTES, read_pins
from zesty_anchor.manifest.read import parse_manifest
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.manifest.want import Want
from zesty_anchor.system.host import login_path
from zesty_anchor.system.problem import Problem, Problems, UsageProblem

R = '[recipes.kelp]\ncommands = ["kelp"]\n'
NESTED = "a = " + "[" * 3000 + "]" * 3000
VARIABLES = (
    "PATH IFS UID EUID PPID SHELLOPTS BASHOPTS HOME ENV BASH_ENV PWD SHLVL status argv path ZDOTDIR"
    " PROMPT_COMMAND ZESTY_ANCHOR_SHELL"
)
WRONG = [
    *(f'[variables]\n{name} = "x"\n' for name in VARIABLES.split()),
    '[variables]\n"A B" = "x"\n', '[variables]\n"A\\nB" = "x"\n', '[variables]\nA = "x\\u0000y"\n',
    "[variables]\nA = 1\n",
    '[variables.system]\nA = "#"\n', '[variables.system]\nA = "a\\nb"\n', '[variables]\nA = { b = "c" }\n',
    '[path]\nfirst = ["bin"]\n', '[path]\nfirst = ["/a:/b"]\n', '[path]\nfirst = ["/a\\u0000"]\n',
    '[path]\nfirst = "~/bin"\n',
    '[prerequisites]\npackages = ["-o"]\n', '[prerequisites]\npackages = ["a b"]\n',
    '[prerequisites]\npackages = [""]\n',
    '[prerequisites]\npackages = ["a\\nb"]\n', '[prerequisites]\npackages = { debian = ["--yes"] }\n',
    '[prerequisites]\npackages = ["$(id)"]\n', '[prerequisites]\npackages = ["./x.deb"]\n',
    "[prerequisites]\npackages = 1\n",
    '[feeds.h]\nkind = "index"\n', '[feeds.h]\nkind = "index"\nurl = "file:///etc"\n',
    '[feeds.h]\nkind = "index"\nurl = "http://["\n',
    '[feeds.h]\nkind = "index"\nurl = "http://a:b/"\n', '[feeds.h]\nkind = "index"\nurl = "ftp://a/"\n',
    '[feeds.h]\nkind = "what"\nurl = "http://a/"\n',
    '[feeds.h]\nkind = "index"\nurl = "http://a/ b"\n', '[feeds.h]\nkind = "index"\nurl = "http://a/\\u001b"\n',
    '[feeds.h]\nkind = "folder"\nurl = "relative"\n', '[feeds.h]\nkind = "json"\nurl = "http://a/"\n',
    '[feeds.h]\nkind = "index"\nurl = "http://a/"\nlargest = "huge"\n',
    '[feeds.h]\nkind = "index"\nurl = "http://a/"\nlargest = "8 GB\\n"\n',
    '[feeds."../h"]\nkind = "index"\nurl = "http://a/"\n', '[feeds.h]\nkind = "index"\nurl = 5\n',
    '[runtimes."../k"]\nwant = "1"\n', '[runtimes."1:bin"]\nwant = "1"\n', '[runtimes."k\\n"]\nwant = "1"\n',
    '[runtimes.k]\nwant = ""\n',
    '[runtimes.k]\nwant = "../../x"\n', '[runtimes.k]\nwant = ">="\n', '[runtimes.k]\nwant = "vnext"\n',
    "[runtimes.k]\n", "[runtimes.k]\nwant = 4\n",
    '[runtimes.k]\nwant = "4"\nalso = ["system"]\n', '[runtimes.k]\nwant = "4"\nfeed = "none"\n',
    '[runtimes.k]\nwant = "4"\nthrough = "none"\n',
    '[runtimes.k]\nwant = "4"\nextras = ["-g"]\n', '[runtimes.k]\nwant = "4"\nextras = ["a b"]\n',
    '[runtimes.k]\nwant = "4"\nlicence = "no"\n',
    f'[runtimes.k]\nwant = "{"9" * 5000}"\n', '[runtimes.k]\nwant = "4"\nwnat = "5"\n',
    "[recipes.k]\ncommands = []\n", '[recipes.k]\ncommands = ["a b"]\n', '[recipes.k]\ncommands = ["../a"]\n',
    '[recipes.k]\ncommands = ["-a"]\n',
    '[recipes.k]\ncommands = ["k"]\nbin = []\n', '[recipes.k]\ncommands = ["k"]\nbin = [".."]\n',
    '[recipes.k]\ncommands = ["k"]\nbin = ["a:b"]\n',
    '[recipes.k]\ncommands = ["k"]\nbin = ["/bin"]\n', '[recipes.k]\ncommands = ["k"]\nbin = ["a\\nb"]\n',
    f'{R}[[recipes.kelp.requirements]]\nfile = "k"\nform = "least"\npattern = "("\n',
    f'{R}[[recipes.kelp.requirements]]\nfile = "../k"\nform = "least"\npattern = "(a)"\n',
    f'{R}[recipes.kelp.program]\nfile = "../x"\nrun = "kelp x"\nexpect = "*"\n',
    f'{R}[recipes.kelp.program]\nfile = "/etc/x"\nrun = "kelp x"\nexpect = "*"\n',
    f'{R}[recipes.kelp.manager]\nlist = "l"\ninstall = "i"\nlocate = "w"\nline = "[0-9]"\n',
    f'{R}[recipes.kelp.manager]\nlist = "l"\ninstall = "i"\nlocate = "w"\nline = "(?P<version>"\n',
    f'{R}[recipes.kelp.on]\nruntime = "r"\nversion = "x"\n',
    f'{R}[recipes.kelp.feed]\nkind = "index"\nroot = "../x"\n',
    f'{R}[recipes.kelp.feed]\nkind = "index"\nlinks = {{ a = "/bin/sh" }}\n',
    f'{R}[recipes.kelp.build]\nsteps = ["x"]\nmessages = {{ "(" = "x" }}\n',
    f'{R}[recipes.kelp.completions]\nbash = "../x"\n', f'{R}[recipes.kelp.hooks]\nnosuch = "x"\n',
    '[[checks]]\nname = ""\nrun = "true"\n', '[[checks]]\nname = "a"\nrun = " "\n',
    '[[checks]]\nname = "a"\n', '[[checks]]\nname = "a"\nrun = "a\\u0000b"\n',
    '[[settings]]\nfile = "relative.json"\nkey = "a"\nvalue = 1\n',
    '[[settings]]\nfile = "~/../x.json"\nkey = "a"\nvalue = 1\n',
    '[[settings]]\nfile = "~/x.json"\nkey = ""\nvalue = 1\n', '[[settings]]\nfile = "~/x.json"\nkey = "a"\n',
    '[identity]\nname = "a\\nb"\n', '[identity]\nemail = " "\n', '[identity]\nkey = "dsa"\n',
    '[[identity.hosts]]\nname = "-oProxyCommand=id"\nfingerprint = "SHA256:{}"\n'.replace("{}", "a" * 43),
    '[[identity.hosts]]\nname = "a b"\nfingerprint = "SHA256:{}"\n'.replace("{}", "a" * 43),
    '[[identity.hosts]]\nname = "quay"\nfingerprint = "SHA256:{}\\n"\n'.replace("{}", "a" * 43),
    '[[identity.hosts]]\nname = "quay"\nport = 70000\nfingerprint = "SHA256:{}"\n'.replace("{}", "a" * 43),
    '[[identity.hosts]]\nname = "quay"\nuser = "-l"\nfingerprint = "SHA256:{}"\n'.replace("{}", "a" * 43),
    "[[conflicts.remove]]\n", '[[conflicts.remove]]\npath = "~"\n', '[[conflicts.remove]]\npath = "/usr"\n',
    '[[conflicts.remove]]\npath = "x"\n',
    '[[conflicts.remove]]\npackage = "-x"\n', '[[conflicts.remove]]\nalternative = "--all"\n',
    '[[conflicts.remove]]\nvariable = "A B"\n',
    '[conflicts]\npolicy = "burn"\n', '[shells]\nuse = "every"\n', '[shells]\nmissing = "always"\n',
    '[shells]\nhooks = { nosuch = "x" }\n',
    '[shells]\ncompletions.zsh = "complete.zsh"\n', '[path]\nfirst = ["~/a\\nb"]\n',
    '[variables.system]\nPATH = "/x"\n',
    '[variables.system]\nLD_PRELOAD = "/x.so"\n', '[variables.system]\nA = "a\\rb"\n',
    '[runtimes.k]\nwant = "4"\nextras = ["../x"]\n',
    '[runtimes.k]\nwant = "4"\nextras = ["/x"]\n', '[runtimes.k]\nwant = "4"\nextras = ["https://a/x.tgz"]\n',
    '[runtimes.k]\nwant = "4"\nextras = ["https://a@b/x@' + "a" * 64 + '"]\n',
    '[runtimes.k]\nwant = "4"\nextras = ["https://a/../x@' + "a" * 64 + '"]\n',
    '[runtimes.k]\nwant = "4"\nextras = ["file:///x@' + "a" * 64 + '"]\n',
    '[recipes.k]\ncommands = ["k"]\n[recipes.k.build]\nsteps = ["x"]\nearlier.want = ">="\n',
    '[recipes.k]\ncommands = ["k"]\n[recipes.k.program]\nfile = "a"\nrun = "a"\nexpect = "a"\nbase64 = "%%%"\n',
    '[recipes.k]\ncommands = ["k"]\n[recipes.k.manager]\nlist = "k \'list"\ninstall = "k"\nlocate = "k"\n',
    '[recipes.k]\ncommands = ["k"]\n[recipes.k.manager]\nlist = "k"\ninstall = "k"\nlocate = "k"\nhome = "~/../x"\n',
    '[recipes.k]\ncommands = ["k"]\n[recipes.k.manager]\nlist = "k"\ninstall = "k"\nlocate = "k"\nhome = "/etc/x"\n',
    ".".join(["a"] * 3000) + " = 1\n", "[" + ".".join(["a"] * 3000) + "]\n",
    "a = " + "{ b = " * 40 + "1" + " }" * 40 + "\n",
    "nosuch = 1\n", "[nosuch]\n", "a = \n", '"\n', NESTED, "title = 5\n", 'as-root = "please"\n', "\x00\n",
    "a = 1979-13-45\n",
]  # fmt: skip


def test_there_are_enough() -> None:
    assert len(WRONG) >= 100


@pytest.mark.parametrize("number", range(len(WRONG)))
def test_a_wrong_value_is_told_with_its_line(number: int) -> None:
    with pytest.raises(UsageProblem) as told:
        parse_manifest(WRONG[number], Path("/desk/workstation.toml"))
    text = str(told.value)
    assert "/desk/workstation.toml" in text
    assert "unexpected" not in text
    assert len(text) < 2000
    note(f"manifest: {WRONG[number][:60]!r}")


@settings(max_examples=150, deadline=None)
@given(st.text(max_size=300) | st.binary(max_size=300).map(lambda data: data.decode("latin-1")))
def test_whatever_a_manifest_holds_the_error_is_ours(text: str) -> None:
    for whole in (text, f"[runtimes.kelp]\nwant = {text}", f'[runtimes.kelp]\nwant = "{text}"'):
        try:
            parse_manifest(whole, Path("/desk/workstation.toml"))
        except Problem:
            continue


@settings(max_examples=150, deadline=None)
@given(st.binary(max_size=400), st.sampled_from(["workstation.toml", ".kelp-version", "package.json"]))
def test_whatever_a_project_holds_is_told_in_its_pins(content: bytes, name: str) -> None:
    recipe = Recipe(commands=("kelp",))
    for pin in read_pins(name, content, {"kelp": recipe}):
        assert pin.wrong or Want(pin.want)


@pytest.mark.parametrize(
    "text",
    [
        "9" * 5000,
        "[" * 5000,
        '{"a":' * 5000,
        "a = " + "[" * 5000,
        "\x1b]0;x\x07",
        "4\r\n",
        "\u202e4",
        "1:bin",
        "x" * MOST_BYTES * 2,
    ],
)
def test_a_pin_has_its_bounds(text: str, desk: Desk) -> None:
    desk.wants()
    for name in (".kelp-version", "workstation.toml", "package.json"):
        (desk.home / "project").mkdir(exist_ok=True)
        (desk.home / "project" / name).write_text(text)
    answer = desk.run("list", "-m", str(desk.manifest), "--json")
    assert answer.code in (0, 2), answer.err
    assert "unexpected" not in answer.err
    assert "\x1b" not in answer.err + answer.out
    note(f"pin: {text[:20]!r}")


CHECKED = '[[checks]]\nname = "a"\nrun = "touch ~/it-ran"\n'


def test_a_manifest_that_was_never_agreed_to_runs_nothing(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    there = desk.write(desk.manifest.read_text() + CHECKED, "checkout/workstation.toml")
    for command in ("verify", "provision"):
        refused = desk.run(command, "-m", str(there))
        assert refused.code == 5, refused.out + refused.err
        assert "is new on this machine. It sets as-root, [shells] use, [feeds] harbour" in refused.err
        assert f"--trust {there}" in refused.err
    assert not (desk.home / "it-ran").exists()
    assert desk.run("preview", "-m", str(there)).code == 0
    assert desk.run("list", "-m", str(there)).code == 0
    there.write_text(desk.manifest.read_text().replace('run = "', 'run = "touch ~/it-ran; '))
    assert "it-ran" in there.read_text()
    for command in ("survey", "list", "preview", "trace"):
        desk.well(command, *(["kelp"] if command == "trace" else []), "-m", str(there))
    assert not (desk.home / "it-ran").exists()
    there.write_text(desk.manifest.read_text() + CHECKED)
    pending = 3  # the shells still know the other manifest
    assert desk.run("verify", "-m", str(there), "--trust", str(there)).code == pending
    assert (desk.home / "it-ran").exists()
    assert desk.run("verify", "-m", str(there)).code == pending
    there.write_text(there.read_text() + CHECKED.replace('"a"', '"b"'))
    asked = desk.run("verify", "-m", str(there)).err
    assert "has changed since you trusted it: checks: added 1 entry" in asked
    note("manifest: never agreed to")


def test_an_install_that_a_strangers_manifest_names_is_not_run(desk: Desk) -> None:
    for name in ("lua", "luac"):
        desk.write("#!/bin/sh\ntouch ~/it-ran\necho Lua 5.4.4\n", f"checkout/payload-5.4.4/bin/{name}").chmod(
            0o755
        )
    named = f'[runtimes.lua]\nwant = "system"\nsystem = "{desk.home}/checkout/payload-5.4.4"\n'
    there = desk.write(f'[shells]\nuse = ["bash"]\n{named}', "checkout/workstation.toml")
    for command in ("verify", "provision"):
        refused = desk.run(command, "-m", str(there))
        assert refused.code == 5, refused.out + refused.err
        assert "[runtimes] lua" in refused.err
    for command in ("preview", "list", "survey"):
        desk.well(command, "-m", str(there))
    assert not (desk.home / "it-ran").exists()
    note("manifest: names an install")


@pytest.mark.skipif(not is_root(), reason="as another user nothing runs as root")
def test_leave_to_run_as_root_is_not_taken_from_a_stranger(desk: Desk) -> None:
    there = desk.write(
        'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[runtimes.lua]\nwant = "5.4"\n',
        "checkout/workstation.toml",
    )
    refused = desk.run("provision", "-m", str(there))
    assert refused.code == 5, refused.out + refused.err
    assert "It sets as-root, " in refused.err
    note("manifest: as root")


@pytest.mark.skipif(not is_root(), reason="giving a file to somebody else needs root")
@pytest.mark.parametrize("how", ["owner", "others", "folder", "link"])
def test_a_manifest_in_other_hands_is_refused(desk: Desk, how: str) -> None:
    desk.wants()
    there = desk.write(desk.manifest.read_text() + CHECKED, "checkout/workstation.toml")
    desk.manifest.unlink()
    if how == "owner":
        os.chown(there, 1234, 1234)
    elif how == "others":
        there.chmod(0o666)
    elif how == "folder":
        there.parent.chmod(0o777)
    else:
        there.rename(desk.home / "elsewhere.toml")
        os.chown(desk.home / "elsewhere.toml", 1234, 1234)
        there.symlink_to("../elsewhere.toml")
    for command in ("verify", "provision"):
        refused = desk.run(command, "-m", str(there), "--trust", str(there))
        assert refused.code == 2
        assert "is not taken at its word" in refused.err
    assert not (desk.home / "it-ran").exists()
    note(f"manifest: in other hands, {how}")


@pytest.mark.skipif(not is_root(), reason="giving a file to somebody else needs root")
def test_a_strangers_pin_is_never_installed(desk: Desk) -> None:
    desk.wants('[shells]\nmissing = "install"\n')
    desk.well("provision")
    pin = desk.write("3.6\n", "project/.kelp-version")
    os.chown(pin, 1234, 1234)
    done = desk.run("provision", "-m", str(desk.manifest))
    assert done.code == 0
    assert not (desk.shelf / "kelp/3.6.2").exists()
    note("pin: a stranger's")


def test_a_pin_is_not_written_through_a_link(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    (desk.home / ".vimrc").write_text("set nu\n")
    (desk.home / "project").mkdir()
    (desk.home / "project/.kelp-version").symlink_to("../.vimrc")
    refused = desk.run("switch", "kelp", "4.2.1", "--project", cwd=desk.home / "project")
    assert refused.code == 2 and "is a link" in refused.err
    assert (desk.home / ".vimrc").read_text() == "set nu\n"
    note("pin: a link")


@pytest.mark.parametrize(
    "folder",
    [".local/share/zesty-anchor", ".local/state/zesty-anchor", ".cache/zesty-anchor", ".config/zesty-anchor"],
)
def test_a_folder_of_ours_that_others_may_write_is_not_believed(desk: Desk, folder: str) -> None:
    desk.wants()
    desk.well("provision")
    (desk.home / folder).mkdir(exist_ok=True)
    (desk.home / folder).chmod(0o777)
    refused = desk.run("verify")
    assert refused.code == 2
    assert f"chmod go-w {desk.home / folder}" in refused.err
    if is_root():
        (desk.home / folder).chmod(0o755)
        os.chown(desk.home / folder, 1234, 1234)
        assert "belongs to another user" in desk.run("verify").err
    assert oct((desk.home / ".local/state/zesty-anchor/journal.db").stat().st_mode & 0o777) == "0o600"
    note(f"folder: {folder}")


def test_a_lock_that_was_edited_is_asked_about(
    desk: Desk, make_feed: Callable[..., str], tmp_path: Path
) -> None:
    """With an agreed manifest somebody edits only the lock: what it names now is not taken, and told in
    differences.
    """
    desk.wants()
    there = desk.write(desk.manifest.read_text(), "checkout/workstation.toml")
    desk.manifest.unlink()
    desk.well("provision", "-m", str(there), "--trust", str(there))
    desk.well("lock", "-m", str(there))
    assert desk.run("provision", "-m", str(there)).code == 0, (
        "the person's own lock is agreed to as it is written"
    )
    desk.well("undo", "--yes")
    evil = pack(
        "kelp-4.2.1", {"bin/kelp": (b"#!/bin/sh\ntouch ~/it-ran\necho kelp 4.2.1\n", 0o755)}, "tar.gz"
    )
    elsewhere = make_feed({"kelp-4.2.1.tgz": evil}).replace("127.0.0.1", "localhost")
    lock = there.with_suffix(".lock")
    whole = lock.read_text()
    edited = re.sub(r'url = "[^"]*"', f'url = "{elsewhere}kelp-4.2.1.tgz"', whole)
    edited = re.sub(r'digest = "[^"]*"', f'digest = "sha256:{hashlib.sha256(evil).hexdigest()}"', edited)
    lock.write_text(re.sub(r"size = [0-9]+", f"size = {len(evil)}", edited))
    refused = desk.run("provision", "-m", str(there))
    assert refused.code == 5
    assert "kelp 4.2.1 would come from a different host than before (localhost" in refused.err
    assert "kelp 4.2.1 would have a different digest than before" in refused.err
    assert "[feeds]" not in refused.err, "never the whole again"
    (tmp_path / "evil.tgz").write_bytes(evil)
    lock.write_text(re.sub(r'url = "[^"]*"', f'url = "file://{tmp_path}/evil.tgz"', edited))
    assert desk.run("provision", "-m", str(there)).code == 5
    refused = desk.run("provision", "-m", str(there), "--trust", str(there))
    assert refused.code == 2 and "which is no address of the web" in refused.err
    lock.write_text(whole)
    desk.well("provision", "-m", str(there))
    assert not (desk.home / "it-ran").exists()
    note("manifest: an edited lock")


def test_a_key_beside_the_manifest_is_agreed_to_with_it(desk: Desk) -> None:
    desk.wants()
    text = desk.manifest.read_text().replace('kind = "index"', 'kind = "index"\nkey = "keys/harbour.asc"')
    desk.manifest.unlink()
    key = desk.write("a key\n", "checkout/keys/harbour.asc")
    there = desk.write(text, "checkout/workstation.toml")
    desk.run("verify", "-m", str(there), "--trust", str(there))
    assert desk.run("verify", "-m", str(there)).code != 5
    key.write_text("another key\n")
    asked = desk.run("verify", "-m", str(there))
    assert asked.code == 5 and "the content of keys/harbour.asc has changed" in asked.err
    note("manifest: another key")


@pytest.mark.skipif(not is_root(), reason="giving a file to somebody else needs root")
@pytest.mark.parametrize("which", ["workstation.lock", "keys/harbour.asc"])
def test_what_is_beside_a_manifest_may_not_be_in_other_hands(desk: Desk, which: str) -> None:
    desk.wants()
    text = desk.manifest.read_text().replace('kind = "index"', 'kind = "index"\nkey = "keys/harbour.asc"')
    there = desk.write(text, "checkout/workstation.toml")
    desk.write("a key\n", "checkout/keys/harbour.asc")
    os.chown(desk.write("", f"checkout/{which}"), 1234, 1234)
    refused = desk.run("provision", "-m", str(there), "--trust", str(there))
    assert refused.code == 2 and f"{which} is not taken at its word" in refused.err
    note(f"manifest: {which} in other hands")


@pytest.mark.parametrize(
    "more",
    [
        '[conflicts]\npolicy = "remove"\n',
        '[feeds.deep]\nkind = "index"\nurl = "http://127.0.0.1:1/"\nsignature = "not offered"\n',
        '[shells]\nmissing = "install"\n',
    ],
)
def test_what_was_once_taken_unasked_is_asked_about(desk: Desk, more: str) -> None:
    there = desk.write(f'[runtimes.lua]\nwant = "5.4"\n{more}', "checkout/workstation.toml")
    assert desk.run("provision", "-m", str(there)).code == 5
    for key in ("unpinned", "licence"):
        there.write_text(f'[runtimes.lua]\nwant = "5.4"\n{key} = "accepted"\n')
        assert desk.run("provision", "-m", str(there)).code == 5
    note(f"manifest: {more[:20]!r} unasked")


def test_many_wrong_keys_are_counted_and_the_first_twenty_told() -> None:
    for text in (
        '[feeds.h]\nkind = "index"\nurl = "http://a/"\n' + "".join(f"key{n} = 1\n" for n in range(400)),
        "".join(f"[table{n}]\n" for n in range(50_000)),
    ):
        began = time.monotonic()
        with pytest.raises(Problems) as told:
            parse_manifest(text, Path("/desk/workstation.toml"))
        assert len(told.value.each) == 21
        assert "more errors in it" in told.value.each[-1].what
        plain = time.monotonic()
        tomllib.loads(text)
        assert time.monotonic() - began < 60 * (time.monotonic() - plain) + 5, "linear"
    note("manifest: 50,000 tables that are none")


@pytest.mark.parametrize(
    ("text", "what", "line"),
    [
        ('[runtimes.kelp]\nwant = "4"\n[recipes.kelp]\ncommands = ["kelp"]\non = { runtime = "coral", version = "(.*)" }\n', "is not in the manifest", 5),
        (
            '[recipes.a]\ncommands = ["a"]\non = { runtime = "b", version = "(.*)" }\n[recipes.b]\ncommands = ["b"]\n'
            'on = { runtime = "a", version = "(.*)" }\n[runtimes.a]\nwant = "1"\n[runtimes.b]\nwant = "1"\n',
            "circular dependency", 3,
        ),
        ('[recipes.a]\ncommands = ["x"]\n[recipes.b]\ncommands = ["x"]\n[runtimes.a]\nwant = "1"\n[runtimes.b]\nwant = "1"\n', "both give", 7),
        ('[feeds.h]\nkind = "index"\nurl = "http://127.0.0.1:1/"\nkey = "none.asc"\n',
        "key file none.asc does not exist", 4),
        ('[prerequisites.sources.h]\nurl = "https://a/"\nkey = "none.asc"\n',
        "key file none.asc does not exist", 3),
        ('[shells]\nhooks.bash = "if true; then"\n', "bash cannot parse this hook", 2),
    ],
)  # fmt: skip
def test_what_cannot_be_together_is_reported_before_a_feed_is_asked(
    desk: Desk, text: str, what: str, line: int
) -> None:
    desk.write(text)
    answer = desk.run("provision")
    assert answer.code == 2, answer.out + answer.err
    assert what in answer.err and f"workstation.toml:{line}" in answer.err
    assert not (desk.home / ".cache").exists(), "no feed was asked"
    note(f"manifest: {what}")


def test_a_home_with_a_colon_is_refused_before_anything_is_done(tmp_path: Path, kelp_feed: str) -> None:
    (tmp_path / "a:b").mkdir()
    desk = Desk(tmp_path / "a:b", kelp_feed)
    desk.wants()
    for command in ("provision", "preview", "verify"):
        refused = desk.run(command)
        assert refused.code == 2 and "contains a colon" in refused.err
    assert [path.name for path in desk.home.iterdir()] == ["workstation.toml"]
    note("folder: a home with a colon")


PINNED = {
    "nested": '{"a":' * 100_000 + "1" + "}" * 100_000,
    "a long number": '{"engines": {"kelp": ' + "9" * 5000 + "}}",
    "a long text": '{"engines": {"kelp": "' + "9" * 5000 + '"}}',
}


@pytest.mark.parametrize("how", PINNED)
def test_a_project_s_file_of_any_form_prints_nothing_of_itself(desk: Desk, how: str) -> None:
    recipe = '[[recipes.kelp.requirements]]\nfile = "package.json"\nform = "npm"\nfield = "engines.kelp"\n'
    desk.wants(recipe)
    desk.well("provision")
    desk.write(PINNED[how], "project/package.json")
    entered = desk.run("pins", str(desk.home / "project/package.json"))
    assert entered.code == 0 and "Traceback" not in entered.err and "999" not in entered.err + entered.out
    listed = desk.run("list", cwd=desk.home / "project")
    assert listed.code == 0 and "9" * 300 not in listed.out + listed.err
    note(f"pin: {how}")


def test_a_pin_that_is_a_link_to_a_private_file_prints_nothing_of_it(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    desk.write("the-harbour-s-password\n", "private").chmod(0o600)
    (desk.home / "project").mkdir()
    (desk.home / "project/.kelp-version").symlink_to("../private")
    said = subprocess.run(
        ["bash", "-i"], input="cd project\n", cwd=desk.home, capture_output=True, text=True, check=False,
        env={"HOME": str(desk.home), "PATH": login_path(), "TERM": "dumb", "LANG": "C.UTF-8"},
    )  # fmt: skip
    answers = "".join(
        path.read_text() for path in (desk.home / ".cache/zesty-anchor/pins").rglob("*=") if path.is_file()
    )
    for text in (said.stdout, said.stderr, answers, desk.run("list", cwd=desk.home / "project").out):
        assert "password" not in text
    assert "is a symbolic link to a file with another name" in answers
    desk.write("4.2\n", "other/.kelp-version")
    (desk.home / "project/.kelp-version").unlink()
    (desk.home / "project/.kelp-version").symlink_to("../other/.kelp-version")
    assert "project, by" in desk.run("list", cwd=desk.home / "project").out, (
        "a link to such a file is followed"
    )
    note("pin: a link to a private file")


def test_an_executable_with_a_long_name_stops_nothing(desk: Desk, offer: Callable[..., str]) -> None:
    files = {**kelp("4.2.1"), f"bin/{'k' * 245}": (b"#!/bin/sh\n", 0o755)}
    desk.wants(url=offer(pack("kelp-4.2.1", files, "tar.gz")))
    desk.well("provision")
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"
    desk.well("dismantle", "--yes")
    note("archive: an executable with a long name")


@pytest.mark.needs("bash", "zsh", "ksh", "mksh", "tcsh")
@pytest.mark.parametrize("end", ["\\\n", "\\", "x \\\n", "\\\\\n"])
def test_a_last_line_that_ends_in_a_backslash_stops_no_shell(desk: Desk, end: str) -> None:
    for name in (".bashrc", ".zshrc", ".kshrc", ".mkshrc", ".tcshrc", ".profile"):
        desk.write(f"alias t=ls\n: {end}", name)
    desk.wants('[shells]\nuse = "all"\n')
    before = {name: (desk.home / name).read_bytes() for name in (".bashrc", ".zshrc", ".tcshrc", ".profile")}
    assert desk.well("provision", "--json").json["proof"]["ok"]
    for shell in ("bash", "zsh", "tcsh"):
        assert (
            desk.shell(shell, "kelp --version", *(["-i"] if shell != "tcsh" else [])).strip() == "kelp 4.2.1"
        )
    desk.well("undo")
    assert {name: (desk.home / name).read_bytes() for name in before} == before
    note("manifest: a backslash at the end")


@pytest.mark.skipif(not is_root(), reason="giving a folder to somebody else needs root")
@pytest.mark.parametrize("how", ["a link of theirs", "a folder of theirs", "a shared folder"])
def test_a_folder_of_others_is_neither_written_nor_removed(desk: Desk, open_room: Path, how: str) -> None:
    """A shared cache in which another user put a link, named like ours, to the victim's own documents."""
    documents = desk.home / "documents"
    documents.mkdir(mode=0o700)
    (documents / "letter").write_text("mine\n")
    shared = open_room / "cache"
    shared.mkdir()
    shared.chmod(0o777 if how != "a link of theirs" else 0o1777)
    if how == "a link of theirs":
        (shared / "zesty-anchor").symlink_to(documents)
        os.chown(shared / "zesty-anchor", 4242, 4242, follow_symlinks=False)
    elif how == "a folder of theirs":
        os.chown(shared, 4242, 4242)
    desk.environment["XDG_CACHE_HOME"] = str(shared)
    desk.wants()
    for words in (("provision",), ("dismantle", "--yes"), ("undo", "--yes")):
        refused = desk.run(*words)
        assert refused.code == 2, refused.out + refused.err
        assert "4242" in refused.err or "everybody may write into" in refused.err
    assert (documents / "letter").read_text() == "mine\n"
    assert oct(documents.stat().st_mode & 0o777) == "0o700"
    note(f"folder: {how}")
