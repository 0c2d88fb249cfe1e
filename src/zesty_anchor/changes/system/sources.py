"""The change that adds a source of packages of the operating system, with the key that its lists are signed
with.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import ClassVar

import msgspec

from zesty_anchor.changes.base import BaseChange, BaseKind
from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Stage, source_key
from zesty_anchor.changes.heading import Heading
from zesty_anchor.changes.question import Question
from zesty_anchor.changes.record import WHOLE, Record, Reverted
from zesty_anchor.files.replace import content_of
from zesty_anchor.manifest.wanted import Wanted, WantedSource
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system import root_store
from zesty_anchor.system.apt import forgetting
from zesty_anchor.system.command import Command
from zesty_anchor.system.package_source import PackageSource, SourceForm
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.signature import PublicKey, public_key


class SourceRecord(Record, kw_only=True, tag="package-source"):
    """The source's name in the manifest, its files, and the commands that remove what its lists left."""

    name: str
    files: list[str]
    forget: list[list[str]] = msgspec.field(default_factory=list)


class AddSource(BaseChange, frozen=True):
    """Write the files of one source, and have the package manager read its lists."""

    source: WantedSource
    public: PublicKey
    form: SourceForm
    kind: ClassVar[str] = "package-source"
    action: ClassVar[str] = "add"
    stage: ClassVar[Stage] = Stage.PREPARE
    touches: ClassVar[frozenset[str]] = frozenset({"packages"})
    privileged: ClassVar[bool] = True

    @property
    def subject(self) -> str:
        """Its name and address."""
        return f"{self.source.name}, {self.source.url}"

    @property
    def key(self) -> str:
        """Names the change among all others."""
        return source_key(self.source.name)

    @property
    def detail(self) -> str:
        """Whose signature counts, and where it is written."""
        return (
            f"signed by {self.public.fingerprint} ({self.public.owner or 'no name'});"
            f" {self.form.files[-1][0]}"
        )

    @property
    def questions(self) -> tuple[Question, ...]:
        """Whether the key is trusted, where the manifest does not name its fingerprint."""
        if self.source.fingerprint:
            return ()
        text = (
            f"what comes from the source {self.source.name} ({self.source.url}) runs with the rights of the"
            f" system. It is signed by the key {self.public.fingerprint} of"
            f" {self.public.owner or 'nobody who is named'}: do you trust that key?"
        )
        answer = f'[prerequisites.sources.{self.source.name}] fingerprint = "{self.public.fingerprint}"'
        return (Question("package-source", text, answer),)

    @property
    def commands(self) -> tuple[Command, ...]:
        """What is run with privilege."""
        return (*self._writing(), self.form.refresh)

    def prepare(self, bench: Bench) -> SourceRecord:
        """Write down which files it will write."""
        return SourceRecord(
            privileged=True,
            name=self.source.name,
            files=[file for file, _ in self.form.files],
            forget=[list(command) for command in self.form.forget],
        )

    def carry_out(self, bench: Bench, record: SourceRecord) -> None:
        """Write them, after root has noted what was there. Raises ``Problem`` where the source cannot be
        read, or is not signed so.
        """
        states = [(file, _text(file), text) for file, text in self.form.files]
        noted = msgspec.json.encode(states).decode()
        failed = bench.as_root(
            [*root_store.note(bench.run, f"source-{record.name}", noted), *self._writing()]
        )
        if failed:
            raise Problem(f"the source {record.name} could not be written: {failed}", where=record.files[-1])
        lines: list[str] = []
        if bench.run_privileged(("env", "LC_ALL=C", *self.form.refresh), lines.append) != 0:
            told = [line for line in lines if line.startswith(("E:", "W:", "Err", "Error", "Curl"))] or lines[
                -1:
            ]
            raise Problem(
                f"the source {record.name} cannot be used:"
                f" {told[0].strip() if told else 'no reason is given'}",
                where=self.source.url,
                advice=(
                    "check url, suite and components, and that its lists are signed with this key; nothing of"
                    " it stays"
                ),
            )

    def _writing(self) -> list[Command]:
        folders = sorted({str(Path(file).parent) for file, _ in self.form.files})
        beside = [
            (file, text, f"{Path(file).parent}/.{Path(file).name}.new") for file, text in self.form.files
        ]
        return [("mkdir", "-p", "-m", "755", "--", *folders), *(root_store.write(*each) for each in beside)]


