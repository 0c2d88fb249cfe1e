"""A base of a manifest that is on no disk here: fetched once, known by its digest, kept with the answers of
feeds. One that a key signs is what the lock pins, until a person takes its newest text.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path

import msgspec

from zesty_anchor.feeds.mirror import Mirror
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.files import own_folders
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.replace import replace
from zesty_anchor.manifest.layers import Elsewhere, Fetch
from zesty_anchor.manifest.lock import file_beside, read_pins
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.problem import Problem

_SECONDS = 60
_MOST = 1 << 20
_COMMIT = "commit:"
_SIGNED_PART = re.compile(rb"^gpgsig(?:-sha256)? (.*\n(?: .*\n)*)", re.MULTILINE)
"""The header with a commit's signature; lines that go on begin with a space (gitformat-signature(5))."""


class PinnedBases(msgspec.Struct, frozen=True):
    """What a ``lock`` pins now: the digest of each base by its address, which of them are ``changed``, and in
    words what the manifest says differently (where nothing was pinned before: what it sets).
    """

    lock: str
    bases: dict[str, str]
    changed: tuple[str, ...] = ()
    differences: tuple[str, ...] = ()


def fetched_base(
    environ: Mapping[str, str],
    locations: Locations,
    own: Path,
    mirror: Callable[[], Mirror | None] = lambda: None,
    *,
    offline: bool,
    newest: bool = False,
) -> Fetch:
    """How the text of a base is got: from the cache, else from a mirror, or where it is. ``own`` is the
    person's manifest, whose lock decides before that of the manifest which names the base. With ``newest``,
    bases that a key signs are fetched as they are now.

    Raises ``Problem`` where it cannot be reached, is too large, is not pinned, has another digest than it
    should have, or is not signed by its key.
    """
    return _Bases(environ, locations, own, mirror, offline=offline, newest=newest).get


