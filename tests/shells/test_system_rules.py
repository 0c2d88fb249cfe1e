"""What the tables say of macOS, held against what its manuals say. Nothing here has run there.

The facts: path_helper(8) "reads the contents of the files in the directories /etc/paths.d and /etc/manpaths.d
and appends their contents to the PATH and MANPATH environment variables respectively", /etc/paths before
them; the system's /etc/zprofile evaluates ``/usr/libexec/path_helper -s``, which puts those entries first and
the others behind them; its bash is 3.2.
"""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from tests.conftest import SHELLS as PROGRAMS
from zesty_anchor.shells.environment import Environment, Switchable
from zesty_anchor.shells.known import SHELLS, generated
from zesty_anchor.shells.reading import Surroundings
from zesty_anchor.shells.system_rules import RULES, rules
from zesty_anchor.system.host import listed_paths

PATH_HELPER = """\
#!/bin/sh
# As the manual has it: what /etc/paths names comes first, what else is on PATH behind it.
listed= rest=
while read -r entry; do listed=$listed:$entry; done <"$PATHS"
IFS=:
for entry in $PATH; do case $listed: in *:$entry:*) ;; *) rest=$rest:$entry ;; esac; done
printf 'PATH="%s"; export PATH;\\n' "${listed#:}$rest"
"""


def test_each_row_has_its_source() -> None:
    assert all(row.source and row.bash_login.startswith(".") for row in RULES.values())
    assert rules("somewhere") == RULES["linux"] != rules("macos")


def test_the_entries_of_paths_come_in_their_order(tmp_path: Path) -> None:
    (tmp_path / "paths.d").mkdir()
    (tmp_path / "paths").write_text("/usr/local/bin\n/usr/bin\n\n/bin\n")
    (tmp_path / "paths.d/20-tides").write_text("/opt/tides/bin\n/usr/bin\n")
    (tmp_path / "paths.d/10-quay").write_text("/opt/north quay/bin\n# nothing\n")
    assert listed_paths(tmp_path) == [
        "/usr/local/bin",
        "/usr/bin",
        "/bin",
        "/opt/north quay/bin",
        "/opt/tides/bin",
    ]
    assert listed_paths(tmp_path / "nowhere") == []


@pytest.mark.needs("zsh", "unshare")
def test_our_versions_stay_first_behind_a_zprofile_that_reorders(tmp_path: Path) -> None:
    """The row says that .zprofile gets our line: zsh really reads such a system file in between."""
    home = tmp_path / "home"
    for name in ("shelf/kelp/4.2/bin", "shell", "system"):
        (home / name).mkdir(parents=True)
    for folder, text in (("shelf/kelp/4.2/bin", "ours"), ("system", "theirs")):
        program = home / folder / "kelp"
        program.write_text(f"#!/bin/sh\necho {text}\n")
        program.chmod(0o755)
    helper = tmp_path / "path_helper"
    helper.write_text(PATH_HELPER)
    helper.chmod(0o755)
    (tmp_path / "paths").write_text(f"{home}/system\n/usr/bin\n/bin\n")
    (tmp_path / "zprofile").write_text(f'eval "$(PATHS={tmp_path}/paths {helper})"\n')
    environment = Environment(
        (), (), (), f"{home}/shelf", f"{home}/bin", f"{home}/pins", f"{home}/shell",
        program=("/nowhere/zesty-anchor",), runtimes=(Switchable("kelp", "4.2", ("bin",)),),
    )  # fmt: skip
    for name in ("sh", "zsh"):
        file = home / f"shell/environment.{name}"
        file.write_text(generated()[name](environment, str(file)))
    system_file = next((f for f in (Path("/etc/zsh/zprofile"), Path("/etc/zprofile")) if f.is_file()), None)
    assert system_file is not None, "zsh brings a system file for logins"

    def first(system: str) -> str:
        around = Surroundings(home, home / ".config", system)
        for site in SHELLS["zsh"].sites(around):
            site.file.write_text(SHELLS["zsh"].block(home / "shell/environment.zsh", home) + "\n")
        script = f"mount --bind {tmp_path}/zprofile {system_file} && exec {PROGRAMS['zsh']} -l -c kelp"
        done = subprocess.run(
            ["unshare", "--user", "--map-root-user", "--mount", "sh", "-c", script],
            env={"HOME": str(home), "PATH": "/usr/bin:/bin"}, capture_output=True, text=True, timeout=60,
            check=False,
        )  # fmt: skip
        for site in SHELLS["zsh"].sites(around):
            site.file.unlink()
        return done.stdout.strip() or done.stderr

    assert first("macos") == "ours"
    assert first("linux") == "theirs"  # so the test can tell


def test_bash_of_that_age_can_read_what_is_generated(tmp_path: Path) -> None:
    """Of what came after 3.2 (bash's NEWS, 4.0 to 5.1) only that is used which an older one takes for an
    empty array, or whose failing is let go by.
    """
    environment = Environment(
        (), (), (), "/s", "/b", "/p", "/shell", runtimes=(Switchable("kelp", "4.2", ("bin",)),)
    )
    text = "".join(
        generated()[name](environment, "/shell/x") for name in ("bash", "follow.bash", "complete.bash")
    )
    for newer in (
        "declare -A",
        "typeset -A",
        "mapfile",
        "readarray",
        "${!",
        "&>>",
        "|&",
        "coproc",
        "@Q}",
        "${EPOCH",
        "declare -n",
        "typeset -g",
        ",,}",
        "^^}",
        "[-1]",
    ):
        assert newer not in text, newer
    assert all("2>/dev/null" in row for row in text.splitlines() if "compopt" in row)
    assert all(
        "BASH_VERSINFO" in before
        for before, row in zip(text.splitlines(), text.splitlines()[1:], strict=False)
        if "PROMPT_COMMAND+=" in row
    )
