"""A team's base that a key signs: pinned by the lock, and a newer text is shown before it counts. The
signatures are made by the real gpg and git.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.commands.test_bases import TEAM, told
from tests.commands.test_json import has_shape
from tests.conftest import Desk
from zesty_anchor.show.shapes import DOCUMENTS

pytestmark = [pytest.mark.needs("bash"), pytest.mark.needs("gpg")]


class Keeper:
    """Whoever keeps the base: a key of theirs, and what it signs."""

    def __init__(self, home: Path) -> None:
        home.mkdir(mode=0o700)
        self.environ = {**os.environ, "GNUPGHOME": str(home)}
        self.gpg("--quick-gen-key", "--passphrase", "", "Tide desk <desk@tide.example>", "ed25519", "sign")
        self.public = home / "desk.asc"
        self.public.write_bytes(self.gpg("--armor", "--export"))

    def gpg(self, *words: str, text: bytes = b"") -> bytes:
        run = subprocess.run(
            ["gpg", "--batch", "--quiet", *words], input=text, capture_output=True, env=self.environ
        )
        assert run.returncode == 0, run.stderr
        return run.stdout

    def signature(self, text: bytes) -> bytes:
        return self.gpg("--armor", "--detach-sign", text=text)

    def does(self, command: str, folder: Path) -> None:
        """Run what was advised."""
        run = subprocess.run(
            command, shell=True, cwd=folder, env=self.environ, capture_output=True, text=True
        )
        assert run.returncode == 0, f"{command}: {run.stderr}"

    def git(self, repository: Path, *words: str) -> str:
        who = ("-c", "user.name=Tide Desk", "-c", "user.email=desk@tide.example")
        run = subprocess.run(
            ["git", "-C", str(repository), *who, *words], capture_output=True, text=True, env=self.environ
        )
        assert run.returncode == 0, run.stderr
        return run.stdout.strip()


class Served:
    """A folder that a web server serves."""

    def __init__(self, make_feed: Callable[..., str], tmp_path: Path) -> None:
        self.address, self.folder = make_feed({}) + "workstation.toml", tmp_path / "feed0"

    def put(self, text: bytes, signature: bytes = b"") -> None:
        (self.folder / "workstation.toml").write_bytes(text)
        if signature:
            (self.folder / "workstation.toml.asc").write_bytes(signature)


@pytest.fixture
def served(make_feed: Callable[..., str], tmp_path: Path) -> Served:
    return Served(make_feed, tmp_path)


@pytest.fixture
def keeper(tmp_path: Path) -> Iterator[Keeper]:
    home = Path("/tmp", f"gnupg-{os.getpid()}-{tmp_path.name[-12:]}")  # its socket needs a short path
    shutil.rmtree(home, ignore_errors=True)
    yield Keeper(home)
    subprocess.run(["gpgconf", "--kill", "all"], env={**os.environ, "GNUPGHOME": str(home)}, check=False)
    shutil.rmtree(home, ignore_errors=True)


def test_a_signed_base_is_pinned_and_its_newer_text_is_shown_first(
    desk: Desk, keeper: Keeper, served: Served
) -> None:
    first = TEAM.format(url=desk.url).encode()
    second = first.replace(b"north quay", b"south quay").replace(b'want = "3.6"', b'want = "4.2"')
    served.put(first, keeper.signature(first))
    address = served.address
    shutil.copy(keeper.public, desk.home / "desk.asc")
    desk.write(f'base = {{ url = "{address}", key = "desk.asc" }}\n')
    unpinned = desk.run("preview")
    assert unpinned.code == 2 and "is not pinned yet" in unpinned.err
    assert "workstation.toml:1" in unpinned.err and "zesty-anchor lock --base" in unpinned.err
    asked = desk.run("lock", "--base")
    assert asked.code == 5 and "[runtimes] kelp" in asked.err and "[variables] GAUGE" in asked.err
    assert not (desk.home / "workstation.lock").exists()
    assert "1 base pinned in ~/workstation.lock" in desk.well("lock", "--base", "--yes").out
    desk.well("provision", "--trust", "workstation.toml")
    assert told(desk, 'kelp --version; echo "$GAUGE"') == ["kelp 3.6.2", "north quay"]
    assert "newest text" in desk.well("lock", "--base").out

    served.put(second, keeper.signature(second))
    assert "Nothing to do" in desk.well("provision").out, "the pinned text counts"
    assert "has a newer text: zesty-anchor lock --base" in desk.well("upgrade", "--list").out
    shown = desk.run("lock", "--base")
    assert shown.code == 5
    assert 'variables.GAUGE was "north quay" and is now "south quay"' in shown.err
    assert 'runtimes.kelp.want was "3.6" and is now "4.2"' in shown.err
    answer = json.loads(desk.well("lock", "--base", "--yes", "--json").out)
    has_shape(answer, DOCUMENTS["lock --base"])
    assert list(answer["bases"]) == answer["changed"] == [address] and len(answer["differences"]) == 2
    asked = desk.run("provision")
    assert asked.code == 5 and "GAUGE" in asked.err, "nobody has read it: --yes is no agreement"
    desk.well("provision", "--trust", "workstation.toml")
    assert told(desk, 'kelp --version; echo "$GAUGE"') == ["kelp 4.2.1", "south quay"]

    desk.well("lock")
    assert address in (desk.home / "workstation.lock").read_text(), "a lock of the wants keeps the pins"
    desk.well("lock", "--upgrade", "kelp")
    assert "Nothing to do" in desk.well("lock", "--base").out


def test_a_text_that_the_key_did_not_sign_is_never_pinned(desk: Desk, keeper: Keeper, served: Served) -> None:
    text = TEAM.format(url=desk.url).encode()
    served.put(text)
    address = served.address
    shutil.copy(keeper.public, desk.home / "desk.asc")
    desk.write(f'base = {{ url = "{address}", key = "desk.asc" }}\n')
    unsigned = desk.run("lock", "--base", "--yes")
    assert (
        unsigned.code == 2 and "is not signed" in unsigned.err and "gpg --armor --detach-sign" in unsigned.err
    )
    served.put(text + b"# changed\n", keeper.signature(text))
    changed = desk.run("lock", "--base", "--yes")
    assert changed.code == 2 and "does not hold" in changed.err
    assert not (desk.home / "workstation.lock").exists()
    served.put(text)
    (served.folder / "workstation.toml.asc").unlink()
    unsigned = desk.run("lock", "--base", "--yes")
    keeper.does(unsigned.err.partition("to sign it: ")[2], served.folder)
    desk.well("lock", "--base", "--yes")
    shutil.rmtree(desk.home / ".cache")
    served.put(text + b"# changed\n", keeper.signature(text + b"# changed\n"))
    gone = desk.run("preview")
    assert gone.code == 2 and "has changed" in gone.err and "lock --base" in gone.err
    took = desk.run("lock", "--base")
    assert took.code == 5 and "[variables] GAUGE" in took.err, "without the old text it says what is set"
    for wrong in ('digest = "sha256:x", key = "desk.asc"', "key = 7", 'branch = "main", key = "desk.asc"'):
        desk.write(f'base = {{ url = "{address}", {wrong} }}\n')
        refused = desk.run("preview")
        assert refused.code == 2 and "workstation.toml:1" in refused.err, refused.err
    desk.write(f'base = {{ url = "{address}", kee = "desk.asc" }}\n')
    assert "base has no key 'kee'" in (misspelt := desk.run("preview").err) and "'key'?" in misspelt
    desk.write(f'base = {{ url = "{address}", key = "none.asc" }}\n')
    assert f"workstation.toml:1; {desk.home}/none.asc" in desk.run("lock", "--base").err
    desk.write('[variables]\nGAUGE = "7"\n')
    none = desk.run("lock", "--base")
    assert none.code == 2 and "no base of ~/workstation.toml is signed by a key" in none.err


@pytest.mark.needs("git")
def test_a_base_in_a_repository_is_the_signed_tip_of_its_branch(
    desk: Desk, keeper: Keeper, tmp_path: Path
) -> None:
    repository = tmp_path / "team"
    repository.mkdir()

    def commit(text: str, *words: str) -> str:
        (repository / "quay.toml").write_text(text)
        keeper.git(repository, "add", ".")
        keeper.git(repository, "commit", "-q", *words)
        return keeper.git(repository, "rev-parse", "HEAD")

    keeper.git(repository, "init", "-q", "-b", "desk")
    text = TEAM.format(url=desk.url)
    first = commit(text, "--gpg-sign", "-m", "the quay's desk: N\u00f6rdlich\n\n at the tide table")
    shutil.copy(keeper.public, desk.home / "desk.asc")
    base = f'git = "file://{repository}", file = "quay.toml", key = "desk.asc"'
    desk.write(f"base = {{ {base} }}\n")
    desk.well("lock", "--base", "--yes")
    assert f'"commit:{first}"' in (desk.home / "workstation.lock").read_text()
    desk.well("provision", "--trust", "workstation.toml")
    assert told(desk, 'echo "$GAUGE"') == ["north quay"]
    commit(text.replace("north", "south"), "--no-gpg-sign", "-m", "by nobody")
    unsigned = desk.run("lock", "--base", "--yes")
    assert unsigned.code == 2 and "is not signed" in unsigned.err
    advice = unsigned.err.partition("to sign its commits: ")[2].strip()
    assert advice == "git commit --gpg-sign"
    keeper.git(repository, *advice.split()[1:], "-q", "--amend", "--no-edit")
    desk.well("lock", "--base", "--yes")
    keeper.git(repository, "reset", "-q", "--hard", first)
    desk.well("lock", "--base", "--yes")
    assert "Nothing to do" in desk.well("provision", "--offline").out
    third = commit(text.replace("north", "west"), "--gpg-sign", "-m", "by the desk")
    desk.well("lock", "--base", "--yes")
    assert f'"commit:{third}"' in (desk.home / "workstation.lock").read_text()
    desk.write(f'base = {{ {base}, branch = "none" }}\n')
    (desk.home / "workstation.lock").unlink()
    none = desk.run("lock", "--base")
    assert none.code == 2 and "refs/heads/none" in none.err
