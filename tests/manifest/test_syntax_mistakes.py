"""What people write in place of TOML: each is named, with its line, and the line to write is TOML."""

from __future__ import annotations

import tomllib

import pytest

from zesty_anchor.manifest.syntax_mistakes import mistake

HEAD = 'title = "Tide desk"\n[runtimes.kelp]\n'
# What was typed on the third line, words of what is wrong, and what to write.
TYPED = (
    ("want = True", "lower case", "want = true"),
    ("optional-needs = False  # no", "lower case", "optional-needs = false  # no"),
    ("optional-needs = yes", "the values are true and false", "optional-needs = true"),
    ("alternatives = off", "the values are true and false", "alternatives = false"),
    ("feed = null", "no null", ""),
    ("feed = None", "no null", ""),
    ("want = “4.2”", "curly quotes", 'want = "4.2"'),
    ("want = ‘4.2’", "curly quotes", "want = '4.2'"),
    ("want = „lts“", "curly quotes", None),
    ("want = lts", "quotes", 'want = "lts"'),
    ("want = 4.2.1", "quotes", 'want = "4.2.1"'),
    ("want = >=4 <6", "quotes", 'want = ">=4 <6"'),
    ("want = v4.2", "quotes", 'want = "v4.2"'),
    ("want = lts  # the long line", "quotes", 'want = "lts"  # the long line'),
    ("want = ~/kelp", "quotes", 'want = "~/kelp"'),
    ('want = "4.2', "lacks a quote", 'want = "4.2"'),
    ("want = '4.2", "lacks a quote", "want = '4.2'"),
    ('want = 4.2"', "quotes", 'want = "4.2"'),
    ('also = ["3.6"', "lacks a quote or a bracket", 'also = ["3.6"]'),
    ('also = ["3.6" "4.1"]', "commas", 'also = ["3.6", "4.1"]'),
    ("also = [3.6, lts]", "commas", 'also = ["3.6", "lts"]'),
    ('companions = { pack = "1"', "lacks a quote or a bracket", 'companions = { pack = "1"}'),
    ("want =", "no value", 'want = ""'),
    ("want = # later", "no value", 'want = ""'),
    ("want: lts", "not by a colon", 'want = "lts"'),
    ('want: "4.2"', "not by a colon", 'want = "4.2"'),
    ('"want": "4.2",', "not by a colon", 'want = "4.2"'),
    ("also: [\"3.6\"]", "not by a colon", 'also = ["3.6"]'),
    ("kelp:", "YAML", "[kelp]"),
    ('want == "4.2"', "a single =", 'want = "4.2"'),
    ('want := "4.2"', "a single =", 'want = "4.2"'),
    ('want => "4.2"', "a single =", 'want = "4.2"'),
    ('want = "4.2",', "without a comma", 'want = "4.2"'),
    ('want = "4.2";', "without a comma", 'want = "4.2"'),
    ('want = "4.2"  // the long line', "begins with #", 'want = "4.2"  # the long line'),
    ("; the long line", "begins with #", "# the long line"),
    ("// the long line", "begins with #", "# the long line"),
    ("-- the long line", "begins with #", "# the long line"),
    ("export GAUGE=north", "as in a shell", 'GAUGE = "north"'),
    ('export GAUGE="north quay"', "as in a shell", 'GAUGE = "north quay"'),
    ("setenv GAUGE north", "as in a shell", 'GAUGE = "north"'),
    ("[runtimes.coral", "bracket", "[runtimes.coral]"),
    ("runtimes.coral]", "bracket", "[runtimes.coral]"),
    ("runtimes.coral", "bracket", "[runtimes.coral]"),
    ('system = "C:\\Users\\kelp"', "backslash", "system = 'C:\\Users\\kelp'"),
    ('the want = "4.2"', "blanks", '"the want" = "4.2"'),
)  # fmt: skip


@pytest.mark.parametrize(("typed", "what", "better"), TYPED, ids=[each[0] for each in TYPED])
def test_a_line_is_named_with_what_to_write(typed: str, what: str, better: str | None) -> None:
    text = f"{HEAD}{typed}\n[path]\n"
    with pytest.raises(tomllib.TOMLDecodeError) as caught:
        tomllib.loads(text)
    message = str(caught.value)
    found = mistake(text, message, int(message.partition("at line ")[2].partition(",")[0] or 4))
    assert what in found.what and found.line == 3, found
    if better is None:
        assert found.advice.startswith("write: ")
    else:
        assert found.advice == (f"write: {better}" if better else "take the line out")
    if found.advice.startswith("write: "):
        tomllib.loads(text.replace(typed, found.advice.removeprefix("write: ")))


WHOLE = (
    ("\ufeff" + HEAD, 1, "byte order mark", "without one"),
    ('{"runtimes": {}}\n', 1, "JSON", "[runtimes.kelp]"),
    ("\n---\nruntimes:\n", 2, "YAML", "[runtimes.kelp]"),
    (HEAD + '<<<<<<< mine\nwant = "4"\n=======\nwant = "5"\n>>>>>>> theirs\n', 3, "not resolved", "keep one"),
    (HEAD + 'want = "4"\n[runtimes.kelp]\n', 4, "this table is there already", "line 2"),
    (HEAD + 'want = "4"\nwant = "5"\n', 4, "this key is there already", "line 3"),
    (HEAD + 'want = "4"\nalso = [\n  "3.6",\n  "4.1"\n[path]\n', 4, "", ""),
    (HEAD + 'companions = {\n  pack = "1"\n}\n', 3, "inline table", "[NAME]"),
    (HEAD + 'want = "4\n.2"\n', 3, "lacks a quote", 'write: want = "4"'),
    (HEAD + "want = 4 2 = 3 [\n", 3, "", ""),
)  # fmt: skip


@pytest.mark.parametrize(("text", "line", "what", "advice"), WHOLE)
def test_what_is_wrong_with_more_than_a_line(text: str, line: int, what: str, advice: str) -> None:
    with pytest.raises(tomllib.TOMLDecodeError) as caught:
        tomllib.loads(text)
    message = str(caught.value)
    found = mistake(
        text, message, int(message.partition("at line ")[2].partition(",")[0] or len(text.splitlines()))
    )
    assert what in found.what and advice in found.advice and found.line == line, (found, message)
    assert found.advice


def test_there_are_many() -> None:
    assert len(TYPED) + len(WHOLE) >= 55
