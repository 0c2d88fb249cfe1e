"""What people type after the first install, on an untouched Debian as its user, from the real registries.

Run by scripts/fresh-machine next. The authority that vouches for the network is known to the system's store
alone, as in a company.
"""

from __future__ import annotations

import re
import shutil
import time

import pytest

from tests.company import proxy
from tests.feeds.test_trust import secured
from tests.fresh_machine.test_first import Untouched, commands, untouched
from tests.fresh_machine.test_fresh_machine import PASSWORD, SCRATCH

__all__ = ["secured", "untouched"]

pytestmark = [pytest.mark.scratch, pytest.mark.network]

MANIFEST = """
[trust]
system = true

[runtimes.node]
want = "lts"

[runtimes.java]
want = "17"
"""
CHECKS = """
[[checks]]
name = "a jar runs"
run = "java -jar ~/jar/tide.jar"
expect = "42"

[[checks]]
name = "the page is built"
run = "test -s ~/web/tide/dist/index.html && echo built"
expect = "built"
"""
TYPED = {
    "versions": "node -v; npm -v; npx -v; java -version 2>&1 | head -1",
    "a generator": "mkdir -p ~/web && cd ~/web && npm create --yes vite@latest tide -- --template vanilla </dev/null",
    "its packages": "cd ~/web/tide && npm install && npm run build",
    "a global package": "npm install -g serve && command -v serve",
    "a page on a port": (
        "cd ~/web/tide; serve -l 5080 dist >/dev/null 2>&1 & sleep 3;"
        " node -e 'fetch(\"http://127.0.0.1:5080/\").then(r => r.text()).then(t => console.log(t.slice(0, 15)))';"
        " kill %1 2>/dev/null || :"
    ),
    "a jar": (
        "mkdir -p ~/jar && cd ~/jar && echo 'public class T { public static void main(String[] a) {"
        " System.out.println(6 * 7); } }' >T.java && javac T.java && jar cfe tide.jar T T.class && java -jar tide.jar"
    ),
}
SAYS = {
    "versions": r"^v\d+\.\d+\.\d+\n\d+\.\d+\.\d+\n\d+\.\d+\.\d+\nopenjdk version \"17\.",
    "a generator": r"npm install",
    "its packages": r"built in",
    "a global package": r"/home/tide/\.local/share/zesty-anchor/",
    "a page on a port": r"<!doctype html>",
    "a jar": r"^42$",
}


def test_next_what_people_type(untouched: Untouched) -> None:
    for line in commands()[:3]:
        code, shown, _ = untouched.person("bash", "-c", line, passwords=(PASSWORD, PASSWORD))
        assert code == 0, f"{line}\n{shown}"
    manifest = untouched.home / "workstation.toml"
    manifest.write_text(MANIFEST)
    code, shown, _ = untouched.person(
        "zesty-anchor", "provision", "--yes", "--trust", "workstation.toml", passwords=(PASSWORD,)
    )
    assert code == 0, shown
    for what, line in TYPED.items():
        told = untouched.fresh("bash", line)
        print(what, told)
        assert re.search(SAYS[what], told, re.MULTILINE), (what, told)
    manifest.write_text(MANIFEST + CHECKS)
    code, shown, _ = untouched.person("zesty-anchor", "provision", "--yes", "--trust", "workstation.toml")
    assert code == 0, shown
    code, shown, _ = untouched.person("zesty-anchor", "verify", "--online", "-v")
    assert code == 0 and "node's package tool fetches a package" in shown, shown
    code, shown, _ = untouched.person("zesty-anchor", "list", "node", "-v")
    assert "you installed serve@" in shown


