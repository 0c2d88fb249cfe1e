"""The generated files, each read by real shells."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import SHELLS, USER_GENERATOR
from zesty_anchor.shells.environment import Environment, Of, Switchable
from zesty_anchor.shells.graphical import unfit
from zesty_anchor.shells.known import generated

READERS = [
    pytest.param(language, shell, marks=pytest.mark.needs(shell))
    for language, shell in (
        ("bash", "bash"), ("zsh", "zsh"), ("fish", "fish"), ("ksh", "ksh"), ("mksh", "mksh"), ("tcsh",
        "tcsh"),
        ("sh", "dash"), ("sh", "bash"), ("sh", "ksh"), ("sh", "mksh"),
    )
]  # fmt: skip
POSIX = [reader for reader in READERS if reader.values[0] not in ("fish", "tcsh")]
BYTES = st.binary(max_size=12).map(lambda b: b.replace(b"\0", b"").decode("utf-8", "surrogateescape"))
AWKWARD = st.one_of(
    st.text(st.characters(blacklist_characters="\0", blacklist_categories=["Cs"]), max_size=40),
    st.text("'\"$`!\\\n\t -*?[]{}~#&|;<>()%\r=:^", max_size=30),
    BYTES,
    st.sampled_from(
        [
            "",
            "-n",
            "north quay, $5 a day",
            "a\\",
            "'",
            "!!",
            "$(reboot)",
            "ü\u2028",
            "\x7f",
            "{coral}",
            "\\\n",
        ]
    ),
)


def made(tmp_path: Path, **more: object) -> Environment:
    shelf = str(tmp_path / "shelf")
    given = {"variables": (), "first": (), "last": (), "shelf": shelf, "launchers": str(tmp_path / "bin"),
             "pins": str(tmp_path / "pins"), "shell": str(tmp_path)}  # fmt: skip
    return Environment(**{**given, **more})  # type: ignore[arg-type]


def written(language: str, environment: Environment) -> Path:
    """The generated file; those like sh read that of sh where they follow no folder."""
    for name in ("sh", language):
        file = Path(environment.shell) / f"environment.{name}"
        file.write_bytes(os.fsencode(generated()[name](environment, str(file))))
    return file


def read_by(shell: str, file: Path, script: str, path: str = "/usr/bin:/bin", options: str = "") -> bytes:
    source = "source" if shell in ("fish", "tcsh") else "."
    quiet = ["--no-config"] if shell == "fish" else ["-f"] if shell == "tcsh" else []
    done = subprocess.run(
        [SHELLS[shell], *quiet, "-c", f"{options}\n{source} '{file}'\n{script}"],
        env={"PATH": path, "HOME": "/", "LANG": "C.UTF-8"},
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
        variables = tuple((f"V{i}", (v,) if v else ()) for i, v in enumerate(values))
        file = written(language, made(tmp_path, variables=variables))
        seen = dict(
            entry.split(b"=", 1)
            for entry in read_by(shell, file, "exec /usr/bin/env -0").split(b"\0")
            if b"=" in entry
        )
        assert [seen[f"V{i}".encode()] for i in range(len(values))] == [os.fsencode(v) for v in values]

    each()


@pytest.mark.needs("systemctl")
def test_a_graphical_session_gets_any_text_that_systemd_takes(tmp_path: Path) -> None:
    folder = tmp_path / ".config/environment.d"
    folder.mkdir(parents=True)

    @settings(max_examples=20, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.lists(st.text("'\"$`!\\\n\t -*?[]{}~#&|;<>()%=:^aü", max_size=30), min_size=100, max_size=100))
    def each(values: list[str]) -> None:
        variables = tuple((f"V{i}", (v,) if v else ()) for i, v in enumerate(values))
        text = generated()["session"](made(tmp_path, variables=variables, last=("/la st",)), "")
        (folder / "60-zesty-anchor.conf").write_text(text)
        done = subprocess.run(
            [str(USER_GENERATOR)],
            env={"HOME": str(tmp_path), "PATH": "/usr/bin:/bin"},
            capture_output=True,
            text=True,
            check=True,
        )
        seen = dict(line.split("=", 1) for line in done.stdout.splitlines())
        fit = {f"V{i}": v for i, v in enumerate(values) if v and not unfit(v)}
        assert {name: _unescaped(seen[name]) for name in fit} == fit
        assert not {name for name in seen if name.startswith("V")} - fit.keys()
        assert _unescaped(seen["PATH"]) == f"{tmp_path}/bin:/usr/bin:/bin:/la st"

    each()


@pytest.mark.skipif(USER_GENERATOR is None, reason="systemd is not installed")
@pytest.mark.parametrize(
    "value", ["a\ufffe", "\uffffb", "\ufdd0", "\U0001ffff", "a\tb", "a\nb", "\x7f", "\udc80"]
)
def test_a_value_that_systemd_does_not_take_costs_no_other(tmp_path: Path, value: str) -> None:
    folder = tmp_path / ".config/environment.d"
    folder.mkdir(parents=True)
    (folder / "10-mine.conf").write_text("MINE=kept\n")
    text = generated()["session"](made(tmp_path, variables=(("BAD", (value,)), ("GAUGE", ("north",)))), "")
    (folder / "60-zesty-anchor.conf").write_bytes(os.fsencode(text))
    environment = {"HOME": str(tmp_path), "PATH": "/usr/bin:/bin"}
    done = subprocess.run([str(USER_GENERATOR)], env=environment, capture_output=True, text=True, check=True)
    assert {"MINE=kept", "GAUGE=north"} <= set(done.stdout.splitlines()) and "BAD" not in done.stdout
    assert unfit(value)


def _unescaped(text: str) -> str:
    """What systemd prints, read back: a word, or one in quotes with C's escapes."""
    quoted = text[2:-1] if text.startswith("$'") else text[1:-1] if text[:1] == '"' else text
    escapes, out, rest = {"n": "\n", "t": "\t", "r": "\r"}, [], iter(quoted)
    for letter in rest:
        after = next(rest) if letter == "\\" else ""
        out.append(escapes.get(after, after) if after else letter)
    return "".join(out)


