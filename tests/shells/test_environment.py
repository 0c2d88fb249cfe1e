"""The generated files, each read by real shells."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import SHELLS
from zesty_anchor.shells.known import LANGUAGES
from zesty_anchor.shells.shell import Environment

READERS = [
    pytest.param(language, shell, marks=pytest.mark.needs(shell))
    for language, shell in (
        ("bash", "bash"),
        ("zsh", "zsh"),
        ("sh", "dash"),
        ("sh", "bash"),
        ("sh", "ksh"),
        ("sh", "mksh"),
    )
]
AWKWARD = st.one_of(
    st.text(st.characters(blacklist_characters="\0", blacklist_categories=["Cs"]), max_size=40),
    st.text("'\"$`!\\\n\t -*?[]{}~#&|;<>()%\r", max_size=30),
    st.sampled_from(["", "-n", "north quay, $5 a day", "a\\", "'", "!!", "$(reboot)", "ü\u2028", "\x7f", "{coral}"]),
)


def read_by(shell: str, file: Path, script: str, path: str = "/usr/bin:/bin", options: str = "") -> bytes:
    done = subprocess.run(
        [SHELLS[shell], "-c", f"{options}\n. '{file}'\n{script}"],
        env={"PATH": path, "HOME": "/"},
        capture_output=True,
        check=False,
    )
    assert not done.stderr, done.stderr
    return done.stdout


@pytest.mark.parametrize(("language", "shell"), READERS)
def test_any_text_arrives_byte_for_byte(language: str, shell: str, tmp_path: Path) -> None:
    @settings(max_examples=20, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.lists(AWKWARD, min_size=100, max_size=100))
    def each(values: list[str]) -> None:
        environment = Environment(tuple((f"V{i}", v) for i, v in enumerate(values)), (), (), "/shelf")
        file = tmp_path / "environment"
        file.write_bytes(LANGUAGES[language].environment(environment).encode())
        seen = dict(
            entry.split(b"=", 1) for entry in read_by(shell, file, "exec /usr/bin/env -0").split(b"\0") if b"=" in entry
        )
        assert [seen[f"V{i}".encode()].decode() for i in range(len(values))] == values

    each()


PLACED = Environment((), ("/h/s p/bin", "/q'x/bin"), ("/la st",), "/h/shelf*")


@pytest.mark.parametrize(("language", "shell"), READERS)
@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("/usr/bin:/bin:/usr/bin", "/usr/bin:/bin"),
        ("/h/shelf*/kelp/4/bin:/usr/bin:/h/shelfish/bin:*", "/usr/bin:/h/shelfish/bin:*"),
        ("/la st:/bin:/q'x/bin", "/bin"),
    ],
)
@pytest.mark.parametrize("options", ["", "set -eu", "set -f; IFS=/", "unset IFS"])
def test_path_holds_each_folder_once_however_it_is_read(
    language: str, shell: str, before: str, after: str, options: str, tmp_path: Path
) -> None:
    file = tmp_path / "environment"
    file.write_text(LANGUAGES[language].environment(PLACED))
    shown = read_by(shell, file, f'. "{file}"; printf %s "$PATH"', before + ":/usr/bin", options).decode()
    rest = after if after.split(":").count("/usr/bin") else after + ":/usr/bin"
    assert shown == f"/h/s p/bin:/q'x/bin:{rest}:/la st"


@pytest.mark.parametrize(("language", "shell"), READERS)
def test_the_persons_own_state_is_left_alone(language: str, shell: str, tmp_path: Path) -> None:
    file = tmp_path / "environment"
    file.write_text(LANGUAGES[language].environment(PLACED))
    asks = 'printf "%s|%s|" "$IFS" "$-"; set | /usr/bin/grep -c zesty_anchor || :'
    with_it = read_by(shell, file, asks, options="IFS=x; set -f")
    file.write_text("")
    assert with_it == read_by(shell, file, asks, options="IFS=x; set -f")


@pytest.mark.needs("zsh")
@pytest.mark.parametrize("options", ["setopt ksh_arrays", "setopt no_unset", "setopt sh_word_split glob_subst"])
def test_zsh_with_other_options(options: str, tmp_path: Path) -> None:
    file = tmp_path / "environment"
    file.write_text(LANGUAGES["zsh"].environment(PLACED))
    shown = read_by("zsh", file, 'printf "%s %s" "$PATH" "$(setopt)"', "/bin:/bin", options).decode()
    assert shown.startswith("/h/s p/bin:/q'x/bin:/bin:/la st ")
    assert shown.split()[-1].replace("_", "") in options.replace("_", "")
