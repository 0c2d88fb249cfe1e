from pathlib import Path

import pytest

from zesty_anchor.shells import posix
from zesty_anchor.shells.known import SHELLS

HOME = Path("/home/desk")


def names(shell: str, existing: list[str], system: str = "linux", zdotdir: Path | None = None) -> list[tuple[str, str]]:
    here = {(zdotdir or HOME) / name for name in existing} | {HOME / name for name in existing}
    return [(str(s.file), s.language) for s in SHELLS[shell].sites(HOME, zdotdir, system, here)]


@pytest.mark.parametrize(
    ("existing", "login", "language"),
    [
        ([], ".profile", "sh"),
        ([".profile"], ".profile", "sh"),
        ([".profile", ".bash_login"], ".bash_login", "bash"),
        ([".profile", ".bash_login", ".bash_profile"], ".bash_profile", "bash"),
    ],
)
def test_bash_reads_the_first_of_three_at_login(existing: list[str], login: str, language: str) -> None:
    assert names("bash", existing) == [(f"/home/desk/{login}", language), ("/home/desk/.bashrc", "bash")]


def test_zsh_has_its_own_folder() -> None:
    assert [f for f, _ in names("zsh", [])] == ["/home/desk/.zshenv", "/home/desk/.zshrc"]
    assert [f for f, _ in names("zsh", [".zprofile"])][1] == "/home/desk/.zprofile"
    assert [f for f, _ in names("zsh", [], "macos")][1] == "/home/desk/.zprofile"
    assert [f for f, _ in names("zsh", [], zdotdir=Path("/home/desk/z"))] == [
        "/home/desk/.zshenv",
        "/home/desk/z/.zshrc",
    ]


def test_a_line_for_the_open_shell() -> None:
    assert posix.reload(HOME / ".local/x.bash", HOME) == ". ~/.local/x.bash"
    assert posix.reload(HOME / "a b/x.bash", HOME) == ". ~/'a b/x.bash'"
    assert posix.reload(Path("/else where/x"), HOME) == ". '/else where/x'"
