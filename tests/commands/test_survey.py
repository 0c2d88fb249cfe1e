"""The survey, the trace and the draft, on a home that people have lived in."""

from __future__ import annotations

import os
import tomllib
from pathlib import Path

import pytest

from tests.conftest import Desk

# What else answers to kelp counts, and the tests of the demo install a package of it.
pytestmark = [
    pytest.mark.needs("bash", "zsh", "fish", "ksh", "mksh", "tcsh", "dash"),
    pytest.mark.sees_system,
]
BASHRC = """alias kelp=~/old-kelp/bin/kelp
export KELP_HOME=~/old-kelp
. ~/gone/env.sh
[ -r ~/gone/other.sh ] && . ~/gone/other.sh
PATH="$KELP_HOME/bin:$PATH"
PATH="$HOME/nowhere:$PATH"
PATH="$HOME/nowhere:$PATH"
export TIDE="high water"
"""


@pytest.fixture
def crowded(desk: Desk) -> Desk:
    desk.write("#!/bin/sh\necho kelp 3.1\n", "old-kelp/bin/kelp").chmod(0o755)
    desk.write(BASHRC, ".bashrc")
    desk.write(". ~/.bashrc\n", ".profile")
    desk.write("if true; then\n", ".zshrc")
    desk.write(
        "set -gx FISHED yes\nfish_add_path -g ~/old-kelp/bin\nfunction reef; end\n",
        ".config/fish/config.fish",
    )
    return desk


def test_the_survey_sees_what_is_wrong(crowded: Desk) -> None:
    before = crowded.likeness()
    found = crowded.well("survey", "--json").json
    troubles = {(each["file"], each["line"], each["what"]) for each in found["troubles"]}
    assert ("~/.bashrc", 3, "sources ~/gone/env.sh, which does not exist") in troubles
    assert ("~/.bashrc", 6, "~/nowhere is on PATH but does not exist") in troubles
    assert ("~/.bashrc", 7, "~/nowhere is on PATH twice") in troubles or (
        "~/.bashrc",
        6,
        "~/nowhere is on PATH twice",
    ) in troubles
    assert [each for each in troubles if each[0] == "~/.zshrc" and "syntax error" in each[2]]
    assert not [each for each in troubles if "other.sh" in each[2]]
    assert {each["name"]: each["line"] for each in found["variables"]}["TIDE"] == 8
    assert found["free"] > 0
    assert crowded.likeness() == before
    shown = crowded.well("survey").out
    assert "most serious first" in shown
    assert "free in the home" in shown


def test_the_trace_names_alias_file_and_line(crowded: Desk) -> None:
    crowded.wants()
    traced = crowded.well("trace", "kelp", "--json").json
    aliases = [each for each in traced["answers"] if each["kind"] == "alias"]
    assert {(os.path.basename(each["startup_file"]), each["line"]) for each in aliases} == {(".bashrc", 1)}
    files = [each for each in traced["answers"] if each["kind"] == "file"]
    assert {each["owner"] for each in files} == {"the folder ~/old-kelp"}
    places = {(os.path.basename(each["startup_file"]), each["line"]) for each in files}
    assert {(".bashrc", 5), ("config.fish", 2)} <= places
    variable = crowded.well("trace", "$KELP_HOME", "--json").json["answers"]
    assert {(each["line"], each["path"]) for each in variable} == {(2, str(crowded.home / "old-kelp"))}
    fished = crowded.well("trace", "$FISHED", "--json").json["answers"]
    assert [(os.path.basename(each["startup_file"]), each["line"], each["wins_in"]) for each in fished] == [
        ("config.fish", 1, ["fish"])
    ]
    reef = crowded.well("trace", "reef", "--json").json["answers"]
    assert [(each["kind"], each["line"]) for each in reef] == [("function", 3)]
    entries = crowded.well("trace", "PATH").out
    assert "not there" in entries
    assert "by ~/.bashrc:5" in entries
    assert crowded.well("trace", "cat").out.count("Debian package coreutils") == 1


def test_a_draft_loads_and_its_preview_is_small(crowded: Desk) -> None:
    (crowded.home / ".zshrc").unlink()
    printed = crowded.well("draft", "-").out
    raw = tomllib.loads(printed)
    assert raw["variables"]["TIDE"] == "high water"
    assert "# as ~/.bashrc:8 sets it" in printed
    assert raw["path"]["first"] == ["~/old-kelp/bin"], "what leads nowhere is left out"
    assert "workstation.toml is written" in crowded.well("draft").out
    text = crowded.manifest.read_text()
    assert text == printed
    assert crowded.run("draft").code == 2
    without = "\n".join(
        line for line in text.splitlines() if not line.startswith(('    "', "    '")) or "~/" in line
    )
    crowded.write('as-root = "allowed"\n' + without.replace("# A draft", "# The draft"))
    seen = crowded.well("preview", "--json").json
    assert seen["pending"] < 25
    assert {change["kind"] for change in seen["changes"]} <= {"generated-file", "startup-file", "launchers"}


