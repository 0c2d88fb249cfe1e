"""A provisioned home is broken: verify must find it, name the cause, and what is to be done must work."""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import tarfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pexpect
import pytest

from tests.conftest import KELP_SOURCE, PROGRAM, Desk
from tests.proof.sabotages import SABOTAGES, Sabotage
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import write_index, write_runtime
from zesty_anchor.system.host import login_path

MANIFEST = """
[shells]
use = "all"
startup = "4000 ms"
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {version}"
[recipes.kelp.extras]
install = 'printf "#!/bin/sh\\\\necho tidy\\\\n" >"$FOLDER/bin/$NAME"; chmod +x "$FOLDER/bin/$NAME"'
[runtimes.kelp]
want = "lts"
also = ["3.6"]
extras = ["tidy"]
[variables]
GAUGE = "north quay"
CALM = ""
KELP_AT = "{kelp}"
[path]
first = ["~/bin"]
[identity]
name = "Tide Desk"
email = "desk@tide.example"
[[settings]]
file = "~/.config/tide/desk.ini"
form = "ini"
key = ["desk", "water"]
value = "calm"
[[checks]]
name = "the gauge is there"
file = "gauge"
[[checks]]
name = "the water is high"
run = "cat readings"
expect = "high *"
"""
SAMPLE = 9
"""In CI each ninth of them; ``scripts/sabotage`` takes all."""


@pytest.fixture(scope="session")
def broken(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Desk, Path]]:
    """A provisioned home, and a copy of it to begin from again."""
    room = tmp_path_factory.mktemp("sabotage")
    folder, home = room / "feed", room / "home"
    folder.mkdir()
    home.mkdir()
    releases = []
    for version, channels in (("4.2.1", ("lts",)), ("3.6.2", ())):
        archive = with_a_link(f"kelp-{version}", KELP_SOURCE.replace("@VERSION@", version).encode())
        releases.append((version, "2026-06-30", channels, "any", f"kelp-{version}.tar", archive))
    write_runtime(folder, "kelp", releases)
    write_index(folder, ["kelp"])
    (home / "bin").mkdir()
    (home / "old").mkdir()
    (home / "old/kelp").write_text("#!/bin/sh\necho kelp 1\n")
    (home / "old/kelp").chmod(0o755)
    (home / "readings").write_text("high water\n")
    (home / "gauge").write_text("2.4 m\n")
    (home / ".bashrc").write_text("# mine\n")
    with Host(folder) as serving:
        desk = Desk(home, serving.url)
        desk.write(f'as-root = "allowed"\n[feeds.harbour]\nkind = "index"\nurl = "{serving.url}"\n{MANIFEST}')
        desk.well("provision")
        assert desk.well("verify", "--deep", "--json").json["state"] == "ok"
        copy = room / "copy"
        subprocess.run(["cp", "-a", home, copy], check=True)
        yield desk, copy


def with_a_link(top: str, command: bytes) -> bytes:
    plain = io.BytesIO()
    with tarfile.open(fileobj=plain, mode="w") as archive:
        for name, content, mode in (("bin/kelp", command, 0o755), ("lib/tables", b"high 2.4 m\n", 0o644)):
            member = tarfile.TarInfo(f"{top}/{name}")
            member.size, member.mode = len(content), mode
            archive.addfile(member, io.BytesIO(content))
        link = tarfile.TarInfo(f"{top}/bin/kelp-link")
        link.type, link.linkname = tarfile.SYMTYPE, "kelp"
        archive.addfile(link)
    return plain.getvalue()


def chosen() -> list[str]:
    names = list(SABOTAGES)
    return names if os.environ.get("ZESTY_ANCHOR_SABOTAGES") == "all" else names[::SAMPLE]


