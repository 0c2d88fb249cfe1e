"""apt: the package manager of Debian and its family.

What is installed is read from dpkg's status; what can be had is asked of apt-cache(8); apt-get(8) does the
work and tells of it through APT's status descriptor (APT's README.progress-reporting).
"""

from __future__ import annotations

import copy
import difflib
import re
import subprocess
import time
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from urllib.parse import quote, unquote, urlsplit

from zesty_anchor.system import debconf, dpkg_status
from zesty_anchor.system.apt_repository import PackageFile, files_in
from zesty_anchor.system.command import Command
from zesty_anchor.system.deb_file import deb_file
from zesty_anchor.system.debconf import PackageLicence
from zesty_anchor.system.host import program_path
from zesty_anchor.system.package_manager import (
    LOCK_SECONDS,
    OWNER_SECONDS,
    PackageFacts,
    Run,
    Told,
    names_of,
    running,
)
from zesty_anchor.system.package_source import PackageSource, SourceForm
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.room import room as room_for
from zesty_anchor.system.with_sudo import with_sudo

STATUS = Path("/var/lib/dpkg/status")
LISTS = Path("/var/lib/apt/lists")
LISTS_OLD_SECONDS = 24 * 3600
_LARGEST_LOOKED_AT = 64 << 20
"""Bytes of a package that is fetched to see what it would ask."""
_MOST_NAMED = 5
_OTHERWISE = "apt failed: "
"""How the message of an error begins of which nothing else is known."""
_AT_WORK = {
    "apt": "apt",
    "apt-get": "apt-get",
    "aptitude": "aptitude",
    "dpkg": "dpkg",
    "unattended-upgr": "unattended-upgrades",
}
"""The programs that change what is installed, by the 15 letters that the kernel keeps (proc(5), "comm")."""

# sudo closes every descriptor above 2, so the status goes to standard output, where its lines are told by
# their beginning. Configuration files that a person changed are kept (dpkg(1), --force-things).
_ENVIRONMENT = ("env", "DEBIAN_FRONTEND=noninteractive", "LC_ALL=C")
_OPTIONS = (
    "-y", "-q", "-o", "APT::Status-Fd=1", "-o", "DPkg::Lock::Timeout=0",
    "-o", "Dpkg::Options::=--force-confdef", "-o", "Dpkg::Options::=--force-confold", "-o", "Dpkg::Use-Pty=0",
)  # fmt: skip
_PROGRESS = re.compile(r"^(dlstatus|pmstatus):([^:]*):([0-9.]+):(.*)$")
_HELD_WHERE = "dpkg's status"
_WAITING = re.compile(r"Could not get lock (\S+?)\.? It is held by process (\d+)(?: \(([^)]*)\))?")