def test_a_draft_is_one_that_verify_accepts(desk: Desk) -> None:
    """No variable that leads nowhere; and a runtime that answers from the home is not left to the system."""
    desk.write("#!/bin/sh\necho v20.1.0\n", "old/bin/node").chmod(0o755)
    desk.write("export PATH=~/old/bin:$PATH\nexport TIDE_HOME=~/gone\nexport DESK_HOME=~/old\n", ".bashrc")
    desk.well("draft", "node-and-more.toml")
    text = (desk.home / "node-and-more.toml").read_text()
    raw = tomllib.loads(text)
    assert raw["variables"] == {"DESK_HOME": str(desk.home / "old")}
    assert f"# TIDE_HOME = {desk.home}/gone, by ~/.bashrc:2: no such folder" in text
    assert "node" not in raw.get("runtimes", {})
    assert (
        '# node 20.1.0 in ~/old/bin/node stays; to have it from a feed: [runtimes.node] want = "20"' in text
    )
    own = 'as-root = "allowed"\n' + text
    desk.write(own)
    desk.well("provision")
    desk.well("verify")


@pytest.mark.parametrize(
    "lines",
    ["autoload -Uz compinit\ncompinit\n", "for gauge in {1..40000}; do :; done\n"],
    ids=["completions without a dump", "a long loop"],
)
def test_a_start_that_is_slow_only_while_it_is_traced_is_no_trouble(desk: Desk, lines: str) -> None:
    """What a trace that was cut off had so far is not held against anybody, packages' files least of all."""
    desk.write(f"export TIDE=high\n{lines}", ".zshrc")
    found = desk.well("survey", "--json").json
    told = [each for each in found["troubles"] if "this line takes" not in each["what"]]
    assert told == []


def test_a_start_that_never_ends_is_told_with_the_persons_own_line(desk: Desk) -> None:
    desk.write("export TIDE=high\nread answer\n", ".zshrc")
    (trouble,) = {
        (each["file"], each["line"])
        for each in desk.well("survey", "--json").json["troubles"]
        if "waits for somebody to type" in each["what"]
    }
    assert trouble == ("~/.zshrc", 2)


LIVED_IN = """export EDITOR=vi
export PATH="$PATH:.:$HOME/open"
export PATH="$HOME/bin:$PATH"
export PATH="$HOME/bin:$PATH"
. ~/tide.sh
echo "good morning"
sleep 0.3
. ~/tide.sh
export STAMP=$(date +%s)
export SSH_AUTH_SOCK=/tmp/none
"""
SEEN = {
    ("~/.bashrc", 2): "commands in the current folder are run",
    ("~/.bashrc", 3): "~/bin shadows the system's grep, ls",
    ("~/.bashrc", 4): "~/bin is on PATH twice",
    ("~/.bashrc", 6): "prints 'good morning' where there is no terminal",
    ("~/.bashrc", 7): "this line takes",
    ("~/.bashrc", 8): "does again what ~/.bashrc:5 did",
    ("~/.bashrc", 1): "EDITOR has 2 values: vi in bash (~/.bashrc:1); nano in zsh (~/.zshrc:1)",
    ("~/.cshrc", 0): "tcsh never reads it, since ~/.tcshrc is there",
    ("~/.zprofile", 0): "is a link that leads nowhere",
    ("~/old-node", 0): "is an install of node that nothing uses",
}


