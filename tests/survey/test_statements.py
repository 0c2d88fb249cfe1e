from pathlib import Path

import pytest

from zesty_anchor.survey.startup.places import Places
from zesty_anchor.survey.startup.statement import without
from zesty_anchor.survey.startup.statements import statements_about

HOME = Path("/home/desk")
OLD = HOME / "old-kelp"

CUT = [
    'export PATH="$HOME/old-kelp/bin:$PATH"\n',
    "PATH=$PATH:~/old-kelp/bin\n",
    "PATH=/home/desk/old-kelp/bin:${PATH}   # the old one\n",
    "export PATH='/home/desk/old-kelp/bin':$PATH;\n",
    'export KELP_HOME="${HOME}/old-kelp"\n',
    '. "$HOME/old-kelp/hook.sh"\n',
    "source ~/old-kelp/hook.sh\n",
    'export PATH="$HOME/old-kelp/bin:\\\n$PATH"\n',
    "typeset PATH=~/old-kelp/bin:$PATH\n",
    "PATH=$PATH:$HOME/old-kelp/bin\n",
]
KEPT = [
    "cd ~/old-kelp && ls\n",
    "X=$(ls ~/old-kelp)\n",
    'echo hello && export PATH="$HOME/old-kelp/bin:$PATH"\n',
]
NOT_MEANT = [
    'export PATH="$HOME/old-kelpie/bin:$PATH"\n',
    "export PATH=/srv/old-kelp/bin:$PATH\n",
    "# export PATH=~/old-kelp/bin:$PATH\n",
    "alias old-kelp=ls\n",
    "cat <<X\n~/old-kelp-2\nX\n",
]
AROUND = ("# before\nalias a=b\n", "export EDITOR=vi # after\n")


@pytest.mark.parametrize("line", CUT)
def test_a_statement_that_serves_the_folder_alone_is_cut(line: str) -> None:
    text = (AROUND[0] + line + AROUND[1]).encode()
    found = statements_about(text, Places(HOME, [OLD]))
    assert [(s.line, s.serves) for s in found] == [(3, True)]
    assert without(text, found) == "".join(AROUND).encode()


@pytest.mark.parametrize("line", KEPT)
def test_a_statement_that_does_more_is_shown_and_kept(line: str) -> None:
    text = (AROUND[0] + line + AROUND[1]).encode()
    found = statements_about(text, Places(HOME, [OLD]))
    assert found
    assert not any(s.serves for s in found)
    assert without(text, found) == text


@pytest.mark.parametrize("line", NOT_MEANT)
def test_what_speaks_of_something_else_is_not_found(line: str) -> None:
    assert not statements_about((AROUND[0] + line + AROUND[1]).encode(), Places(HOME, [OLD]))


@pytest.mark.parametrize("above", [*range(60, 68), 125, 126, 127, 128, 129])
@pytest.mark.parametrize("between", ["\n", "; "])
def test_a_variable_is_known_in_the_next_run_of_statements(above: int, between: str) -> None:
    """Statements of a long file are looked at in runs, of which most are passed over."""
    lines = "".join(f"alias a{n}=b\n" for n in range(above))
    old = f'K=~/old-kelp{between}D=1\nexport PATH="$K/bin:$PATH"\n'
    found = statements_about((lines + old).encode(), Places(HOME, [OLD]))
    assert found[-1].line == above + (3 if between == "\n" else 2) and found[-1].serves
    assert {s.line for s in found} == {above + 1, found[-1].line}
