"""One command on many machines, over the person's own OpenSSH. Each machine decides and notes for itself, so
that a connection that is cut loses nothing: the work goes on there, and the next call finds it.
"""

from __future__ import annotations

import fnmatch
import hashlib
import shlex
import tempfile
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.changes.question import Question
from zesty_anchor.engine.questions import PASSWORD, AnswersNeeded, settle
from zesty_anchor.operations import brought
from zesty_anchor.operations.agreed import agreed
from zesty_anchor.operations.passwords import TRIES, Passwords, wants_password
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.spread import OnHost, Spread, State, differing, judged, questions_of
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.own_program import unpacked
from zesty_anchor.system.problem import Problem, UsageProblem
from zesty_anchor.system.remote import Remote, Unreachable, last_line, names_in
from zesty_anchor.system.visible import visible

COMMANDS = ("preview", "provision", "verify", "upgrade", "undo", "status", "report", "diff")
_GOES_ON = ("provision", "upgrade", "undo")
"""What changes a machine: it goes on there when the connection is cut."""
_WITH_MANIFEST = ("preview", "provision", "verify", "upgrade", "report")
_ASKS = ("provision", "upgrade")
_TRIES = 5
"""How often a connection that was cut is taken up again."""
_PAUSE = 0.5


class AcrossOptions(msgspec.Struct, frozen=True):
    """How it is done: ``at_once`` machines at a time, ``first`` so many alone before the others, stopped
    where more than ``stop`` of a hundred of those that were tried have failed (None: never); ``share`` brings
    what is downloaded here; ``config`` is a configuration file for ssh, ``program`` this program in one file,
    to be sent in place of the one that runs (None: that, if it is one file itself). The machines of one of
    the ``groups`` have one password for sudo.
    """

    at_once: int = 16
    first: int = 0
    stop: int | None = None
    share: bool = False
    config: Path | None = None
    program: Path | None = None
    groups: Mapping[str, Sequence[str]] = {}


def hosts_of(words: str, groups: Mapping[str, Sequence[str]], listed: str = "") -> list[str]:
    """The machines that a person names: names and groups with commas between them, patterns over all that the
    groups have, ``-`` for the list. Pure.

    Raises ``UsageProblem`` for a pattern that nothing matches, and where there is none.
    """
    every = list(dict.fromkeys(name for names in groups.values() for name in names))
    found: dict[str, None] = {}
    for word in filter(None, (each.strip() for each in words.split(","))):
        if word == "-":
            found |= dict.fromkeys(names_in(listed))
        elif word in groups:
            found |= dict.fromkeys(groups[word])
        elif any(sign in word for sign in "*?["):
            matching = fnmatch.filter(every, word)
            if not matching:
                raise UsageProblem(
                    f"no host of a group matches {word!r}", advice="write [groups] in --hosts FILE"
                )
            found |= dict.fromkeys(matching)
        else:
            found[word] = None
    if not found:
        raise UsageProblem(
            "no host is named", advice="write its name, or a group of --hosts FILE, after across"
        )
    return list(found)


def read_groups(file: Path) -> dict[str, list[str]]:
    """The groups of a file: ``[groups]`` with a list of hosts for each name, or a plain list of names, one a
    line (the group ``all``). Raises ``UsageProblem`` where it is neither.
    """
    from zesty_anchor.manifest.toml_file import parsed, read_text

    text = read_text(file)
    if "[groups]" not in text:
        return {"all": list(names_in(text))}
    groups = parsed(text, file).get("groups", {})
    wrong = [
        name
        for name, hosts in groups.items()
        if not isinstance(hosts, list) or not all(isinstance(each, str) for each in hosts)
    ]
    if wrong:
        what = f"the group {wrong[0]!r} is not a list of hosts"
        raise UsageProblem(what, where=str(file), advice=f'write: {wrong[0]} = ["quay-1", "quay-2"]')
    return {**groups, "all": [host for hosts in groups.values() for host in hosts]}