def test_the_survey_sees_what_an_experienced_colleague_sees(desk: Desk) -> None:
    desk.write(LIVED_IN, ".bashrc")
    for name, text in ((".bash_profile", ". ~/.bashrc\n"), ("tide.sh", "export TIDE=high\n"), (".zshrc",
    "export EDITOR=nano\n"),
                       (".cshrc", "setenv A 1\n"), (".tcshrc", "setenv B 1\n"), (".sh_history",
                       "mine\n")):  # fmt: skip
        desk.write(text, name)
    for name in ("bin/ls", "bin/grep", "old-node/bin/node", "old-node/lib/x", "old-node/share/x"):
        desk.write("#!/bin/sh\n", name).chmod(0o755)
    (desk.home / "open").mkdir()
    (desk.home / "open").chmod(0o777)
    (desk.home / ".zprofile").symlink_to("/nowhere/x")
    before = desk.likeness()
    troubles = desk.well("survey", "--json").json["troubles"]
    assert desk.likeness() == before, "a look changes nothing, a history of a shell neither"
    for place, words in SEEN.items():
        assert [t for t in troubles if (t["file"], t["line"]) == place and words in t["what"]], (
            place,
            troubles,
        )
    assert any("~/open is on PATH, and everybody may write into it" in t["what"] for t in troubles)
    assert all(t["fix"] for t in troubles)
    assert [t["weight"] for t in troubles] == sorted((t["weight"] for t in troubles), reverse=True)
    assert "commands in the current folder" in troubles[0]["what"]
    drafted = desk.well("draft", "-").out
    raw = tomllib.loads(drafted)
    assert raw["variables"] == {"EDITOR": "vi", "TIDE": "high"}
    assert "# EDITOR is nano in zsh (~/.zshrc:1)" in drafted
    assert "# STAMP is worked out at each start by ~/.bashrc:9" in drafted
    assert raw["path"] == {"first": ["~/bin"], "last": ["~/open"]}
    assert all(table == {"want": "system"} for table in raw.get("runtimes", {}).values())
    assert "Debian package coreutils" in desk.well("trace", "ls").out, "without a manifest"


def test_the_grid_says_which_answers_where(crowded: Desk) -> None:
    """A letter each, those that are shadowed below; our own line is the manifest's doing."""
    crowded.wants('[shells]\nuse = "all"\n[variables]\nGAUGE = "north quay"\n')
    crowded.write("", ".zshrc")
    crowded.run("provision")  # the alias keeps the proof from being well
    shown = crowded.well("trace", "kelp").out
    rows = {row.split()[0]: row.split()[1:] for row in shown.splitlines() if row.strip()}
    assert rows["login"] == ["interactive", "both", "ssh", "script"]
    letter = {
        row.strip()[0]: row
        for row in shown.splitlines()
        if row.startswith("  ") and row[2:4].strip() in "ABC"
    }
    alias = next(key for key, row in letter.items() if "alias: ~/old-kelp" in row)
    assert alias in rows["bash"] and alias not in rows["zsh"]
    assert "shadowed everywhere" in shown and shown.splitlines()[0].startswith("kelp 4.2.1 is active here")
    variable = crowded.well("trace", "$GAUGE").out
    assert "by the manifest" in variable and ".zshrc" not in variable
    nothing = crowded.run("trace", "GAUGE")
    assert nothing.code == 1 and "trace '$GAUGE'" in nothing.out
    assert "does again" not in crowded.well("survey").out


@pytest.mark.needs("bash")
def test_an_alias_that_hides_a_version_is_told_with_its_line(desk: Desk) -> None:
    desk.wants()
    desk.write("alias kelp=/opt/kelp/bin/kelp\nalias kelp-pack='kelp-pack -v'\n", ".bashrc")
    (told,) = [t for t in desk.well("survey", "--json").json["troubles"] if "alias" in t["what"]]
    assert (told["file"], told["line"], told["fix"]) == ("~/.bashrc", 1, "delete ~/.bashrc:1")
    assert "kelp=/opt/kelp/bin/kelp" in told["what"] and told["shells"] == ["bash"]


def test_a_manifest_without_a_runtime_is_one(desk: Desk) -> None:
    assert "none here" in desk.well("survey").out
    desk.write('[variables]\nGAUGE = "north"\n')
    told = desk.well("survey").out
    assert "manifest        ~/workstation.toml" in told and "the manifest's commands" not in told


@pytest.mark.needs("bash", "ksh")
def test_a_login_file_that_bash_passes_over_is_told_though_another_shell_reads_it(desk: Desk) -> None:
    def told() -> dict[str, str]:
        troubles = desk.well("survey", "--json").json["troubles"]
        return {each["file"]: each["what"] for each in troubles if "never reads it" in each["what"]}

    desk.write(". ~/.bashrc\n", ".bash_profile")
    skeleton = Path("/etc/skel/.profile")
    if skeleton.exists():
        desk.write(skeleton.read_text(), ".profile")
        assert told() == {}, "the system's own is missed by nobody"
    desk.write("export TIDE=high\n", ".profile")
    what = told()["~/.profile"]
    assert what.startswith("bash never reads it, since ~/.bash_profile is there; ksh"), what
    desk.write(". ~/.profile\n", ".bash_profile")
    assert told() == {}