class Sources(BaseKind):
    """The kind."""

    name = "package-source"
    heading = Heading.SYSTEM
    record = SourceRecord

    def look(self, wanted: Wanted, machine: Machine) -> Mapping[str, tuple[PublicKey, SourceForm]]:
        """The key of each source, checked, and its form here; nothing where this system's package manager has
        none.
        """
        found = {}
        for source in wanted.sources:
            public = _checked(source)
            asked = PackageSource(source.name, source.url, public.armoured, source.suite, source.components)
            form = machine.manager.source_form(asked) if machine.manager is not None else None
            if form is not None:
                found[source.name] = public, form
        return found

    def plan(self, wanted: Wanted, facts: Mapping[str, tuple[PublicKey, SourceForm]]) -> Iterable[AddSource]:
        """One for each whose files are not there as they should be."""
        for source in wanted.sources:
            if source.name in facts:
                public, form = facts[source.name]
                if any(_text(file) != text for file, text in form.files):
                    yield AddSource(source, public, form)

    def notices(self, wanted: Wanted, facts: Mapping[str, tuple[PublicKey, SourceForm]]) -> tuple[str, ...]:
        """The sources that are passed over."""
        return tuple(
            f"[prerequisites.sources.{source.name}] is passed over: it can be written for apt, dnf and"
            " zypper, and none of them is here"
            for source in wanted.sources
            if source.name not in facts
        )

    def take_back(self, record: SourceRecord, bench: Bench) -> Reverted:
        """Put back what was there before, by what root noted of it; a file that somebody changed since
        stays.
        """
        noted = root_store.noted(bench.run, f"source-{record.name}")
        if noted is None:
            here = [file for file in record.files if content_of(Path(file)) is not None]
            folder = root_store.folder(bench.run)
            return Reverted(
                tuple(f"{file} stays: {folder} does not say that this run wrote it" for file in here)
            )
        told: list[str] = []
        commands: list[Command] = []
        # The journal is the person's, and any program of theirs may write there: only what root noted is
        # believed.
        forgotten = set[Command]()
        for file, before, after in msgspec.json.decode(noted, type=list[tuple[str, str | None, str]]):
            now = _text(file)
            if "\nURIs: " in after:
                forgotten.add(forgetting(after))
            if now == before:
                continue
            if now != after:
                told.append(f"{file} stays: somebody has changed it")
            elif before is None:
                commands.append(("rm", "-f", "--", file))
            else:
                commands.append(root_store.write(file, before, f"{Path(file).parent}/.{Path(file).name}.new"))
        commands += [tuple(each) for each in record.forget if not told and tuple(each) in forgotten]
        failed = bench.as_root(commands)
        if failed:
            return Reverted((*told, f"the source {record.name} could not be undone: {failed}"), whole=False)
        bench.as_root([root_store.clear(bench.run, f"source-{record.name}.*")])
        return Reverted(tuple(told)) if told else WHOLE


def _text(file: str) -> str | None:
    content = content_of(Path(file))
    return None if content is None else content.decode("utf-8", "surrogateescape")


def _checked(source: WantedSource) -> PublicKey:
    """The key of a source. Raises ``Problem`` where it is not one alone, or not the one that the manifest
    names.
    """
    public = public_key(source.key)
    asked = source.fingerprint.replace(" ", "").upper()
    if asked and asked != public.fingerprint:
        raise Problem(
            f"the key of the source {source.name} is not the one that the manifest names",
            where=f"{source.key}: {public.fingerprint} ({public.owner or 'no name'}); the manifest: {asked}",
            advice="get the right key from a place that you trust; do not go around it",
        )
    return public
