"""What changes while a shell sits in a folder is seen at its next prompt, and a cd of the person's own is
followed.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Desk
from tests.shells.test_open_shells import FOLLOWING, opened, typed

TWO = """
[recipes.brine]
commands = ["brine"]
[recipes.brine.version]
run = "brine --version"
expect = "brine {version}"
"""


@pytest.fixture
def quay(desk: Desk, tmp_path: Path, make_feed: Any, shell: str) -> Desk:
    """Two runtimes, each in two versions, in one shell."""
    from tests.conftest import KELP_SOURCE
    from zesty_anchor.demo.host import Host
    from zesty_anchor.demo.wares import pack, write_index, write_runtime

    folder = tmp_path / "two"
    folder.mkdir()
    for name in ("kelp", "brine"):
        releases = []
        for version, channels in (("4.2.1", ("lts",)), ("3.6.2", ())):
            text = KELP_SOURCE.replace("@VERSION@", version).replace("kelp", name)
            archive = pack(f"{name}-{version}", {f"bin/{name}": (text.encode(), 0o755)}, "tar.gz")
            releases.append((version, "2026-06-30", channels, "any", f"{name}-{version}.tgz", archive))
        write_runtime(folder, name, releases)
    write_index(folder, ["kelp", "brine"])
    host = Host(folder).__enter__()
    both = "".join(f'[runtimes.{name}]\nwant = "lts"\nalso = ["3.6"]\n' for name in ("kelp", "brine"))
    desk.wants(f'{TWO}\n[shells]\nuse = ["{shell}"]\n', both, url=host.url)
    desk.well("provision")
    return desk


BOTH = "kelp --version; brine --version"


def older(file: Path) -> None:
    """A file that was changed some time ago: shells compare whole seconds, or less."""
    os.utime(file, (1, 1))


@pytest.mark.parametrize("shell", FOLLOWING)
def test_every_file_that_could_pin_is_watched_at_a_prompt(quay: Desk, shell: str) -> None:
    pin = quay.write("3.6\n", "p/.kelp-version")
    older(pin)
    with opened(quay, shell, quay.home / "p") as child:
        assert "kelp 3.6.2" in typed(child, BOTH, "QQ0")
        other = quay.write("3.6\n", "p/.brine-version")
        typed(child, "true", "QQ1")
        assert "brine 3.6.2" in typed(child, BOTH, "QQ2"), "a second file joined"
        other.write_text("4.2\n")
        older(other)
        typed(child, "true", "QQ3")
        assert "brine 4.2.1" in typed(child, BOTH, "QQ4"), "the second file was edited"
        quay.write('[runtimes.brine]\nwant = "3.6"\n', "p/workstation.toml")
        other.unlink()
        typed(child, "true", "QQ5")
        assert "brine 3.6.2" in typed(child, BOTH, "QQ6"), "a project's own file joined"
        typed(child, "mkdir -p deep; cd deep", "QQ7")
        assert "kelp 3.6.2" in typed(child, BOTH, "QQ8")
        pin.write_text("4.2\n")
        typed(child, "true", "QQ9")
        assert "kelp 4.2.1" in typed(child, BOTH, "QQ10"), "a file above was edited"


@pytest.mark.parametrize("shell", FOLLOWING)
def test_a_pin_beside_the_machines_own_manifest_is_seen(quay: Desk, shell: str) -> None:
    with opened(quay, shell, quay.home) as child:
        assert "kelp 4.2.1" in typed(child, BOTH, "QQ0")
        quay.write("3.6\n", ".kelp-version")
        typed(child, "true", "QQ1")
        assert "kelp 3.6.2" in typed(child, BOTH, "QQ2")


@pytest.mark.parametrize("shell", FOLLOWING)
def test_a_pin_far_above_counts(quay: Desk, shell: str) -> None:
    pin = quay.write("3.6\n", "p/.kelp-version")
    older(pin)
    deep = quay.home / "p" / "/".join("abcdefghijklmnopqrstuvwxyz")
    deep.mkdir(parents=True)
    with opened(quay, shell, deep) as child:
        assert "kelp 3.6.2" in typed(child, BOTH, "QQ0")
        pin.write_text("4.2\n")
        typed(child, "true", "QQ1")
        assert "kelp 4.2.1" in typed(child, BOTH, "QQ2")


OWN = {
    "a function": "cd() { command cd \"$@\" && echo entered; }",
    "a function with a status": "cd() { command cd \"$@\"; return 3; }",
    "an alias": "alias cd='cd -P'",
}  # fmt: skip
FILES = {"bash": ".bashrc", "ksh": ".kshrc", "mksh": ".mkshrc"}


@pytest.mark.parametrize("late", [False, True])
@pytest.mark.parametrize("own", OWN)
@pytest.mark.parametrize("shell", [p for p in FOLLOWING if p.values[0] in FILES])
def test_a_cd_of_the_persons_own_is_followed(quay: Desk, shell: str, own: str, late: bool) -> None:
    if shell == "mksh" and own == "an alias":
        pytest.skip("mksh tells the text of an alias to another process alone: the prompt follows")
    quay.write("3.6\n", "p/.kelp-version")
    file = quay.home / FILES[shell]
    line = OWN[own].replace("command cd", "builtin cd" if shell == "mksh" else "command cd")
    text = file.read_text()
    file.write_text(f"{text}{line}\n" if late else f"{line}\n{text}")
    with opened(quay, shell, Path("/")) as child:
        if late:
            typed(child, "cd /tmp", "QQ0")  # the first time shows it
            typed(child, "true", "QQ1")
        joint = ";" if "status" in own else "&&"
        shown = typed(child, f"cd ~/p {joint} kelp --version", "QQ2")
        if own != "an alias" or not late:
            assert "kelp 3.6.2" in shown
        if own == "a function":
            assert "entered" in shown
        if "status" in own:
            assert "<3>" in typed(child, 'cd ~; echo "<$?>"', "QQ3")
        assert "kelp 3.6.2" in typed(child, "cd ~/p; true", "QQ4") + typed(child, "kelp --version", "QQ5")
