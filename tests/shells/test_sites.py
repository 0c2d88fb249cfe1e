from pathlib import Path

import pytest

from zesty_anchor.shells import posix
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.reading import Surroundings

HOME = Path("/home/desk")


def around(existing: list[str], system: str = "linux", **more: object) -> Surroundings:
    folder = more.get("zdotdir") or HOME
    here = frozenset(HOME / name for name in existing) | frozenset(folder / name for name in existing)  # type: ignore[operator]
    return Surroundings(HOME, HOME / ".config", system, existing=here, **more)  # type: ignore[arg-type]


def names(
    shell: str, existing: list[str], system: str = "linux", **more: object
) -> list[tuple[str, str, bool]]:
    sites = SHELLS[shell].sites(around(existing, system, **more))
    return [(str(s.file.relative_to(HOME)), s.language, s.early) for s in sites]


@pytest.mark.parametrize(
    ("existing", "system", "login", "language"),
    [
        ([], "linux", ".profile", "sh"),
        ([], "macos", ".bash_profile", "bash"),
        ([".profile"], "linux", ".profile", "sh"),
        ([".profile"], "macos", ".profile", "sh"),
        ([".profile", ".bash_login"], "linux", ".bash_login", "bash"),
        ([".profile", ".bash_login", ".bash_profile"], "macos", ".bash_profile", "bash"),
    ],
)
def test_bash_reads_the_first_of_three_at_login(
    existing: list[str], system: str, login: str, language: str
) -> None:
    assert names("bash", existing, system) == [(login, language, False), (".bashrc", "bash", False)]
    # Once our line stands there, that file is the only one of the three that bash reads.
    reads = SHELLS["bash"].reads(around([*existing, login], system))
    assert [reading.file.name for reading in reads if reading.when == "login"] == [login]
    assert sum(reading.when == "hidden" for reading in reads) == 2


def test_a_guard_asks_for_a_second_block_above_it() -> None:
    assert names("bash", [".bashrc"], guarded=frozenset({HOME / ".bashrc"}))[1] == (".bashrc", "bash", True)


def test_zsh_has_its_own_folder() -> None:
    def files(*given: object, **more: object) -> list[str]:
        return [file for file, _, _ in names("zsh", *given, **more)]  # type: ignore[arg-type]

    assert files([]) == [".zshenv", ".zshrc"]
    assert files([".zprofile", ".zlogin"]) == [".zshenv", ".zprofile", ".zshrc", ".zlogin"]
    assert files([], "macos") == [".zshenv", ".zprofile", ".zshrc"]
    assert files([], zdotdir=HOME / "z") == [".zshenv", "z/.zshrc"]


@pytest.mark.parametrize(
    ("shell", "existing", "files"),
    [
        ("ksh", [], [".profile", ".kshrc"]),
        ("mksh", [".mkshrc"], [".profile", ".mkshrc"]),
        ("tcsh", [], [".tcshrc"]),
        ("tcsh", [".cshrc", ".login"], [".cshrc", ".login"]),
        ("tcsh", [".cshrc", ".tcshrc"], [".tcshrc"]),
        ("sh", [".bash_profile"], [".profile"]),
        ("fish", [".bashrc"], []),
    ],
)
def test_the_files_of_the_other_shells(shell: str, existing: list[str], files: list[str]) -> None:
    assert [file for file, _, _ in names(shell, existing)] == files


def test_env_names_a_file_that_several_shells_read() -> None:
    for shell in ("ksh", "mksh"):
        assert names(shell, [], env=HOME / ".shinit")[1] == (".shinit", "sh", False)


def test_every_row_of_the_table_names_its_source() -> None:
    for name, shell in SHELLS.items():
        for reading in shell.reads(around([])):
            assert reading.source.startswith(f"{'dash' if name == 'sh' else name}(1)") and reading.when


def test_a_line_for_the_open_shell() -> None:
    assert posix.reload(HOME / ".local/x.bash", HOME) == ". ~/.local/x.bash"
    assert posix.reload(HOME / "a b/x.bash", HOME) == ". ~/'a b/x.bash'"
    assert posix.reload(Path("/else where/x"), HOME) == ". '/else where/x'"
    assert SHELLS["tcsh"].reload(HOME / ".x.tcsh", HOME) == "source ~/.x.tcsh"
