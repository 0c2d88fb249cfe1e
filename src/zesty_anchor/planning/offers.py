"""What feeds and managers offer. The network is used only here, and only when something is asked for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import msgspec

from zesty_anchor.feeds.feed import Supply
from zesty_anchor.feeds.known import feed_class
from zesty_anchor.feeds.mirror import Mirror, mirror_around
from zesty_anchor.feeds.release import Release, channels_of, choose
from zesty_anchor.files import own_folders
from zesty_anchor.manifest.recipe import ADDRESS, Recipe
from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.want import Want
from zesty_anchor.manifest.wanted import Artefact, refer
from zesty_anchor.planning.agreement import is_agreed
from zesty_anchor.planning.companions import companion_for, companions_of
from zesty_anchor.planning.standing import supplies
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.host import plain_environment
from zesty_anchor.system.problem import Problem, UsageProblem

if TYPE_CHECKING:
    from zesty_anchor.feeds.open import Feeds
    from zesty_anchor.feeds.passing import Keep
    from zesty_anchor.shelf.manager import ManagerProgram


class ManagerAbsent(Problem):
    """A manager was to be asked that does not stand yet."""


class Offers:
    """What the feeds and the managers of one workstation offer; each is asked once."""

    def __init__(self, workstation: Workstation) -> None:
        self._workstation = workstation
        self._feeds: Feeds | None = None
        self._listed: dict[str, list[Release]] = {}
        self._scripts: dict[str, bytes] = {}
        self._passed_over: dict[str, None] = {}
        self._answers: dict[tuple[str, str, str], list[Release] | Problem] = {}

    def releases(self, name: str, machine: Machine) -> list[Release]:
        """Everything that all of a runtime's feeds, or its manager, offer for this machine. Of a version that
        several offer it is what the first of them does, since a recipe names those first that come whole; the
        channels are those that any of them says. Raises ``Problem`` where none of them answers.
        """
        found: dict[str, Release] = {}
        if self._workstation.manifest.tools[name].through is None:
            self._ask_at_once(supplies(self._workstation, name, machine), name, machine)
        for offered in self.in_order(name, machine):
            for release in offered:
                known = found.setdefault(release.version, release)
                if known is not release and not set(release.channels) <= set(known.channels):
                    channels = tuple(dict.fromkeys((*known.channels, *release.channels)))
                    found[release.version] = msgspec.structs.replace(known, channels=channels)
        return list(found.values())

    def in_order(self, name: str, machine: Machine) -> Iterator[list[Release]]:
        """What each of the feeds offers, one after the other: the later ones are asked only when it comes to
        them.

        One that cannot be asked is passed over, and named where another one answers.
        Raises ``Problem``, that of the first one, where none answers.
        """
        through = self._workstation.manifest.tools[name].through
        if through is not None:
            yield self._listed_by(through, name, machine)
            return
        troubles: dict[str, Problem] = {}
        answered: list[str] = []
        for supply in supplies(self._workstation, name, machine):
            offered = self._asked(supply, name, machine)
            if isinstance(offered, Problem):
                troubles[supply.name] = offered
            else:
                answered.append(supply.name)
                yield offered
            if answered:
                self._passed_over |= {
                    f"{name}: the feed {feed!r} could not be asked, and may have other versions: {problem}": (
                        None
                    )
                    for feed, problem in troubles.items()
                }
        if not answered:
            first, *others = troubles.values()
            named = "".join(f"; {feed}: {troubles[feed].what}" for feed in list(troubles)[1:])
            raise type(first)(first.what + named, where=first.where, advice=first.advice) if others else first

    def _ask_at_once(self, asked: Sequence[Supply], name: str, machine: Machine) -> None:
        """Ask several feeds at the same time: the slowest of them is all there is to wait for."""
        if len(asked) < 2:
            return
        from concurrent.futures import ThreadPoolExecutor

        self._opened()
        pool = ThreadPoolExecutor(len(asked))
        try:
            list(pool.map(lambda supply: self._asked(supply, name, machine), asked))
        finally:
            pool.shutdown(
                wait=False, cancel_futures=True
            )  # where it was interrupted, nobody waits for a silent server

    def _asked(self, supply: Supply, name: str, machine: Machine) -> list[Release] | Problem:
        """What a feed offers, or why it could not be asked; it is asked once."""
        key = supply.name, name, machine.host.platform
        if key not in self._answers:
            try:
                offered = self._opened().releases(
                    supply, self._workstation.recipes[name], machine.host.platform
                )
                self._answers[key] = [
                    msgspec.structs.replace(release, feed=supply.name) for release in offered
                ]
            except Problem as problem:
                self._answers[key] = problem
        return self._answers[key]

    def asked_for(self, name: str, machine: Machine) -> str:
        """Which feeds were asked for a runtime, and which could not be; empty for one of a manager."""
        if self._workstation.manifest.tools[name].through is not None:
            return ""
        known = {
            supply.name: self._asked(supply, name, machine)
            for supply in supplies(self._workstation, name, machine)
        }
        failed = [f"{feed} ({answer.what})" for feed, answer in known.items() if isinstance(answer, Problem)]
        answered = [feed for feed, answer in known.items() if not isinstance(answer, Problem)]
        parts = [f"asked: {', '.join(answered)}"] if answered else []
        parts += [f"could not be asked, and may have it: {', '.join(failed)}"] if failed else []
        return "; ".join(parts)

    def supply(self, name: str, feed: str, machine: Machine) -> Supply:
        """The one of a runtime's feeds that has this name. Raises ``UsageProblem`` where it has none such."""
        found = supplies(self._workstation, name, machine)
        supply = next((each for each in found if each.name == feed), None)
        if supply is None:
            raise UsageProblem(
                f"{name} no longer comes from the feed {feed!r}, which the lock names",
                where=f"its feeds: {', '.join(each.name for each in found)}",
                advice=f"lock it again: zesty-anchor lock --upgrade {name}",
            )
        return supply

    def _listed_by(self, manager: str, name: str, machine: Machine) -> list[Release]:
        if name not in self._listed:
            offered = self.manager(manager, machine).versions(name)
            self._listed[name] = [
                Release(
                    version=version,
                    url="",
                    digest="",
                    channels=channels + channels_of(version, self._workstation.recipes[name]),
                    feed=manager,
                )
                for version, channels in offered
            ]
        return self._listed[name]

    def manager(self, name: str, machine: Machine) -> ManagerProgram:
        """A manager that stands on the shelf. Raises ``ManagerAbsent`` where it does not."""
        recipe = self._workstation.recipes[name]
        if name in self._workstation.manifest.recipes and not is_agreed(self._workstation):
            raise UsageProblem(
                f"{name} is spoken to as this manifest says, and that was never agreed to",
                where=self._workstation.place("recipes", name),
                advice=f"read it, then: zesty-anchor provision --trust {self._workstation.file}",
            )
        known = [v for n, v in machine.shelf if n == name]
        version = max(known, key=Version, default=None)
        if version is None or recipe.manager is None:
            raise ManagerAbsent(f"{name} is not installed yet", advice="run: zesty-anchor provision")
        folder = self._workstation.locations.shelf / name / version
        bins = tuple(folder / part for part in recipe.bin)
        variables = {k: refer(v, {"folder": str(folder)}) for k, v in recipe.variables.items()}
        from zesty_anchor.shelf.manager import ManagerProgram

        return ManagerProgram(
            name=name, tool=recipe.manager, bins=bins, home=self._workstation.locations.home,
            environment={**plain_environment(self._workstation.environ, self._workstation.locations.home,
            bins), **variables},
        )  # fmt: skip

    def pinned(self, name: str, release: Release, machine: Machine) -> Release:
        """A release with what pins it. Raises ``Problem`` where its feed fails."""
        workstation = self._workstation
        manager = workstation.manifest.managers.get(name)
        if manager is not None and manager.script is not None:
            return msgspec.structs.replace(release, digest=sha256(self.script(name, release)))
        if workstation.manifest.tools[name].through is not None:
            return release
        supply = self.supply(name, release.feed, machine)
        pinned = self._opened().feed(supply).pinned(release)
        known = companions_of(workstation, supply, name)
        pieces = tuple(companion_for(release, each, workstation, name, self.of_registry) for each in known)
        return msgspec.structs.replace(pinned, parts=pinned.parts + pieces)

    def of_registry(self, kind: Literal["npm"], package: str) -> list[Release]:
        """The versions of any package of a registry: the one that the manifest names for that kind, or the
        user's own.
        """
        feeds = self._workstation.manifest.feeds
        named = next((name for name, feed in feeds.items() if feed.kind == kind), None)
        supply = Supply(named or kind, kind, feeds[named].url if named else None, package)
        return self._opened().releases(supply, Recipe(commands=()), "any")

    def script(self, name: str, release: Release) -> bytes:
        """The text of an installer, checked against the digest that its feed gives."""
        if release.url not in self._scripts:
            self._scripts[release.url] = self._opened().web.document(
                release.url, who=f"whoever offers {name}"
            )[1]
        content = self._scripts[release.url]
        import hashlib

        algorithm = release.digest.partition(":")[0] or "sha256"
        found = f"{algorithm}:{hashlib.new(algorithm, content).hexdigest()}"
        if release.digest and found != release.digest:
            raise Problem(
                f"the installer of {name} {release.version} has another digest than expected",
                where=f"expected {release.digest}, got {found}, from {release.url}",
                advice=(
                    "nothing of it was run. It was damaged or replaced: tell whoever offers it, do not go"
                    " around it"
                ),
            )
        return content

    def licence_text(self, name: str, machine: Machine) -> str:
        """The licence of the version that a runtime's default want takes. Raises ``Problem`` where there is
        none.
        """
        release = choose(Want(self._workstation.manifest.tools[name].want), self.releases(name, machine))
        if release is None or not release.licence:
            raise Problem(
                f"{name} {release.version if release else ''} comes under no licence that must be accepted",
                advice=f"zesty-anchor list {name} shows its versions",
            )
        if not release.licence_url:
            return f"{name} {release.version}: {release.licence} (the feed gives no text of it)"
        return self._opened().web.text(release.licence_url, who=f"the feed of {name!r}")

    def artefact(
        self, release: Release, supply: Supply, subject: str, recipe: Recipe | None = None
    ) -> Artefact:
        """What is fetched, with the signature that it must bear. Raises ``Problem`` where it bears none, or a
        bad one.
        """
        archive = feed_class(supply.kind).signed_lists
        named = self._workstation.manifest.feeds.get(supply.name)
        largest = named.most_bytes if named is not None else 0
        package = archive and not release.source
        plain = Artefact(
            release.url,
            release.digest,
            release.size,
            package=package,
            single=_single(recipe),
            largest=largest,
        )
        if archive:
            return msgspec.structs.replace(plain, signed_by="the archive's list of packages (InRelease)")
        if supply.unsigned or (supply.key is None and not release.signature):
            return plain
        from zesty_anchor.system.signature import SignatureRefused, check, issuer

        who = f"the feed {supply.name!r}"
        if not release.signature:
            raise SignatureRefused(
                f"{subject} is not signed, and the manifest names a key for {who}",
                where=release.url,
                advice=(
                    f"choose a signed version; if that feed signs nothing, say so: [feeds.{supply.name}] "
                    'signature = "not offered" in place of key'
                ),
            )
        signature = self._opened().web.document(release.signature, who=who)[1]
        if supply.key is None:
            by = issuer(signature, subject) or "a key that it does not name"
            raise SignatureRefused(
                f"{subject} is signed with the key {by}, and the manifest names no key for {who}",
                where=release.signature,
                advice=f"save that key, from a place that you trust, and add: [feeds.{supply.name}] "
                f'key = "keys/{supply.name}.asc"',
            )
        if release.sums:
            listed = self._opened().web.document(release.sums, who=who)[1]
            check(signature, supply.key, f"the list of digests of {who}", content=listed)
            return msgspec.structs.replace(
                plain, signed_by=f"{issuer(signature, subject)}, in a list of digests"
            )
        by = issuer(signature, subject)
        return msgspec.structs.replace(plain, signature=signature, key=supply.key, signed_by=by)

    def open_body(self, url: str, who: str, start: int = 0) -> Any:
        """Open an address for download, without the first ``start`` bytes; see ``Bench.open_body``."""
        return self._opened().body(url, who, start)

    def document(self, url: str, who: str) -> bytes:
        """A small document, such as a signature."""
        return self._opened().web.document(url, who=who)[1]

    @contextmanager
    def registry(self, kind: str, package: str) -> Iterator[str]:
        """The address to take a package of a kind of registry from, while this lasts: what a mirror has,
        comes from there. Empty where no mirror has such packages.
        """
        mirror = mirror_of(self._workstation)
        if mirror is None or self._workstation.offline:
            yield ""
            return
        from zesty_anchor.feeds.gateway import Gateway
        from zesty_anchor.feeds.passing import of_mirror, registry_of

        web = self._opened().web
        try:
            if kind == ADDRESS:
                address = package if mirror.at(package) else ""
            else:
                address = registry_of(web, mirror, kind)
        except Problem:
            if mirror.only:
                raise
            address = ""
        if not address:
            yield ""
            return
        with Gateway(of_mirror(web, mirror)) as gateway:
            yield gateway.at(address)

    def registry_address(self, kind: Literal["npm", "pypi"]) -> str:
        """The address of the registry that packages of a kind come from. Raises ``UsageProblem`` where none
        is known.
        """
        feeds = self._workstation.manifest.feeds
        named = next((name for name, feed in feeds.items() if feed.kind == kind), None)
        supply = Supply(named or kind, kind, feeds[named].url if named else None, "")
        return self._opened().feed(supply).address

    @contextmanager
    def recorded(self, address: str, keep: Keep) -> Iterator[str]:
        """The address to ask for what is at a registry's ``address`` while this lasts: ``keep`` is given all
        that is asked for then (see ``passing.recording``).
        """
        from zesty_anchor.feeds.gateway import Gateway
        from zesty_anchor.feeds.passing import recording

        with Gateway(recording(self._opened().web, keep)) as gateway:
            yield gateway.at(address)

    def notices(self) -> list[str]:
        """Which feeds were passed over, and why; offline, how old each answer is that was used. A sentence
        each.
        """
        ages = self._feeds.web.ages if self._feeds else {}
        remarks = self._feeds.web.remarks if self._feeds else {}
        return [
            *self._passed_over,
            *remarks,
            *(f"offline: what {who} answered is {_age(age)} old" for who, age in ages.items()),
        ]

    def _with_our_npm(self) -> dict[str, str]:
        """The environment, with every npm of the shelf last on PATH."""
        path = ":".join(
            [self._workstation.environ.get("PATH", ""), *_shelved_npm(self._workstation.locations.shelf)]
        )
        return {**self._workstation.environ, "PATH": path.strip(":")}

    def _opened(self) -> Feeds:
        if self._feeds is None:
            from zesty_anchor.feeds.documents import Web
            from zesty_anchor.feeds.open import Feeds
            from zesty_anchor.feeds.trust import trust_here

            locations = self._workstation.locations
            own_folders.make(locations.answers)
            environ = self._with_our_npm()
            trust = trust_here(environ, locations.home)
            offline, mirror = self._workstation.offline, mirror_of(self._workstation)
            web = Web(locations.answers, offline=offline, trust=trust, mirror=mirror)
            self._feeds = Feeds(environ, locations.home, web)
        return self._feeds


def mirror_of(workstation: Workstation) -> Mirror | None:
    """The mirror that the manifest names, else the environment's; None where there is none."""
    named = workstation.manifest.mirror
    if named is not None:
        return Mirror(named.url, named.only)
    return mirror_around(workstation.environ)


def _shelved_npm(shelf: Path) -> list[str]:
    """The folders of each npm on the shelf: it knows its own registry."""
    return sorted(str(file.parent) for file in shelf.glob("*/*/bin/npm"))


def sha256(content: bytes) -> str:
    """A digest as it is written in manifests and locks."""
    import hashlib

    return f"sha256:{hashlib.sha256(content).hexdigest()}"


def _age(seconds: float) -> str:
    """A time span for a person."""
    for unit, size in (("day", 86400), ("hour", 3600), ("minute", 60)):
        if seconds >= size:
            number = int(seconds // size)
            return f"{number} {unit}{'' if number == 1 else 's'}"
    return "less than a minute"


def _single(recipe: Recipe | None) -> str:
    """Where a file goes that is a command itself."""
    if recipe is None or not recipe.binary:
        return ""
    bin = recipe.bin[0]
    return recipe.commands[0] if bin == "." else f"{bin}/{recipe.commands[0]}"