class _Bases:
    def __init__(
        self,
        environ: Mapping[str, str],
        locations: Locations,
        own: Path,
        mirror: Callable[[], Mirror | None],
        *,
        offline: bool,
        newest: bool,
    ) -> None:
        self._environ, self._locations, self._own, self._mirror = environ, locations, own, mirror
        self._offline, self._newest = offline, newest

    def get(self, base: Elsewhere) -> tuple[bytes, str]:
        if base.key is not None and self._newest:
            return self._now(base)
        digest = base.digest or self._pin(base)
        kept = self._place(base, digest)
        with suppress(OSError):
            content = kept.read_bytes()
            if digest.startswith(_COMMIT) or _digest(content) == digest:
                return content, digest
        content = self._commit(base, digest) if digest.startswith(_COMMIT) else self._text(base, digest)
        self._keep(kept, content)
        return content, digest

    def _pin(self, base: Elsewhere) -> str:
        for manifest in (self._own, base.named_by):
            pinned = read_pins(file_beside(manifest)).get(base.address)
            if pinned:
                return pinned
        raise Problem(
            f"the base {base.address} is not pinned yet",
            advice="zesty-anchor lock --base checks its signature, shows what it sets, and pins it",
        )

    def _now(self, base: Elsewhere) -> tuple[bytes, str]:
        """The newest text, and the digest to pin it by."""
        if "#" in base.address:
            digest = f"{_COMMIT}{self._tip(base)}"
            content = self._commit(base, digest, base.key)
        else:
            content = self._signed(base)
            digest = _digest(content)
        self._keep(self._place(base, digest), content)
        return content, digest

    def _text(self, base: Elsewhere, digest: str) -> bytes:
        content = self._fetch(base.address)  # where a key signs it, it was checked when it was pinned
        found = _digest(content)
        if found == digest:
            return content
        raise Problem(
            f"the base {base.address} has changed: its digest is {found}, not {digest}",
            advice="to see what differs, and take it: zesty-anchor lock --base"
            if base.key is not None
            else f'read it, and if you want it, write: digest = "{found}"',
        )

    def _signed(self, base: Elsewhere) -> bytes:
        """The text at an address whose signature, in a file beside it, holds."""
        from zesty_anchor.feeds.sums import SIGNATURES
        from zesty_anchor.system.signature import check

        assert base.key is not None
        content = self._fetch(base.address)
        for ending in SIGNATURES:
            with suppress(NotThere):
                signature = self._fetch(f"{base.address}{ending}")
                check(signature, base.key, f"the base {base.address}", content=content)
                return content
        raise Problem(
            f"the base {base.address} is not signed: there is no {' or '.join(SIGNATURES)} beside it",
            advice="ask whoever keeps it to sign it: gpg --armor --detach-sign workstation.toml",
        )

    def _tip(self, base: Elsewhere) -> str:
        """The commit that the branch of a repository has now."""
        from zesty_anchor.system.git import protocol_of, run_git

        url = base.address.rpartition("#")[0]
        self._may_ask(base.address)
        reference = f"refs/heads/{base.branch}" if base.branch else "HEAD"
        words = ["ls-remote", "--exit-code", "--", url, reference]
        answer = run_git(words, self._environ, where=url, seconds=_SECONDS, protocol=protocol_of(url))
        if answer.returncode != 0:
            said = answer.stderr.strip().splitlines()
            raise Problem(
                f"{reference} cannot be asked for: {said[-1] if said else 'the repository does not have it'}",
                where=url,
                advice=f"git ls-remote {url} lists what it has",
            )
        return answer.stdout.split()[0]

    def _commit(self, base: Elsewhere, digest: str, key: Path | None = None) -> bytes:
        """A file of one commit, which ``key`` must have signed. Nothing else of the repository is kept, and
        nothing of it runs.
        """
        from tempfile import TemporaryDirectory

        from zesty_anchor.shelf.checkout import check_out

        self._may_ask(base.address)
        commit = digest.removeprefix(_COMMIT)
        url, _, name = base.address.rpartition("#")
        own_folders.make(self._locations.cache)
        with TemporaryDirectory(dir=self._locations.cache) as room:
            itself = check_out(url, commit, Path(room), self._environ, seconds=_SECONDS)
            if key is not None:
                _check_commit(itself, key, f"commit {commit[:12]} of {url}")
            file = Path(room, name)
            if not file.is_file() or file.stat().st_size > _MOST:
                raise Problem(
                    f"{url} has no file {name} in commit {commit[:12]}, or it is larger than"
                    f" {_MOST >> 20} MiB",
                    advice='name it: base = { git = …, commit = …, file = "path/workstation.toml" }',
                )
            return file.read_bytes()

    def _fetch(self, address: str) -> bytes:
        from zesty_anchor.feeds.documents import Web
        from zesty_anchor.feeds.trust import trust_here

        self._may_ask(address)
        trust = trust_here(self._environ, self._locations.home)
        web = Web(trust=trust, mirror=None if self._newest else self._mirror())
        return web.document(address, who="the base")[1]

    def _may_ask(self, address: str) -> None:
        if self._offline:
            raise Problem(
                f"the base {address} is not cached, and --offline forbids fetching it",
                advice="run the command once without --offline",
            )

    def _place(self, base: Elsewhere, digest: str) -> Path:
        """Where a text is kept."""
        commit = digest.removeprefix(_COMMIT)
        name = digest_of(f"{commit} {base.address}".encode()) if commit != digest else digest[7:]
        return self._locations.cache / "bases" / name

    def _keep(self, place: Path, content: bytes) -> None:
        own_folders.make(place.parent)
        replace(place, content, lasting=False)


def _check_commit(commit: bytes, key: Path, subject: str) -> None:
    """Raises ``Problem`` where a commit is not signed by the key."""
    from zesty_anchor.system.signature import check

    header, gap, message = commit.partition(b"\n\n")
    found = _SIGNED_PART.search(header + b"\n")
    if found is None or b"BEGIN PGP SIGNATURE" not in found[1]:
        raise Problem(
            f"{subject} is not signed with an OpenPGP key",
            advice="ask whoever keeps it to sign its commits: git commit --gpg-sign",
        )
    signed = _SIGNED_PART.sub(b"", header + b"\n")[:-1] + gap + message
    check(found[1].replace(b"\n ", b"\n"), key, subject, content=signed)


def _digest(content: bytes) -> str:
    return f"sha256:{digest_of(content)}"