class Apt:
    """apt-get, apt-cache and dpkg's status."""

    name = "apt"
    family = "debian"
    package = "Debian package"
    programs = ("apt", "apt-get", "aptitude", "dpkg")

    def __init__(self, environ: Mapping[str, str]) -> None:
        self._path = program_path(environ)
        self._alone: tuple[str, ...] = ()
        self._answered: dict[tuple[object, ...], subprocess.CompletedProcess[str]] = {}

    def taking_from(self, source: PackageSource) -> Apt:
        """By apt's own options for its lists of sources (apt.conf(5), Dir::Etc)."""
        found = copy.copy(self)
        file = self.source_form(source).files[-1][0]
        found._alone = ("-o", f"Dir::Etc::SourceList={file}", "-o", "Dir::Etc::SourceParts=-")
        found._answered = {}
        return found

    def facts(self, names: Collection[str]) -> PackageFacts:
        """What is known of some packages."""
        try:
            status = STATUS.read_bytes()
        except OSError as error:
            raise Problem(f"dpkg's status cannot be read: {error.strerror}", where=str(STATUS)) from None
        here, held, unfinished = dpkg_status.standing(status, names)
        release = {name: f"as root: apt-mark unhold {name}" for name in held}
        if not unfinished or at_work():  # of one that is at work nobody knows what it leaves unfinished
            return PackageFacts(self.family, self.name, here, held, held_where=_HELD_WHERE, release=release)
        names_of_them = ", ".join(sorted(unfinished)[:_MOST_NAMED])
        verb = "is" if len(unfinished) == 1 else "are"
        return PackageFacts(
            self.family,
            self.name,
            here,
            held,
            f"dpkg was interrupted earlier: {names_of_them} {verb} not configured",
            "dpkg --configure -a || apt-get -f install",
            _HELD_WHERE,
            release,
        )

    def all_installed(self) -> frozenset[str]:
        """The names of everything that is installed."""
        return dpkg_status.installed(STATUS.read_bytes())

    def commands(self, names: Sequence[str]) -> list[Command]:
        """The commands that installing takes, as an administrator could type them."""
        refresh = [("apt-get", "update", *self._alone)] if self._must_refresh(names) else []
        return [*refresh, ("apt-get", "install", *self._alone, *names)]

    def download_size(self, names: Sequence[str]) -> int | None:
        """``--print-uris`` prints address, file name, size and digest, one package a line."""
        answer = self._ask_once("apt-get", "install", "--print-uris", "-qq", *names)
        if answer.returncode != 0:
            return None
        sizes = [
            line.split()[2]
            for line in answer.stdout.splitlines()
            if line.startswith("'") and len(line.split()) >= 3
        ]
        return sum(int(size) for size in sizes if size.isdigit())

    def files_of(self, names: Sequence[str]) -> tuple[PackageFile, ...]:
        """By a simulation with an empty status, and without what apt has fetched already: it names none of
        that.
        """
        empty = ("-o", "Dir::State::Status=/dev/null", "-o", "Dir::Cache::Archives=/nonexistent/")
        uris = self._ask_once("apt-get", "install", "--print-uris", "-qq", *empty, *names)
        if uris.returncode != 0:
            unknown = self._unknown(names)
            if unknown:
                raise self._no_such(unknown)
            said = [line.removeprefix("E: ") for line in uris.stderr.splitlines() if line.startswith("E:")]
            raise Problem(f"{_OTHERWISE}{said[0] if said else 'it says no more'}", where=", ".join(names))
        files = [unquote(line.split()[1]) for line in uris.stdout.splitlines() if line.startswith("'")]
        exact = [f"{name}={version}" for name, version, *_ in (file.split("_") for file in files)]
        try:
            return files_in(uris.stdout, self._ask_once("apt-cache", "show", *exact).stdout if exact else "")
        except KeyError as error:
            raise Problem(
                f"apt gives no digest of {error.args[0]}", advice="refresh its lists: apt-get update"
            ) from None

    def licences(self, names: Sequence[str]) -> tuple[PackageLicence, ...]:
        """By the templates of the packages that may ask (dpkg-deb(1), ``--info``)."""
        comes = debconf.coming(self._ask_once("apt-get", "-s", "install", *names).stdout)
        exact = [f"{name}={version}" for name, (version, _) in comes.items()]
        asking = [
            stanza for stanza in debconf.stanzas(self._ask_once("apt-cache", "show", *exact).stdout)
            if (name := stanza.get("Package", "")) in comes and debconf.may_ask(stanza, comes[name][1])
            and int(stanza.get("Size", "0")) < _LARGEST_LOOKED_AT
        ] if exact else []  # fmt: skip
        found: list[PackageLicence] = []
        for stanza in asking:
            name = stanza["Package"]
            with room_for("package") as room:
                self._ask("apt-get", "download", f"{name}={stanza['Version']}", folder=room)
                for file in room.glob("*.deb"):
                    templates = self._ask("dpkg-deb", "-I", str(file), "templates").stdout
                    seen = debconf.seen_in(self._ask("debconf-show", name).stdout)
                    found += debconf.licences_in(name, templates, seen)
        return tuple(found)

    def answering(self, answers: Mapping[str, str | bool], asked: Sequence[PackageLicence]) -> Command | None:
        """By debconf-set-selections(1). A question belongs to the package whose name it begins with, or to
        the one that is known to ask it.
        """
        owners = {each.name: each.package for each in asked}
        given = {**answers, **{each.name: True for each in asked if each.name not in answers}}
        lines = [
            debconf.selection(owners.get(name, name.partition("/")[0]), name, answer)
            for name, answer in given.items()
        ]
        return debconf.answering(lines) if lines else None

    def forgetting(self, owners: Sequence[str]) -> Command | None:
        """By debconf-communicate(1)."""
        return debconf.forgetting(list(owners)) if owners else None

    def install(self, names: Sequence[str], run: Run, told: Told, log: Path) -> None:
        """Install packages, after what an earlier run of dpkg left unfinished."""
        with log.open("a", encoding="utf-8") as written:
            self._finish(run, told, written.write, log)
            if self._must_refresh(names):
                told("refresh the package lists", 0, 100)
                refresh = (*_ENVIRONMENT, "apt-get", "update", "-q", *self._alone)
                self._run(refresh, run, told, written.write, log)
            unknown = self._unknown(names)
            if unknown:
                raise self._no_such(unknown)
            words = (*_ENVIRONMENT, "apt-get", "install", *_OPTIONS, *self._alone, *names)
            self._run(words, run, told, written.write, log)

    def removable(self, names: Iterable[str]) -> tuple[list[str], dict[str, list[str]]]:
        """Which of these can go so that nothing else goes with them, found by simulation."""
        here = self.all_installed()
        going = [name for name in names if name in here]
        holding: dict[str, list[str]] = {}
        while going:
            outside = self._would_go(going) - set(going)
            if not outside:
                break
            needed = dpkg_status.needed_by(STATUS.read_bytes(), outside) & set(going) or set(going)
            holding |= {name: sorted(outside) for name in sorted(needed)}
            going = [name for name in going if name not in needed]
        return going, holding

    def goes_with(self, names: Sequence[str]) -> tuple[str, ...] | None:
        """What else a removal would take; None where apt refuses it, or a package that the system needs would
        go.
        """
        answer = self._ask_once("apt-get", "-s", "purge", *names)
        going = _going(answer.stdout)
        if answer.returncode != 0 or dpkg_status.essential(STATUS.read_bytes(), {*going, *names}):
            return None
        return tuple(sorted(going - set(names)))

    def versions(self, names: Sequence[str]) -> dict[str, str]:
        """The installed versions of packages."""
        return dpkg_status.versions(STATUS.read_bytes(), names)

    def exactly(self, versions: Mapping[str, str]) -> list[str]:
        """The words by which just these versions are installed."""
        return [f"{name}={version}" for name, version in versions.items()]

    def is_alone(self, name: str, version: str) -> bool:
        """``madison`` lists what the archives hold, and not what is merely installed."""
        rows = (line.split("|") for line in self._ask_once("apt-cache", "madison", name).stdout.splitlines())
        return all(len(row) < 2 or row[1].strip() != version for row in rows)

    def copy_of(self, name: str, folder: Path) -> Path:
        """A file in a folder, made from what is installed, that ``install`` takes for a name."""
        return deb_file(name, folder, self._path)

    def settings_of(self, names: Sequence[str]) -> list[str]:
        """The files of configuration that belong to packages."""
        answer = self._ask("dpkg-query", "-W", "-f", "${Conffiles}\\n", *names)
        return [line.split()[0] for line in answer.stdout.splitlines() if line.startswith(" /")]

    def unasked(self, names: Sequence[str]) -> list[str]:
        """What apt calls automatically installed (apt-mark(8))."""
        return self._ask("apt-mark", "showauto", *names).stdout.split()

    def mark_unasked(self, names: Sequence[str]) -> Command | None:
        """See ``unasked``."""
        return ("apt-mark", "auto", *names)

    def removal(self, names: Sequence[str]) -> Command:
        """The command that removes packages with all that belongs to them, and asks nothing."""
        return (*_ENVIRONMENT, "apt-get", "purge", *_OPTIONS, *names)

    def typed_removal(self, names: Sequence[str]) -> Command:
        """The same as an administrator would type it."""
        return ("apt-get", "purge", *names)

    def owners_of(self, files: Sequence[str]) -> dict[str, str]:
        """What dpkg's records say (dpkg-query(1), -S)."""
        named = {file: names_of(file) for file in files}
        patterns = dict.fromkeys(_literal(name) for names in named.values() for name in names)
        owned: dict[str, str] = {}
        if patterns:
            with suppress(OSError, subprocess.TimeoutExpired):
                answer = subprocess.run(
                    ["dpkg-query", "-S", *patterns], stdin=subprocess.DEVNULL, capture_output=True, text=True,
                    timeout=OWNER_SECONDS, check=False, errors="surrogateescape", env={"LC_ALL": "C",
                    "PATH": self._path},
                )  # fmt: skip
                for line in answer.stdout.splitlines():
                    packages, _, path = line.partition(": ")
                    if path and not packages.startswith("diversion by "):
                        owned.setdefault(path, packages.split(",")[0].split(":")[0])
        return {
            file: next((owned[name] for name in names if name in owned), "") for file, names in named.items()
        }

    def source_form(self, source: PackageSource) -> SourceForm:
        """A file of sources.list(5), "Deb822-style format", and the key in a file of its own."""
        if not source.suite:
            raise Problem(
                f"the source {source.name} names no suite",
                where=f"[prerequisites.sources.{source.name}]",
                advice=(
                    'write the name of the folder below dists/: suite = "stable"; for a flat archive its'
                    ' path, with a slash: suite = "./"'
                ),
            )
        key_file, file = (
            f"/etc/apt/keyrings/{source.own}.asc",
            f"/etc/apt/sources.list.d/{source.own}.sources",
        )
        rows = [f"Types: deb\nURIs: {source.url}\nSuites: {source.suite}\n"]
        rows += [f"Components: {' '.join(source.components)}\n"] if source.components else []
        text = f"{source.head}{''.join(rows)}Signed-By: {key_file}\n"
        # This one alone; the lists of the others stay as they are (apt.conf(5), Dir::Etc,
        # APT::Get::List-Cleanup).
        only = (
            "-o",
            f"Dir::Etc::SourceList={file}",
            "-o",
            "Dir::Etc::SourceParts=-",
            "-o",
            "APT::Get::List-Cleanup=0",
        )
        refresh: Command = ("apt-get", "update", "-q", *only, "-o", "APT::Update::Error-Mode=any")
        return SourceForm(
            ((key_file, source.key), (file, text)), refresh, (forget_lists(source.url, source.suite),)
        )

    def _would_go(self, names: Sequence[str]) -> set[str]:
        """What a removal would take, by simulation. Where apt refuses even that, the rest of the system."""
        answer = self._ask_once("apt-get", "-s", "purge", *names)
        if answer.returncode != 0:
            return {"much of the system"}
        return _going(answer.stdout)

    def _must_refresh(self, names: Sequence[str]) -> bool:
        if all(name.startswith("/") for name in names):
            return False
        try:
            newest = max(
                (
                    f.stat().st_mtime
                    for f in LISTS.iterdir()
                    if f.is_file() and ("_dists_" in f.name or f.name.endswith("_Packages"))
                ),
                default=0.0,
            )
        except OSError:
            newest = 0.0
        checked = max(newest, LISTS.stat().st_mtime if newest else 0.0)
        return time.time() - checked > LISTS_OLD_SECONDS or bool(self._unknown(names))

    def _unknown(self, names: Sequence[str]) -> list[str]:
        """The names that no list holds, or only as a name that nothing provides any more; ``NAME=VERSION`` is
        a name too, and so is a package's own file, which needs no list.
        """
        names = [name.partition("=")[0] for name in names if not name.startswith("/")]
        answer = self._ask_once("apt-cache", "policy", *names)
        known, current = set(), ""
        for line in answer.stdout.splitlines():
            if line and not line.startswith(" "):
                current = line.rstrip(":")
            elif line.strip().startswith("Candidate:") and "(none)" not in line:
                known.add(current.partition(":")[0])
        missing = [name for name in names if name.partition(":")[0] not in known]
        return [name for name in missing if not self._provided(name)]

    def _provided(self, name: str) -> bool:
        answer = self._ask_once("apt-cache", "showpkg", name)
        return bool(answer.stdout.partition("Reverse Provides:")[2].strip())

    def _no_such(self, unknown: Sequence[str]) -> Problem:
        names = self._ask_once("apt-cache", "pkgnames").stdout.split()
        parts = []
        for name in unknown:
            close = difflib.get_close_matches(name, names, 3, 0.7)
            parts.append(f"for {name}: {', '.join(close)}" if close else f"for {name}: nothing comes near")
        return Problem(
            f"Debian knows no package {', '.join(repr(u) for u in unknown)}",
            where="[prerequisites] packages, or a recipe's needs",
            advice=f"the nearest names: {'; '.join(parts)}",
        )

    def _finish(self, run: Run, told: Told, write: Callable[[str], object], log: Path) -> None:
        """Wait for another package manager that is at work, then configure what dpkg left unfinished; where
        its dependencies are missing apt installs them first (apt-get(8), "-f").
        """
        began = time.monotonic()
        while self._unfinished() and (other := at_work()) and time.monotonic() - began < LOCK_SECONDS:
            told(f"wait for {other}, which is at work", 0, 100)
            time.sleep(1)
        if not self._unfinished():
            return
        told("configure what dpkg left unfinished", 0, 100)
        with suppress(Problem):
            self._run((*_ENVIRONMENT, "dpkg", "--force-confdef", "--force-confold", "--configure", "-a"),
                      run, told, write, log)  # fmt: skip
        if self._unfinished():
            try:
                self._run((*_ENVIRONMENT, "apt-get", "-f", "install", *_OPTIONS), run, told, write, log)
            except Problem as problem:
                if not problem.what.startswith(_OTHERWISE):  # a lock, a disk that is full
                    raise
        if left := self._unfinished():
            raise Problem(
                f"dpkg cannot configure {', '.join(left[:_MOST_NAMED])}",
                where=f"its whole output: {log}",
                advice=f"read why in that file; or remove it: {with_sudo(f'apt-get purge {left[0]}')}",
            )

    def _unfinished(self) -> list[str]:
        return sorted(dpkg_status.standing(STATUS.read_bytes(), ())[2])

    def _run(self, command: Command, run: Run, told: Told, write: Callable[[str], object], log: Path) -> None:
        errors: list[str] = []
        began = time.monotonic()

        def hear(line: str) -> None:
            write(line + "\n")
            progress = _PROGRESS.match(line)
            waiting = _WAITING.search(line)
            if progress:
                told(progress[4] or progress[2], int(float(progress[3])), 100)
            elif waiting:
                told(f"wait for the lock held by {waiting[3] or 'a process'} ({waiting[2]})", 0, 100)
            if line.startswith(("E: ", "dpkg: error")):
                errors.append(line.removeprefix("E: "))

        while True:
            errors.clear()
            if run(command, hear) == 0:
                return
            # DPkg::Lock::Timeout would wait too, but not for the lists' lock, and without a line that could
            # be read.
            if not any(_WAITING.search(e) for e in errors) or time.monotonic() - began > LOCK_SECONDS:
                raise apt_problem(errors, log)
            time.sleep(2)

    def _ask(self, *words: str, folder: Path | None = None) -> subprocess.CompletedProcess[str]:
        """A question to apt that needs no privilege and changes nothing."""
        words = (words[0], *self._alone, *words[1:]) if words[0] in ("apt-get", "apt-cache") else words
        try:
            return subprocess.run(
                words, stdin=subprocess.DEVNULL, capture_output=True, text=True, errors="replace",
                check=False, cwd=folder,
                env={"LC_ALL": "C", "PATH": self._path}, timeout=120,
            )  # fmt: skip
        except (OSError, subprocess.TimeoutExpired) as error:
            raise Problem(
                f"{words[0]} cannot be asked: {error}", advice="does apt work on this machine?"
            ) from None

    def _ask_once(self, *words: str) -> subprocess.CompletedProcess[str]:
        """The same, and not again while neither what is installed nor what can be had has changed: a
        simulation takes seconds.
        """
        question = (words, *(path.stat().st_mtime_ns for path in (STATUS, LISTS) if path.exists()))
        if question not in self._answered:
            self._answered[question] = self._ask(*words)
        return self._answered[question]