def across(
    workstation: Workstation,
    person: Person,
    hosts: Sequence[str],
    command: str,
    arguments: Sequence[str],
    choice: AcrossOptions,
    keep: Callable[[str, bytes], None] = lambda host, page: None,
) -> Spread:
    """Run a command on machines. Raises ``Problem`` where it cannot be begun; what becomes of each machine is
    in the result. ``keep`` gets the page that each of them made for ``report``.
    """
    if command not in COMMANDS:
        raise UsageProblem(
            f"across does not run {command!r}",
            advice=f"it runs {', '.join(COMMANDS[:-1])} and {COMMANDS[-1]}",
        )
    began = time.monotonic()
    if command in _WITH_MANIFEST:
        agreed(workstation, person)
    with tempfile.TemporaryDirectory(prefix="za-") as control:
        work = _Work(workstation, person, command, arguments, choice, Path(control), keep)
        try:
            answered: Mapping[str, OnHost] = {}
            if command in _ASKS and not person.yes:
                answered = work.asked(hosts)
            found = work.all_of([each for each in hosts if each not in answered])
            done = {**answered, **{each.host: each for each in found}}
        finally:
            work.close()
    result = tuple(done[each] for each in hosts)
    if command == "diff":
        result = _differing(workstation, result)
    return Spread(command, result, round(time.monotonic() - began, 3))


def _differing(workstation: Workstation, hosts: Sequence[OnHost]) -> tuple[OnHost, ...]:
    """What is other on each machine than the lock says, or than on most of them."""
    wants = {name: tool.want for name, tool in workstation.manifest.tools.items()}
    locked = {
        name: entry.version for (name, want), entry in workstation.lock.items() if wants.get(name) == want
    }
    found = differing({each.host: each.document for each in hosts if each.document is not None}, locked)
    result = []
    for each in hosts:
        rows = found.get(each.host)
        if rows is None:
            result.append(each)
        else:
            state: State = "failed" if rows else "ok"
            says = rows or ("matches the lock" if locked else "same as most hosts",)
            result.append(msgspec.structs.replace(each, state=state, says=tuple(says)))
    return tuple(result)


class _There(msgspec.Struct, frozen=True):
    """A machine that is ready: where things are on it."""

    remote: Remote
    base: str
    home: str
    program: str
    platform: str


class _Failed(Exception):
    """What came of a machine that cannot go on."""

    def __init__(self, state: State, says: str) -> None:
        super().__init__(says)
        self.state: State = state


