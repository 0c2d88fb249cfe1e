from pathlib import Path

import pytest

from zesty_anchor.manifest.position import line_of
from zesty_anchor.manifest.read import read_manifest
from zesty_anchor.manifest.wanted import refer
from zesty_anchor.system.problem import Problems, UsageProblem

RIGHT = """\
title = "Tide desk"
[shells]
use = ["bash"]
[feeds.harbour]
kind = "index"
url = "http://127.0.0.1:1/"
[runtimes.kelp]
want = "lts"
also = ["3.6"]
[variables]
GAUGE = "north quay, $5 a day"
[[conflicts.remove]]
path = "~/old-kelp"
[[checks]]
name = "one"
run = "kelp one"
"""


def told(folder: Path, text: str) -> list[UsageProblem]:
    file = folder / "workstation.toml"
    file.write_text(text)
    with pytest.raises(UsageProblem) as caught:
        read_manifest(file)
    return caught.value.each if isinstance(caught.value, Problems) else [caught.value]


def test_a_right_manifest_is_read(tmp_path: Path) -> None:
    file = tmp_path / "workstation.toml"
    file.write_text(RIGHT)
    manifest = read_manifest(file)
    assert manifest.runtimes["kelp"].also == ("3.6",)
    assert manifest.conflicts.remove[0].path == "~/old-kelp"


@pytest.mark.parametrize(
    ("change", "line", "what", "advice"),
    [
        (("want =", "wnat ="), 8, "'wnat' is not known", "'want'"),
        (('want = "lts"', "want = 4"), 8, "number 4, but text is expected", '"4"'),
        (('also = ["3.6"]', 'also = "3.6"'), 9, "a list is expected", '["3.6"]'),
        (('kind = "index"', 'kind = "indx"'), 5, "one of", "index"),
        (('use = ["bash"]', 'use = "al"'), 3, "one of", "all"),
        (("[variables]", "[varables]"), 10, "'varables' is not known", "'variables'"),
        (("GAUGE =", '"GA-UGE" ='), 11, "expected is a variable's name: a letter or _", ""),
        (('want = "lts"', 'want = "kelp@4"'), 8, "kelp@4", '"4"'),
        (('path = "~/old-kelp"', 'path = "old-kelp"'), 13, "neither absolute", "~/old-kelp"),
        (('run = "kelp one"', ""), 14, "does not say what is checked", "run"),
        (
            ("[runtimes.kelp]", "[runtimes]\nkelp = 4\n[shelf.kelp]"),
            8,
            "a table is expected",
            "[runtimes.kelp]",
        ),
        (('url = "http://127.0.0.1:1/"', ""), 4, "no address", "url ="),
        (("[runtimes.kelp]", '[runtimes.kelp]\nfeed = "harbor"'), 8, "no feed 'harbor'", "'harbour'"),
    ],
)
def test_what_is_wrong_is_told_with_line_and_the_right_word(
    tmp_path: Path, change: tuple[str, str], line: int, what: str, advice: str
) -> None:
    problem = told(tmp_path, RIGHT.replace(*change, 1))[0]
    assert problem.code == 2
    assert problem.where.endswith(f"workstation.toml:{line}"), problem.where
    assert what in problem.what
    assert advice in problem.advice


def test_everything_wrong_is_told_at_once(tmp_path: Path) -> None:
    assert (
        len(told(tmp_path, RIGHT.replace("want", "wnat").replace("GAUGE", '"G G"').replace("run", "rnu")))
        >= 3
    )


def test_a_syntax_error_has_its_line(tmp_path: Path) -> None:
    problem = told(tmp_path, RIGHT.replace('want = "lts"', 'want = "lts'))[0]
    assert problem.where.endswith(":8")
    assert told(tmp_path, 'title = "\xff"'.encode("latin-1").decode("latin-1") + "\nx")[0].code == 2


def test_bytes_that_are_not_utf8_are_told(tmp_path: Path) -> None:
    file = tmp_path / "workstation.toml"
    file.write_bytes(b'title = "\xff"')
    with pytest.raises(UsageProblem, match="UTF-8"):
        read_manifest(file)


def test_lines_of_every_kind_of_key() -> None:
    text = 'a.b = 1\nc = { d = 2,\n e = [1,\n 2] }\n[[x]]\ny = 1\n[[x]]\n\n"z z" = 1\n[x.deep]\nw = 1\n'
    assert line_of(text, ("a", "b")) == 1
    assert line_of(text, ("c", "e", 1)) == 4
    assert line_of(text, ("x", 0, "y")) == 6
    assert line_of(text, ("x", 1, "z z")) == 9
    assert line_of(text, ("x", 1, "deep", "w")) == 11
    assert line_of(text, ("x", 1, "missing")) == 7


def test_only_names_of_runtimes_are_references() -> None:
    places = {"coral": "/shelf/coral/11"}
    assert refer("{coral}/lib", places) == "/shelf/coral/11/lib"
    assert refer('{"a": {"b": 1}} {other} {}', places) == '{"a": {"b": 1}} {other} {}'
    assert refer("{{coral}} {{other}}", places) == "{coral} {{other}}"