def at_work() -> str:
    """Another package manager of this family that runs as root, with its process: ``apt-get (4711)``; empty
    where none does. An ordinary user may not look at dpkg's lock (its mode is 0640), but at processes.
    """
    return running(_AT_WORK)


def forget_lists(url: str, suite: str) -> Command:
    """The command that removes what apt keeps of a source: it is named by the address, with underscores for
    slashes. Pure.
    """
    parts = urlsplit(url)
    where = f"{parts.hostname or ''}{f':{parts.port}' if parts.port else ''}{parts.path}".strip("/").replace(
        "/", "_"
    )
    part = suite.replace("/", "_") if suite.endswith("/") else f"dists_{suite}_"
    start = quote(f"{where}_{part}", safe="._-+:~%")
    script = '# remove the lists of $1\ncd /var/lib/apt/lists && rm -f -- "$1"* partial/"$1"*'
    return ("sh", "-c", script, "sh", start)


def forgetting(text: str) -> Command:
    """The same of the source that a file of ours describes. Pure."""
    rows = dict(row.split(": ", 1) for row in text.splitlines() if ": " in row)
    return forget_lists(rows.get("URIs", ""), rows.get("Suites", ""))


def _literal(path: str) -> str:
    """A path as a pattern of dpkg-query(1) that stands for nothing else."""
    return re.sub(r"([*?\[\\])", r"\\\1", path)


