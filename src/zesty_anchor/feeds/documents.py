"""The documents that feeds answer with: kept, and asked for again only if they changed."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import msgspec

from zesty_anchor.feeds.mirror import Mirror
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.files.replace import replace
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    import requests

    from zesty_anchor.feeds.trust import Trust


T = TypeVar("T")
_ASKED = "asked"


class Answer(msgspec.Struct, frozen=True):
    """What is kept of an answer beside its body: enough to ask whether it still holds (RFC 9110, section
    13).
    """

    url: str
    kind: str
    etag: str
    modified: str
    at: float


class Web:
    """Documents of feeds, kept in ``cache`` (None: not kept), and asked for again only if they changed.

    ``trust`` says whom HTTPS trusts, and through which proxies it goes. ``mirror`` is asked before whoever
    publishes a document. ``offline`` takes what is kept and
    asks nobody; ``ages`` then tells how old each of those answers is, in seconds. ``remarks`` are what feeds
    passed over, a sentence each.
    """

    def __init__(
        self,
        cache: Path | None = None,
        *,
        offline: bool = False,
        trust: Trust | None = None,
        mirror: Mirror | None = None,
    ) -> None:
        self._trust = trust
        self.mirror = mirror
        self._session: requests.Session | None = None
        self.cache = cache
        self.offline = offline
        self.ages: dict[str, float] = {}
        self.remarks: dict[str, None] = {}

    @property
    def session(self) -> requests.Session:
        """The session, opened when it is first needed."""
        if self._session is None:
            from zesty_anchor.feeds.web import session

            self._session = session(self._trust)
        return self._session

    def go_through(self, url: str, proxy: str) -> None:
        """Go through a proxy to the host of an address, where the environment names none."""
        if proxy:
            scheme, _, rest = url.partition("://")
            host = rest.partition("/")[0].partition(":")[0]
            self.session.proxies[f"{scheme}://{host}"] = proxy

    def json(self, url: str, *, who: str, accept: str = "application/json") -> Any:
        """The JSON document at ``url``; ``who`` names the feed in errors.

        Raises ``NotThere`` on 404 and ``Problem`` on anything else that is not a JSON answer.
        """
        _, body = self.document(url, who=who, accept=accept)
        try:
            return msgspec.json.decode(body)
        except (msgspec.DecodeError, RecursionError, UnicodeError) as error:
            start = body[:40].decode("utf-8", "replace").strip()
            raise Problem(
                f"{who} does not answer with JSON: {error}",
                where=url,
                advice=f"its answer begins with {start!r}; is the address that of a feed?",
            ) from None

    def text(self, url: str, *, who: str, pages: bool = False) -> str:
        """The text at ``url``. Raises as ``document`` does."""
        return self.document(url, who=who, pages=pages)[1].decode("utf-8", "replace")

    def document(self, url: str, *, who: str, accept: str = "*/*", pages: bool = False) -> tuple[str, bytes]:
        """The kind (Content-Type) and the bytes of a document. Raises ``NotThere`` or ``Problem``, also for a
        web page, unless it may be one (``pages``) and asks for no password.
        """
        return self.first_of(url, lambda at: self._document(at, who, accept, pages))

    def asked(self, url: str, who: str, ask: Callable[[], str]) -> str:
        """What ``ask``, another program, says of an address; offline, or where the mirror alone counts, what
        it said before. Raises ``Problem``.
        """
        kept, body = self._kept(url, _ASKED)
        if self.offline:
            if kept is None:
                raise _never_asked(who, url)
            self.ages[who] = max(self.ages.get(who, 0.0), time.time() - kept.at)
            return body.decode("utf-8", "replace")
        if self.mirror is not None and self.mirror.only:
            raise self.mirror.lacks(url, NotThere("a mirror holds no repositories", where=url))
        said = ask()
        self._keep(url, Answer(without_credentials(url), "", "", "", time.time()), _ASKED, said.encode())
        return said

    def first_of(self, url: str, get: Callable[[str], T]) -> T:
        """What ``get`` gives of an address: as the mirror has it, else as it is there."""
        at = self.mirror.at(url) if self.mirror is not None else None
        if self.mirror is None or at is None:
            return get(url)
        try:
            return get(at)
        except Problem as problem:
            if self.mirror.only:
                raise self.mirror.lacks(url, problem) from None
            if not isinstance(problem, NotThere):
                self.remarks[f"the mirror was passed over: {problem.what}"] = None
        return get(url)

    def _document(self, url: str, who: str, accept: str, pages: bool) -> tuple[str, bytes]:
        kept, body = self._kept(url, accept)
        if self.offline:
            if kept is None:
                raise _never_asked(who, url)
            self.ages[who] = max(self.ages.get(who, 0.0), time.time() - kept.at)
            return kept.kind, body
        headers = {"Accept": accept}
        if kept is not None:
            headers |= {
                k: v for k, v in (("If-None-Match", kept.etag), ("If-Modified-Since", kept.modified)) if v
            }
        from zesty_anchor.feeds.web import body_of, get
        from zesty_anchor.feeds.web_page import check_page

        with get(self.session, url, who=who, headers=headers) as response:
            if response.status_code == 304 and kept is not None:
                return kept.kind, body
            fresh = body_of(response, who, url)
            check_page(fresh, who, url, pages=pages)
            found = Answer(
                without_credentials(url),
                response.headers.get("Content-Type", ""),
                response.headers.get("ETag", ""),
                _tells_changes(response.headers.get("Last-Modified", ""), response.headers.get("Date", "")),
                time.time(),
            )
        self._keep(url, found, accept, fresh)
        return found.kind, fresh

    def distilled(
        self, url: str, digest: str, what: str, who: str, distil: Callable[[Iterable[bytes]], bytes]
    ) -> bytes:
        """What ``distil`` makes of a document with a known digest (``sha256:hex``), which is not kept itself;
        what was made of it is, under the name ``what``. Raises ``NotThere``, or ``Problem`` where it has
        another digest or is damaged.
        """
        return self.first_of(url, lambda at: self._distilled(at, digest, what, who, distil))

    def _distilled(
        self, url: str, digest: str, what: str, who: str, distil: Callable[[Iterable[bytes]], bytes]
    ) -> bytes:
        key = f"{digest} {what}"
        kept, body = self._kept(url, key)
        if kept is not None:
            return body
        if self.offline:
            raise _never_asked(who, url)
        from zesty_anchor.feeds.web import chunks_of, get

        found = hashlib.sha256()
        with get(self.session, url, who=who) as response:

            def arriving() -> Iterator[bytes]:
                for chunk in chunks_of(response, who, url):
                    found.update(chunk)
                    yield chunk

            try:
                made = distil(arriving())
            except ValueError as error:
                raise Problem(
                    f"what {who} gives is damaged: {error}", where=url, advice="try again later"
                ) from None
        if f"sha256:{found.hexdigest()}" != digest:
            raise Problem(
                f"what {who} gives has another digest than its signed list says",
                where=f"expected {digest}, got sha256:{found.hexdigest()}, from {url}",
                advice=(
                    "nothing of it was used; if the archive is being renewed just now, try again in a few"
                    " minutes"
                ),
            )
        self._keep(url, Answer(without_credentials(url), "", "", "", time.time()), key, made)
        return made

    def _file(self, url: str, accept: str) -> Path | None:
        return self.cache / hashlib.sha256(f"{url} {accept}".encode()).hexdigest() if self.cache else None

    def _kept(self, url: str, accept: str) -> tuple[Answer | None, bytes]:
        """The answer that is kept, on the first line of its file what is kept beside it, then the body."""
        file = self._file(url, accept)
        try:
            head, _, body = file.read_bytes().partition(b"\n") if file else (b"", b"", b"")
            return msgspec.json.decode(head, type=Answer), body
        except (OSError, msgspec.MsgspecError):
            return None, b""

    def _keep(self, url: str, answer: Answer, accept: str, body: bytes) -> None:
        file = self._file(url, accept)
        if file is None:
            return
        try:
            replace(file, msgspec.json.encode(answer) + b"\n" + body, lasting=False)
        except OSError:
            return  # a cache that cannot be written costs time, not correctness


def _tells_changes(modified: str, answered: str) -> str:
    """The time of change of a document where that shows each later change, else "": within the second in
    which it was answered, it may change once more and keep that time (RFC 9110, section 8.8.2.2).
    """
    from email.utils import parsedate_to_datetime

    try:
        apart = parsedate_to_datetime(answered) - parsedate_to_datetime(modified)
    except (ValueError, TypeError, OverflowError):
        return ""  # no date, or none that can be read
    return modified if apart.total_seconds() >= 1 else ""


def _never_asked(who: str, url: str) -> Problem:
    return Problem(
        f"{who} was never asked for this, and --offline asks nobody",
        where=url,
        advice="run the command once without --offline",
    )