LANGUAGES = """
[trust]
system = true

[runtimes.ruby]
want = "latest"

[runtimes.erlang]
want = "25"

[runtimes.elixir]
want = "latest"
"""
PAGES = {
    "a page by a gem": (
        r"""mkdir -p ~/gem/bin && cd ~/gem && cat >tide.gemspec <<'X'
Gem::Specification.new { |s| s.name = "tide-page"; s.version = "1.0"; s.summary = "a page"; s.authors = ["Tide Desk"]
s.files = ["bin/tide-page"]; s.executables = ["tide-page"]; s.license = "MIT"; s.homepage = "https://tide.example" }
X
cat >bin/tide-page <<'X'
#!/usr/bin/env ruby
require "socket"
TCPServer.open("127.0.0.1", 5081) { |s| c = s.accept; c.gets; c.write "HTTP/1.0 200 OK\r\n\r\nhigh water"; c.close }
X
chmod 755 bin/tide-page; gem build tide.gemspec >/dev/null && gem install --local tide-page-1.0.gem && command -v tide-page
tide-page & for n in $(seq 60); do sleep 1; (exec 3<>/dev/tcp/127.0.0.1/5081 && printf 'GET / HTTP/1.0\r\n\r\n' >&3 && cat <&3) 2>/dev/null && break; done; kill $! 2>/dev/null"""
    ),
    "a page by mix": (
        r"""mkdir -p ~/mix && cd ~/mix && rm -rf tide && mix new tide >/dev/null && cd tide && cat >lib/tide.ex <<'X'
defmodule Tide do
  def page do
    {:ok, listening} = :gen_tcp.listen(5082, [:binary, active: false, reuseaddr: true])
    {:ok, caller} = :gen_tcp.accept(listening)
    :ok = :gen_tcp.send(caller, "HTTP/1.0 200 OK\r\n\r\nlow water")
    :gen_tcp.close(caller)
  end
end
X
rm -r test; mix compile && (mix run -e 'Tide.page()' & for n in $(seq 60); do sleep 1; (exec 3<>/dev/tcp/127.0.0.1/5082 && cat <&3) 2>/dev/null && break; done; kill $! 2>/dev/null)"""
    ),
}
PAGES_SAY = {
    "a page by a gem": r"/home/tide/\.local/share/zesty-anchor/.*\n(.*\n)*.*high water",
    "a page by mix": r"low water",
}
PAGE_CHECKS = """
[[checks]]
name = "the gem is installed"
run = "gem list tide-page"
expect = "*tide-page (1.0)*"

[[checks]]
name = "the mix project compiles"
run = "cd ~/mix/tide && mix compile && echo compiled"
expect = "*compiled"
"""


def test_next_pages_by_gem_and_by_mix(untouched: Untouched) -> None:
    """Built from source: half an hour on two cores, the first time. What was built is handed to the next
    run.
    """
    for line in commands()[:3]:
        code, shown, _ = untouched.person("bash", "-c", line, passwords=(PASSWORD, PASSWORD))
        assert code == 0, f"{line}\n{shown}"
    handed, manifest, built = SCRATCH / "builds", untouched.home / "workstation.toml", ""
    if handed.is_dir():
        shutil.copytree(handed, untouched.home / "builds")
        untouched.inside("chown", "-R", "tide:tide", "/home/tide/builds")
        built = '\n[feeds.built]\nkind = "folder"\nurl = "~/builds"\n'
    manifest.write_text(LANGUAGES + built)
    began = time.monotonic()
    code, shown, _ = untouched.person(
        "zesty-anchor", "provision", "--yes", "--trust", "workstation.toml", passwords=(PASSWORD,),
        patience=2 * 3600,
    )  # fmt: skip
    print(f"provisioned in {time.monotonic() - began:.0f} s")
    assert code == 0, shown[-4000:]
    kept = untouched.home / ".cache/zesty-anchor/builds"
    if kept.is_dir():
        shutil.copytree(kept, handed, dirs_exist_ok=True)
    for what, line in PAGES.items():
        told = untouched.fresh("bash", line)
        print(what, told)
        assert re.search(PAGES_SAY[what], told, re.MULTILINE), (what, told)
    manifest.write_text(LANGUAGES + built + PAGE_CHECKS)
    code, shown, _ = untouched.person("zesty-anchor", "provision", "--yes", "--trust", "workstation.toml")
    assert code == 0, shown


def test_next_behind_a_companys_proxy(untouched: Untouched) -> None:
    """All that goes out goes through a proxy that looks into TLS, under an authority that the system's store
    alone knows.
    """
    with proxy() as (company, authority):
        shutil.copy(authority, untouched.root / "usr/local/share/ca-certificates/quay.crt")
        untouched.inside("update-ca-certificates")
        way = f"https_proxy={company.address}"
        for line in commands()[:3]:
            code, shown, _ = untouched.person("env", way, "bash", "-c", line, passwords=(PASSWORD, PASSWORD))
            assert code == 0, f"{line}\n{shown}"
        manifest = untouched.home / "workstation.toml"
        manifest.write_text(f'{MANIFEST}\n[variables]\nhttps_proxy = "{company.address}"\n')
        words = ("zesty-anchor", "provision", "--yes", "--trust", "workstation.toml")
        code, shown, _ = untouched.person("env", way, *words, passwords=(PASSWORD,))
        assert code == 0, shown
        company.hosts.clear()
        for what in (
            "versions",
            "a generator",
            "its packages",
            "a global package",
            "a page on a port",
            "a jar",
        ):
            told = untouched.fresh("bash", TYPED[what])
            print(what, told)
            assert re.search(SAYS[what], told, re.MULTILINE), (what, told)
        code, shown, _ = untouched.person("env", way, "zesty-anchor", "verify", "--online", "-v")
        assert code == 0 and "node's package tool fetches a package" in shown, shown
        told = untouched.fresh("bash", "cd $(mktemp -d) && python3 -m venv q && q/bin/pip install six")
        assert "Successfully installed six" in told, told
        assert len(set(company.hosts)) > 1, company.hosts