def _going(simulated: str) -> set[str]:
    """The names of the packages that a simulated removal takes (apt-get(8), ``-s``)."""
    lines = (line for line in simulated.splitlines() if line.startswith(("Purg ", "Remv ")))
    return {line.split()[1].partition(":")[0] for line in lines}


def apt_problem(errors: Sequence[str], log: Path) -> Problem:
    """What apt's error lines mean, and the way out."""
    text = "\n".join(errors)
    where = f"its whole output: {log}"
    locked = _WAITING.search(text)
    if locked:
        who = f"{locked[3] or 'a process'} ({locked[2]})"
        return Problem(
            f"another process holds the package manager's lock: {who}",
            where=locked[1],
            advice="wait for it to end, then run the same command again",
        )
    if "dpkg was interrupted" in text:
        return Problem(
            "dpkg was interrupted earlier",
            where=where,
            advice=(
                f"fix it first: {with_sudo('dpkg --configure -a')}; if that fails: "
                f"{with_sudo('apt-get -f install')}"
            ),
        )
    if "Held packages were changed" in text or "held broken packages" in text:
        return Problem(
            "a package is on hold and is in the way",
            where=where,
            advice=f"apt-mark showhold lists them; release one with: {with_sudo('apt-mark unhold NAME')}",
        )
    if "don't have enough free space" in text or "No space left" in text:
        return Problem(
            "the disk is full", where=where, advice="make room (apt-get clean helps), then try again"
        )
    if "Failed to fetch" in text or "Unable to fetch" in text:
        return Problem(
            f"apt could not fetch everything: {errors[0]}",
            where=where,
            advice=f"check the network; then: {with_sudo('apt-get update')}, and run the same command again",
        )
    return Problem(
        f"{_OTHERWISE}{errors[0] if errors else 'it says no more'}", where=where, advice="see its output"
    )