@pytest.mark.needs("bash", "zsh", "fish", "ksh", "mksh", "tcsh")
@pytest.mark.parametrize("name", chosen())
def test_what_is_broken_is_found_with_its_cause_and_put_right(broken: tuple[Desk, Path], name: str) -> None:
    desk, copy = broken
    shutil.rmtree(desk.home)
    subprocess.run(["cp", "-a", copy, desk.home], check=True)
    done = SABOTAGES[name]
    sabotage(desk, done.do)
    told = desk.run("verify", "--json", *done.options)
    seen = told.json
    assert told.code in (3, 4, 6), told.out
    if "shells" not in seen:
        assert seen["errors"][0]["advice"], (
            "the comparison itself could not be made: that is told with a way out"
        )
    else:
        assert (seen["ok"], seen["exit"]) == (False, told.code)
        looked_at(seen, done)
        if not done.fixes:
            fixed(seen, desk)
    again = desk.run("provision", "--yes", *done.options)
    after = desk.run("verify", "--json", *done.options)
    assert after.json.get("state") == "ok", f"{again.out}{again.err}\n{brief(after.json)}"
    if done.kept:
        state = desk.home / ".local/state/zesty-anchor/attic"
        assert any(
            done.kept in file.read_text("utf-8", "replace")
            for top in (desk.home, state)
            for file in [*top.glob(".*"), *top.glob("*"), *top.glob("**/*")]
            if file.is_file() and file.name != "journal.db"
        )


def brief(seen: Any) -> list[str]:
    """What is not well, in a few lines."""
    if "shells" not in seen:
        return [str(seen)]
    failed = [
        f"{s['shell']} ({s['context']}): {c}" for s in seen["shells"] for c in s["checks"] if not c["ok"]
    ]
    return [*failed[:6], *map(str, seen["drift"])]


def sabotage(desk: Desk, script: str) -> None:
    data = desk.home / ".local/share/zesty-anchor"
    add = desk.home.parent / "add"
    add.write_text('#!/bin/sh\nmkdir -p "$(dirname "$1")"; printf "%s\\n" "$2" >>"$1"\n')
    add.chmod(0o755)
    environment = {
        "HOME": str(desk.home),
        "PATH": login_path(),
        "SHELF": str(desk.shelf),
        "DATA": str(data),
        "RC": str(add),
    }
    subprocess.run(["/bin/sh", "-ec", script], cwd=desk.home, env=environment, check=True)


def looked_at(seen: Any, done: Sabotage) -> None:
    """Check that it was found where it must be, with its cause."""
    failed = [(s["shell"], c) for s in seen["shells"] for c in s["checks"] if not c["ok"]]
    for shell, check in failed:
        assert check["cause"] is not None and check["fix"], (
            f"{check['name']} in {shell}: no cause, or no way out: {check}"
        )
    if not done.check:
        assert not failed and seen["state"] in ("changed", "pending"), brief(seen)
        assert any(each["place"].endswith(done.cause) for each in seen["drift"]), seen["drift"]
        return
    of_check = [check for _, check in failed if check["name"] == done.check]
    assert of_check, brief(seen)
    if done.shells:
        assert {shell for shell, check in failed if check in of_check} == set(done.shells), brief(seen)
        assert {shell for shell, _ in failed} == set(done.shells), brief(seen)
    assert not [each for each in of_check if done.cause not in place(each["cause"])]


def place(cause: Any) -> str:
    return f"{cause['file']}:{cause['line']}" if cause["line"] else cause["file"]


def fixed(seen: Any, desk: Desk) -> None:
    """Take every fix that is offered; what the person's own check looks at, they put right themselves."""
    if not seen["fixes"]:
        (desk.home / "readings").write_text("high water\n")
        (desk.home / "gauge").write_text("2.4 m\n")
        return
    environment = {"HOME": str(desk.home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}
    child: Any = pexpect.spawn(
        str(PROGRAM), ["verify", "--fix"], env=environment, cwd=str(desk.home), timeout=90, encoding="utf-8"
    )
    while child.expect([r"\[n\]: |\[y/N\]: ", pexpect.EOF]) == 0:
        child.sendline("y")
    child.close()
    assert child.exitstatus == 0, child.before
    assert desk.run("verify", "--json").json["state"] == "ok"
