"""The page with all of it: what stands in it, and how a browser takes it."""

from __future__ import annotations

import json
import os
import pwd
import re
import subprocess
from html.parser import HTMLParser
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS, Desk
from zesty_anchor.engine.past_runs import PastChange, PastRun
from zesty_anchor.proof.result import Cause, CheckResult, Proof, ShellResult
from zesty_anchor.show.report import causes, matrix, timeline
from zesty_anchor.show.ticket import in_markdown

MANIFEST = """
[variables]
GAUGE_TOKEN = "nobody-else-s-business"
[path]
first = ["~/bin"]
[[conflicts.remove]]
path = "~/old-kelp"
"""


class Page(HTMLParser):
    """The tags of a page with their attributes, and what is open at the end."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, dict(attrs)))


def luminance(colour: str) -> float:
    """WCAG 2.2, "relative luminance"."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    red, green, blue = (
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts
    )
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, two: str) -> float:
    light, dark = sorted((luminance(one), luminance(two)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.fixture(scope="module")
def told(tmp_path_factory: pytest.TempPathFactory, kelp_feed: str) -> Desk:
    """A home that was provisioned, with an old install in the attic and a line since then that breaks
    something.
    """
    home = tmp_path_factory.mktemp("report") / "home"
    home.mkdir()
    desk = Desk(home, kelp_feed)
    old = desk.write("#!/bin/sh\necho kelp 3.1.0\n", "old-kelp/bin/kelp")
    old.chmod(0o755)
    desk.write('PATH="$HOME/old-kelp/bin:$PATH"\nexport EDITOR=vi\n', ".bashrc")
    desk.wants(MANIFEST, '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n')
    desk.manifest.write_text('title = "Tide <desk> & quay"\n' + desk.manifest.read_text())
    desk.well("provision")
    desk.write((home / ".bashrc").read_text() + "alias kelp='<b>nothing'\n", ".bashrc")
    desk.well("report", "page.html")
    return desk


@pytest.mark.needs("bash", "zsh")
def test_it_says_what_stands_and_what_to_do_next(told: Desk) -> None:
    text = (told.home / "page.html").read_text()
    for words in (
        "Some checks failed",
        "delete ~/.bashrc:3",
        "kelp is an alias of the shell",
        "Tide &lt;desk&gt; &amp; quay",
        "kelp-4.2.1",
        "not signed",
        "~/old-kelp",
        "~/.local/share/zesty-anchor/shelf/kelp/4.2.1/bin",
        "What ran when in run 1",
        "install kelp 4.2.1",
        "GAUGE_TOKEN",
    ):
        assert words in text, words
    assert "nobody-else-s-business" not in text and "<b>" not in text and str(told.home) not in text
    found = told.well("report", "--json").json
    assert found["verified"]["state"] == "failing" and found["next"][0]["fix"] == "delete ~/.bashrc:3"
    (newest,) = [each for each in found["stands"] if each["wants"] == ["lts"]]
    assert newest["version"] == "4.2.1" and newest["digest"].startswith("sha256:") and newest["decided_by"]
    assert [each["was"].endswith("old-kelp") for each in found["kept"]] == [True]


def browse(file: Path, room: Path, width: int) -> tuple[set[str], str]:
    """Open a page in a real browser. Returns what it asked for of the addresses that stand in the page, and
    what it said.
    """
    log, shot = room / "net.json", room / "page.png"
    answer = subprocess.run(
        ["chromium", "--headless=new", "--no-sandbox", "--disable-gpu", "--enable-logging=stderr",
        "--no-first-run",
         "--disable-background-networking", f"--log-net-log={log}", f"--user-data-dir={room}/profile",
         f"--window-size={width},900",
         "--host-resolver-rules=MAP * ~NOTFOUND", f"--screenshot={shot}", file.as_uri()],
        env={**os.environ, "HOME": str(room)}, capture_output=True, text=True, timeout=120, check=False,
    )  # fmt: skip
    assert shot.read_bytes().startswith(b"\x89PNG"), answer.stderr
    hosts = set(re.findall(r"https?://([^/\"<\s]+)", file.read_text()))
    asked = re.findall(r'"url":"https?://([^/"]+)', log.read_text())
    return hosts & set(asked), answer.stderr


@pytest.mark.needs("chromium")
@pytest.mark.parametrize("width", [1280, 500])
def test_a_browser_asks_for_nothing_and_complains_of_nothing(told: Desk, tmp_path: Path, width: int) -> None:
    asked, said = browse(told.home / "page.html", tmp_path, width)
    assert not asked and "CONSOLE" not in said
    # The same page with an address outside in it, and without what forbids that: this is how it would show.
    text = re.sub(r'<meta http-equiv="Content-Security[^>]*>', "", (told.home / "page.html").read_text())
    (tmp_path / "bad.html").write_text(text.replace("</main>", '<img src="http://127.0.0.1:9/x.png"></main>'))
    asked, said = browse(tmp_path / "bad.html", tmp_path, width)
    assert asked == {"127.0.0.1:9"}


@pytest.mark.needs("bash", "zsh")
def test_it_is_whole_and_can_be_read_by_everybody(told: Desk) -> None:
    """No script, no address outside; landmarks, names and headings in order; contrast of 4.5 at least (WCAG
    2.2, 1.4.3), by day and by night.
    """
    text = (told.home / "page.html").read_text()
    page = Page(text)
    names = [tag for tag, _ in page.tags]
    assert not {"script", "img", "link", "iframe", "object"} & set(names)
    assert all(
        value.startswith("#") for _, attributes in page.tags for key, value in attributes.items()
        if key in ("href", "src") and value
    )  # fmt: skip
    assert [names.count(each) for each in ("header", "main", "footer", "nav", "h1", "title")] == [1] * 6
    assert dict(page.tags)["html"] == {"lang": "en"}
    ids = {attributes["id"] for _, attributes in page.tags if attributes.get("id")}
    for tag, attributes in page.tags:
        if tag == "a":
            assert (attributes["href"] or "")[1:] in ids
        if tag == "svg":
            assert attributes["role"] == "img" and attributes["aria-label"]
        if tag == "th":
            assert attributes["scope"] in ("row", "col")
        if attributes.get("aria-labelledby"):
            assert attributes["aria-labelledby"] in ids
        if attributes.get("tabindex"):
            assert attributes["role"] == "region"
    assert names.count("table") == names.count("caption") == names.count("thead")
    themes = [
        dict(re.findall(r"--(\w+): (#[0-9a-f]{6})", rule)) for rule in re.findall(r":root \{([^}]+)\}", text)
    ]
    assert len(themes) == 2
    for theme in themes:
        for ground in ("paper", "raised"):
            for ink in ("ink", "faint", "good", "bad", "look", "sea"):
                assert contrast(theme[ink], theme[ground]) >= 4.5, (ink, ground, theme[ink])


@pytest.mark.needs("bash")
def test_what_is_no_report_is_not_overwritten(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.write("my own notes\n", "notes.html")
    answer = desk.run("report", "notes.html")
    assert answer.code == 2 and "is not a report" in answer.err
    assert (desk.home / "notes.html").read_text() == "my own notes\n"
    assert "no folder" in desk.run("report", "nowhere/page.html").err
    desk.write("my own notes\n", "report.html")
    assert "is not a report" in desk.run("report").err, "the name that it has where none is given"
    desk.well("report", "page.html")
    assert "asks for more than was provisioned" in (desk.home / "page.html").read_text()
    desk.well("provision")
    desk.well("report", "page.html")
    text = (desk.home / "page.html").read_text()
    assert "checks passed" in text and "Nothing: everything that the manifest asks for is installed" in text
    assert "nothing relevant has changed since" in text
    desk.well("report", "page.html", "--anew")
    assert "has changed since" not in (desk.home / "page.html").read_text()
    desk.write((desk.home / ".bashrc").read_text() + "alias kelp=/nowhere\n", ".bashrc")
    desk.well("report", "page.html")
    assert "Some checks failed" in (desk.home / "page.html").read_text()


def test_figures_and_tables_of_facts() -> None:
    cause = Cause("an alias", "/h/rc", 3)
    well = CheckResult("a", True, "x", "x")
    bad = CheckResult("b", False, "x", "y", cause, "delete it")
    shells = (
        ShellResult("bash", "login", False, 5.0, (well, bad)),
        ShellResult("bash", "both", True, 5.0, (well, CheckResult("b", True, "x", "x"))),
        ShellResult("zsh", "login", False, 5.0, (well, bad)),
    )
    proof = Proof(False, shells)
    assert [(row.name, row.cells) for row in matrix(proof)] == [
        ("b", ((1, 2), (0, 1))),
        ("a", ((2, 2), (1, 1))),
    ]
    (told,) = causes(proof)
    assert told.shells == ("bash (login)", "zsh (login)") and told.checks == ("b",)
    changes = (
        PastChange("version", "install", "kelp 4", "done", 4.0, 100.0),
        PastChange("generated-file", "create", "x", "done", 1.0, 104.0),
        PastChange("version", "install", "coral 1", "failed", 2.0, 102.0),
    )
    run = PastRun(1, 100.0, 110.0, "m", "", "3 checks passed", changes, (), (), False)
    bars = [(bar.words, round(bar.start, 2), round(bar.length, 2), bar.kind) for bar in timeline(run)]
    assert bars == [
        ("install kelp 4", 0.0, 0.4, ""), ("install coral 1", 0.2, 0.2, "bad"), ("verify in new shells", 0.4, 0.6,
        ""),
    ]  # fmt: skip
    assert json.dumps(bars)


def test_markdown_for_a_ticket_names_nobody(told: Desk, tmp_path: Path) -> None:
    user, host = pwd.getpwuid(os.geteuid()).pw_name, os.uname().nodename
    text = told.run("report", "--markdown").out
    lines = text.splitlines()
    assert lines[:2] == ["<!-- zesty-anchor report -->", "# Some checks failed"]
    assert re.search(r"^## Cause 1: ", text, re.MULTILINE) and re.search(r"^1\. `", text, re.MULTILINE)
    assert "| kelp | 4.2.1 |" in text and text.count("<details>") == text.count("</details>") == 3
    assert str(told.home) not in text and "nobody-else-s-business" not in text
    assert not re.search(rf"(?<![\w-])({re.escape(user)}|{re.escape(host)})(?![\w-])", text)
    file = tmp_path / "ticket.md"
    assert told.run("report", "--markdown", str(file)).code == 0 and file.read_text()[:4] == "<!--"
    assert told.run("report", "--markdown", "--names", str(file)).code == 0
    mine = tmp_path / "notes.md"
    mine.write_text("# Mine\n")
    refused = told.run("report", "--markdown", str(mine))
    assert refused.code == 2 and mine.read_text() == "# Mine\n" and "not a report" in refused.err


def test_nothing_of_a_text_is_markup() -> None:
    cause = Cause("[x](y)", "~/a_b_c", 3, "a")
    check = CheckResult("a | b *c*", False, "`x`", "two\nlines | <b>", cause)
    (told,) = causes(Proof(False, (ShellResult("bash", "login", False, 1.0, (check,)),)))
    assert [line for line in in_markdown(1, told) if line] == [
        r"## Cause 1: \[x\](y)", "- at `~/a_b_c:3`: `a`", r"- fails: a \| b \*c\*", "- in: bash (login)",
        "- expected: `` `x` ``", "- observed: `two lines | <b>`",
    ]  # fmt: skip


@pytest.mark.needs("chromium")
def test_it_prints_on_two_pages_and_what_is_well_is_folded(told: Desk, tmp_path: Path) -> None:
    file = tmp_path / "page.pdf"
    subprocess.run(
        [PROGRAMS["chromium"], "--headless=new", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer",
         f"--user-data-dir={tmp_path / 'profile'}", f"--print-to-pdf={file}",
         (told.home / "page.html").as_uri()],
        env={"HOME": str(tmp_path), "PATH": "/usr/bin:/bin"}, check=True, capture_output=True, timeout=120,
    )  # fmt: skip
    assert 1 <= len(re.findall(rb"/Type\s*/Page[^s]", file.read_bytes())) <= 2
    page = (told.home / "page.html").read_text()
    order = [
        page.index(f'<h2 id="{name}">') for name in ("next", "proof", "altered", "asked", "path", "runs")
    ]
    assert order == sorted(order)
    assert re.search(r"<details><summary>\d+ checks passed in every shell</summary>", page)