FOLDERS = {"first": ("/h/s p/bin", "/q'x/bin"), "last": ("/la st",)}


@pytest.mark.parametrize(("language", "shell"), READERS)
@pytest.mark.parametrize(
    ("before", "after"),
    [
        (
            "/usr/bin:/bin:/usr/bin",
            "/usr/bin:/bin:/usr/bin:/usr/bin",
        ),  # the person's own twice stays, at a second reading too
        ("{shelf}/kelp/4/bin:/usr/bin:{shelf}ish/bin:*", "/usr/bin:{shelf}ish/bin:*"),
        ("/la st:/bin:/q'x/bin:{bin}", "/bin"),
    ],
)
@pytest.mark.parametrize("options", ["", "set -eu", "set -f; IFS=/", "unset IFS"])
def test_path_holds_each_folder_once_however_it_is_read(
    language: str, shell: str, before: str, after: str, options: str, tmp_path: Path
) -> None:
    if options and shell in ("fish", "tcsh"):
        options = ""  # they have no such options
    room = tmp_path / "shelf*["
    room.mkdir()
    environment = made(room, **FOLDERS)
    file = written(language, environment)
    before, after = (
        text.format(shelf=environment.shelf, bin=environment.launchers) for text in (before, after)
    )
    source = "source" if shell in ("fish", "tcsh") else "."
    shown = read_by(
        shell, file, f"{source} '{file}'; /usr/bin/printenv PATH", before + ":/usr/bin", options
    ).decode()
    rest = after if after.split(":").count("/usr/bin") else after + ":/usr/bin"
    if shell in ("fish", "tcsh"):  # which have a builtin for that, or know no other way
        rest = ":".join(dict.fromkeys(rest.split(":")))
    assert shown.strip("\n") == f"/h/s p/bin:/q'x/bin:{environment.launchers}:{rest}:/la st"


@pytest.mark.parametrize(("language", "shell"), POSIX)
def test_the_persons_own_state_is_left_alone(language: str, shell: str, tmp_path: Path) -> None:
    file = written(language, made(tmp_path, **FOLDERS))
    asks = 'printf "%s|%s|" "$IFS" "$-"; set | /usr/bin/grep -c za__ || :'
    with_it = read_by(shell, file, asks, options="IFS=x; set -f")
    file.write_text("")
    assert with_it == read_by(shell, file, asks, options="IFS=x; set -f")


@pytest.mark.needs("zsh")
@pytest.mark.parametrize(
    "options", ["setopt ksh_arrays", "setopt no_unset", "setopt sh_word_split glob_subst"]
)
def test_zsh_with_other_options(options: str, tmp_path: Path) -> None:
    file = written("zsh", made(tmp_path, **FOLDERS))
    shown = read_by("zsh", file, 'printf "%s %s" "$PATH" "$(setopt)"', "/bin", options).decode()
    assert shown.startswith(f"/h/s p/bin:/q'x/bin:{tmp_path}/bin:/bin:/la st ")
    assert shown.split()[-1].replace("_", "") in options.replace("_", "")


def test_the_stamp_tells_one_environment_from_another(tmp_path: Path) -> None:
    kelp = Switchable("kelp", "4.2.1", ("bin",))
    one = made(tmp_path, runtimes=(kelp,), variables=(("UNITS", (Of("kelp"), "/units")),))
    other = made(tmp_path, runtimes=(kelp,), variables=(("UNITS", (Of("kelp"), "/unit\udcff")),))
    assert one.stamp == made(tmp_path, runtimes=(kelp,), variables=one.variables).stamp != other.stamp