class _Work:
    """One call: what is brought is packed once, and each machine is opened once."""

    def __init__(
        self,
        workstation: Workstation,
        person: Person,
        command: str,
        arguments: Sequence[str],
        choice: AcrossOptions,
        control: Path,
        keep: Callable[[str, bytes], None],
    ) -> None:
        self._keep = keep
        self._workstation, self._person, self._choice = workstation, person, choice
        self._command, self._arguments, self._control = command, tuple(arguments), control
        self._lock = threading.Lock()
        self._program: brought.Brought | None = None
        self._desk = brought.desk(workstation) if command in _WITH_MANIFEST else None
        self._opened: dict[str, _There] = {}
        self._passwords = Passwords(choice.groups, person.asker)
        self._stopped = threading.Event()
        own = workstation.program[0] if unpacked() is not None and len(workstation.program) == 1 else ""
        self._single = choice.program or (Path(own) if own else None)

    def close(self) -> None:
        """End the connections."""
        with ThreadPoolExecutor(16) as pool:
            list(pool.map(lambda there: there.remote.close(), self._opened.values()))

    def asked(self, hosts: Sequence[str]) -> dict[str, OnHost]:
        """Ask here, once for all that ask the same, what the machines would ask. Returns those that cannot go
        on.
        """
        seen = self._side_by_side(hosts, "preview")
        ended = {each.host: each for each in seen if not each.ok}
        asking: dict[tuple[str, str], list[str]] = {}
        for each in seen:
            for question in questions_of(each.document) if each.ok else ():
                if question["kind"] == PASSWORD and self._person.asker is not None:
                    continue  # asked when it is needed
                text = self._shown(each.host, question["text"])
                asking.setdefault((text, question["answer"]), []).append(each.host)
        for (text, answer), names in asking.items():
            named = f"{len(names)} hosts ({', '.join(names[:4])}{', …' if len(names) > 4 else ''})"
            where = names[0] if len(names) == 1 else named
            if "--yes" not in answer:
                for name in names:
                    ended.setdefault(name, OnHost(name, "answer needed", (f"{text} (answer: {answer})",)))
                continue
            names = [name for name in names if name not in ended]
            if not names:
                continue
            try:
                settle(
                    [Question("across", f"{where}: {text}", answer, safe=True)], self._person.asker, yes=False
                )
            except Problem as problem:
                if self._person.asker is None:
                    raise
                for name in names:
                    ended[name] = OnHost(name, "answer needed", (f"you said no: {problem.what}",))
        self._person = msgspec.structs.replace(self._person, yes=True)
        return ended

    def all_of(self, hosts: Sequence[str]) -> list[OnHost]:
        """Run the command on machines, the first ones alone, until too many have failed."""
        first = min(self._choice.first, len(hosts))
        found: list[OnHost] = []
        if first:
            found += self._each(hosts[:first])
            if not all(each.ok for each in found):
                rest = "the first ones failed" if first > 1 else f"{hosts[0]} failed first"
                return [*found, *(OnHost(name, "not started", (rest,)) for name in hosts[first:])]
        return [*found, *self._each(hosts[first:], found)]

    def _each(self, hosts: Sequence[str], before: Sequence[OnHost] = ()) -> list[OnHost]:
        """Run the command on each of these machines; where only sudo's password is missing, ask for it, and
        run it again there.
        """
        done = {each.host: each for each in self._side_by_side(hosts, self._command, before)}
        for _ in range(TRIES):
            wanting = [name for name, each in done.items() if wants_password(each.code, each.document)]
            if not wanting or not self._passwords.ask(wanting):
                break
            done |= {each.host: each for each in self._side_by_side(wanting, self._command, before)}
        return list(done.values())

    def _side_by_side(
        self, hosts: Sequence[str], command: str, before: Sequence[OnHost] = ()
    ) -> list[OnHost]:
        tried, failed = len(before), sum(not each.ok for each in before)
        stop = self._choice.stop

        def one(name: str) -> OnHost:
            nonlocal tried, failed
            with self._lock:
                if stop is not None and tried and failed * 100 > stop * tried:
                    return OnHost(name, "not started", (f"stopped: more than {stop}% failed",))
            if self._stopped.is_set():
                return OnHost(name, "not started", ("interrupted",))
            done = self._one(name, command)
            with self._lock:
                tried, failed = (
                    tried + 1,
                    failed + (not done.ok and not wants_password(done.code, done.document)),
                )
            return done

        with ThreadPoolExecutor(max(1, self._choice.at_once)) as pool:
            running = [pool.submit(one, name) for name in hosts]
            try:
                return [each.result() for each in running]
            except BaseException:
                self._stopped.set()
                pool.shutdown(cancel_futures=True)
                raise

    def _one(self, name: str, command: str) -> OnHost:
        began = time.monotonic()
        text = f"{name}: {command}"
        self._person.reporter.began(name, text)
        state: State = "failed"
        code, document = -1, None
        try:
            code, document = self._run(self._ready(name, command), command)
            state, says = judged("status" if command == "diff" else command, code, document)
        except _Failed as failed:
            state, says = failed.state, (str(failed),)
        except Unreachable as problem:
            state, says = "unreachable", (problem.what,)
        except Problem as problem:
            says = (problem.what,)
        asks = wants_password(code, document)
        text = f"{name}: checked; sudo needs the password" if asks else text
        self._person.reporter.ended(name, text, well=state == "ok" or asks)
        says = tuple(self._shown(name, each) for each in says)
        return OnHost(name, state, says, code, round(time.monotonic() - began, 3), document)

    def _shown(self, name: str, text: str) -> str:
        """A text from a machine, with the home there as ``~``: that is what is equal on all of them."""
        home = self._opened[name].home if name in self._opened else ""
        return visible(text.replace(home, "~") if len(home) > 1 else text)

    def _ready(self, name: str, command: str) -> _There:
        """Look at a machine, and bring it what it lacks. Raises ``_Failed`` or ``Problem``."""
        there = self._opened.get(name) or self._open(name)
        if self._choice.share and command in _GOES_ON:
            self._share(there)
        return there

    def _open(self, name: str) -> _There:
        told = self._person.reporter.told
        told(name, f"{name}: connecting")
        remote = Remote(name, self._workstation.environ, self._control, self._choice.config)
        facts = self._probe(remote)
        base, own = facts["base"], facts.get("own", "")
        if own.endswith(f" {_own_version()}"):
            program = own.rpartition(" ")[0].rpartition(" ")[0]
        else:
            program = f"{base}/program-{self._packed().name}/bin/zesty-anchor"
            if facts.get("program") != "here":
                told(name, f"{name}: sending the program")
                self._bring_program(remote, facts)
        system, _, machine = facts["system"].partition("-")
        platform = f"{'macos' if system == 'Darwin' else system.lower()}-{machine}"
        there = _There(remote, base, facts["home"], program, platform)
        if self._desk is not None:
            if facts.get("desk") == "edited":
                raise _Failed("failed", f"the manifest that was sent there was edited since: {base}/desk")
            if facts.get("desk") != self._desk.name:
                self._bring_desk(remote, base, self._desk)
        self._opened[name] = there
        return there

    def _probe(self, remote: Remote) -> dict[str, str]:
        answer = remote.run("probe", program=self._packed().name, python=brought.python_version())
        facts = dict(line.partition("=")[::2] for line in answer.out.decode("utf-8", "replace").splitlines())
        if answer.code or not {"base", "home", "system"} <= facts.keys():
            raise _Failed("failed", f"it cannot be looked at: {last_line(answer.err) or 'no answer'}")
        return facts

    def _packed(self) -> brought.Brought:
        with self._lock:
            if self._program is None:
                self._program = brought.single(self._single) if self._single else brought.program()
            return self._program

    def _bring_program(self, remote: Remote, facts: Mapping[str, str]) -> None:
        import os

        here, needed = f"{os.uname().sysname}-{os.uname().machine}", brought.python_version()
        if self._single and facts["system"] == here:
            folder = f"{facts['base']}/program-{self._packed().name}"
            remote.put(self._packed().archive, folder)
            self._whole(remote, folder)
            return
        if facts["system"] != here or "python" not in facts:
            has = f"Python {facts['other']}" if "other" in facts else "no Python"
            lacks = f"is {facts['system']}" if facts["system"] != here else f"has {has}, and not {needed}"
            raise _Failed(
                "failed",
                f"this program cannot be sent there, since it {lacks}: install it there by pip, or send"
                " the program in one file: --send FILE",
            )
        packed, base = self._packed(), facts["base"]
        made = remote.run("program", base=base, program=packed.name, python=facts["python"])
        if made.code:
            raise _Failed("failed", f"the program cannot be installed there: {last_line(made.err)}")
        remote.put(packed.archive, f"{base}/program-{packed.name}/site")
        self._whole(remote, f"{base}/program-{packed.name}")

    def _whole(self, remote: Remote, folder: str) -> None:
        """Note that all of the program is there."""
        done = remote.plain(f": >{shlex.quote(f'{folder}/complete')}")
        if done.code:
            raise _Failed("failed", f"the program cannot be installed there: {last_line(done.err)}")

    def _bring_desk(self, remote: Remote, base: str, desk: brought.Brought) -> None:
        """Put the manifest beside the one that is there, and exchange them: a cut connection leaves one of
        them.
        """
        new = f"{base}/desk.new"
        remote.plain(f"rm -rf {shlex.quote(new)}")
        remote.put(desk.archive, new)
        exchanged = remote.run("exchange", base=base)
        if exchanged.code:
            raise _Failed("failed", f"the manifest cannot be put there: {last_line(exchanged.err)}")

    def _share(self, there: _There) -> None:
        """Bring what the lock names for that platform, as far as it is kept here and not there."""
        folder = self._workstation.locations.downloads
        files = brought.downloads(self._workstation.lock.values(), there.platform, folder)
        kept = f"{there.home}/.cache/zesty-anchor/downloads"
        listed = there.remote.plain(f"ls {shlex.quote(kept)}")
        names = set(listed.out.decode("utf-8", "replace").split())
        missing = {name: file for name, file in files.items() if name not in names}
        if missing:
            self._person.reporter.told(
                there.remote.host, f"{there.remote.host}: sending {len(missing)} downloads"
            )
            there.remote.put(brought.packed_files(missing), kept)

    def _words(self, there: _There, command: str) -> str:
        words = [there.program, "status" if command == "diff" else command, "--json"]
        if command in _WITH_MANIFEST:
            manifest = f"{there.base}/desk/workstation.toml"
            words += ["-m", manifest]
            words += ["--trust", manifest] if command in (*_ASKS, "report") else []
        if command == "report":
            words.append(f"{there.base}/report.html")
        if command in (*_ASKS, "undo") and self._person.yes:
            words.append("--yes")
        words += self._arguments if command == self._command else []
        return shlex.join(words)

    def _run(self, there: _There, command: str) -> tuple[int, Any]:
        words = self._words(there, command)
        name, password = there.remote.host, self._passwords.of(there.remote.host)
        if command not in _GOES_ON:
            answer = there.remote.plain(words)
            if command == "report" and not answer.code:
                page = there.remote.plain(f"cat {shlex.quote(f'{there.base}/report.html')}")
                self._keep(name, page.out)
            return answer.code, _document(answer.out, answer.err)
        key = hashlib.sha256("\0".join((words, self._desk.name if self._desk else "")).encode()).hexdigest()
        if password is not None:
            if said := there.remote.sudo_refusal(password):
                self._passwords.refused(name)
                question = {
                    "kind": PASSWORD,
                    "text": f"sudo did not accept the password: {said}",
                    "answer": "try another one",
                }
                return AnswersNeeded.code, {"questions": [question]}
            words += " --password-stdin"
        comes = "input" if password is not None else ""
        started = there.remote.run("start", base=there.base, key=key, words=words, input=comes)
        if started.code or not started.out.strip():
            raise _Failed("failed", f"it cannot be started there: {last_line(started.err)}")
        if started.out.strip() == b"busy":
            raise _Failed("running", "another across command is still running there")
        if password is not None:
            there.remote.hand_over(f"{password}\n", f"{there.base}/run/input")
        return self._followed(there)

    def _followed(self, there: _There) -> tuple[int, Any]:
        """Wait for the work to end; where the connection is cut, connect again."""
        name = there.remote.host
        code, log = -1, ""

        def heard(line: str) -> None:
            nonlocal code, log
            kind, _, rest = line.partition(" ")
            if kind == "step" and rest:
                self._person.reporter.told(name, f"{name}: {visible(rest.strip())}")
            elif kind == "exit":
                code = int(rest) if rest.strip().isdigit() else -1
            elif kind == "log":
                log = rest or log
            elif kind == "lost":
                raise _Failed("failed", "the work there was killed; run the same command again")

        for attempt in range(_TRIES):
            try:
                out = there.remote.follow("follow", heard, base=there.base)
            except Unreachable as problem:
                if attempt + 1 == _TRIES:
                    raise _Failed(
                        "running",
                        f"the connection was cut ({problem.what}); it goes on there: run this again",
                    ) from None
                time.sleep(_PAUSE * 2**attempt)
                continue
            if code >= 0:
                there.remote.plain(f": >{shlex.quote(f'{there.base}/run/fetched')}")
                return code, _document(out, log)
            time.sleep(_PAUSE)
        raise _Failed("running", "the connection was cut; it goes on there: run this again")


def _document(out: bytes, told: str) -> Any:
    """The document that a command printed; what it said in words where it printed none."""
    try:
        return msgspec.json.decode(out)
    except (msgspec.DecodeError, UnicodeError):
        what = last_line(told)
        return {"errors": [{"what": what, "where": "", "advice": ""}]} if what else None


def _own_version() -> str:
    from zesty_anchor import __version__

    return __version__
