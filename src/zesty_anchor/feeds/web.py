"""HTTP as feeds and downloads use it: one session, retries, and errors that a person can act on.

Fetching this module takes a while, since requests does: what can be answered without the network does not.
"""

from __future__ import annotations

import http.client
import os
import socket
import ssl
import threading
import time
import zlib
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any
from urllib.parse import urljoin, urlsplit
from urllib.request import getproxies

import requests
import urllib3
from requests.adapters import HTTPAdapter
from urllib3.connection import HTTPConnection, HTTPSConnection
from urllib3.connectionpool import HTTPConnectionPool, HTTPSConnectionPool
from urllib3.util.retry import Retry

from zesty_anchor import __version__
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.trust import Trust, context, goes_direct
from zesty_anchor.feeds.web_page import check_page
from zesty_anchor.system.credentials import without_credentials
from zesty_anchor.system.problem import Problem

CONNECT_SECONDS = 10
READ_SECONDS = 20
RESUME_TRIES = 4
RESUME_PAUSE = 0.5
LARGEST_ANSWER = 64 * 1024 * 1024
ANSWER_SECONDS = 60.0
LONGEST_WAIT = 30.0
MOST_REDIRECTS = 10
SLOWEST = 10_000
"""Bytes a second that a download must bring, over ``SLOW_SECONDS``."""
SLOW_SECONDS = 60.0
MOST_RESUMES = 50
"""How often a download is taken up again in all."""
WORTH_RESUMING = 1 << 16
"""What a connection must have brought, so that the tries are counted anew."""


_PIECE = 1 << 20
_SOON_SECONDS = 0.25


class LedAway(requests.RequestException):
    """A server leads on to where we do not go."""


def session(trust: Trust | None = None) -> requests.Session:
    """A session that retries what may pass (no connection, 429, 500, 502, 503, 504) three times with
    back-off.

    It trusts the system's store, and what ``trust`` names beside it. Proxies come from the environment, as
    requests documents it, then from ``trust``. Whoever asks by HTTPS first gets a ``UsageProblem`` where a
    file of ``trust`` cannot be used.
    """
    made = _Session(trust or Trust())
    made.max_redirects = MOST_REDIRECTS
    made.mount("http://", _Adapter(None, max_retries=_retry(), pool_maxsize=16))
    made.headers["Accept-Encoding"] = "gzip"
    made.headers["User-Agent"] = f"zesty-anchor/{__version__}"
    return made


class _Late(urllib3.exceptions.HTTPError):
    """An answer did not come to its end in time."""


_now = threading.local()
"""Until when the answer that this thread waits for must be there: ``until``, in seconds of the monotonic
clock.
"""


def _left() -> float:
    """How many seconds are left for the answer that this thread waits for."""
    return float(getattr(_now, "until", time.monotonic() + ANSWER_SECONDS)) - time.monotonic()


class _Retry(Retry):
    """Waits as long as a server asks for, but not for ever (RFC 9110, section 10.2.3: Retry-After), and tries
    no more when the time for the whole answer is over.
    """

    def get_retry_after(self, response: Any) -> float | None:
        """See ``urllib3.util.retry.Retry``."""
        asked = super().get_retry_after(response)
        return None if asked is None else min(asked, LONGEST_WAIT, max(_left(), 0.0))

    def increment(self, *given: Any, **more: Any) -> Any:
        """See ``urllib3.util.retry.Retry``."""
        if _left() <= 0:
            raise _Late
        return super().increment(*given, **more)


class _Bounded:
    """A connection whose status line and headers must arrive in time too: each single byte restarts the read
    timeout, so a timer shuts the connection down.
    """

    sock: Any

    def getresponse(self, *given: Any, **more: Any) -> Any:
        """See ``http.client.HTTPConnection``."""
        over = threading.Event()

        def hang_up() -> None:
            over.set()
            with suppress(OSError, AttributeError):
                self.sock.shutdown(socket.SHUT_RDWR)

        timer = threading.Timer(max(_left(), 0.01), hang_up)
        timer.daemon = True
        timer.start()
        try:
            response = super().getresponse(*given, **more)  # type: ignore[misc]
        except (OSError, http.client.HTTPException):
            if over.is_set():
                raise _Late from None
            raise
        finally:
            timer.cancel()
        if over.is_set():  # what came until then looks like all of it
            raise _Late
        return response


class _Http(_Bounded, HTTPConnection):
    """One without TLS."""


class _Https(_Bounded, HTTPSConnection):
    """One with TLS."""


class _HttpPool(HTTPConnectionPool):
    ConnectionCls = _Http


class _HttpsPool(HTTPSConnectionPool):
    ConnectionCls = _Https


_POOLS = {"http": _HttpPool, "https": _HttpsPool}


def _retry() -> _Retry:
    return _Retry(
        total=3,
        connect=2,
        backoff_factor=0.2,
        status_forcelist=(429, 500, 502, 503, 504),
        raise_on_status=False,
    )


class _Session(requests.Session):
    """Takes the proxies of npm's and pip's configuration where the environment names none for an address.
    What is asked for by HTTPS is not led on to anything less.
    """

    def get_redirect_target(self, resp: requests.Response) -> str | None:
        """See ``requests.Session``."""
        target = super().get_redirect_target(resp)
        if target is None:
            return None
        scheme = urlsplit(urljoin(resp.url, target)).scheme
        if scheme not in ("http", "https") or (scheme == "http" and resp.url.startswith("https:")):
            raise LedAway(f"it leads on to {scheme}:, which is not taken from there", response=resp)
        return target

    def __init__(self, trust: Trust) -> None:
        super().__init__()
        self._trust = trust
        self._first = threading.Lock()
        self._secured = False

    def get_adapter(self, url: Any) -> Any:
        """See ``requests.Session``. Reading the authorities takes a tenth of a second, so it waits for an
        address that needs them.
        """
        if str(url).lower().startswith("https:"):
            with self._first:
                if not self._secured:
                    self.mount(
                        "https://", _Adapter(context(self._trust), max_retries=_retry(), pool_maxsize=16)
                    )
                    self._secured = True
        return super().get_adapter(url)

    def merge_environment_settings(self, url: Any, *given: Any) -> Any:
        """See ``requests.Session``."""
        settings = super().merge_environment_settings(url, *given)
        scheme = str(url).partition(":")[0]
        named, direct = self._trust.proxies.get(scheme), self._trust.direct
        bypassed = requests.utils.should_bypass_proxies(str(url), None) or goes_direct(str(url), direct)
        if named and not bypassed and not requests.utils.select_proxy(str(url), settings["proxies"]):
            settings["proxies"][scheme] = named
        return settings


class _Adapter(HTTPAdapter):
    """Hands one TLS context to all connections, in place of a bundle of its own, and limits their time.
    ``context`` is None without TLS.
    """

    def __init__(self, context: ssl.SSLContext | None, **more: Any) -> None:
        self._context = context
        super().__init__(**more)

    def init_poolmanager(self, *given: Any, **more: Any) -> None:
        """See ``HTTPAdapter``."""
        more |= self._secured
        super().init_poolmanager(*given, **more)
        self.poolmanager.pool_classes_by_scheme = _POOLS

    def proxy_manager_for(self, *given: Any, **more: Any) -> Any:
        """See ``HTTPAdapter``."""
        more |= self._secured
        manager = super().proxy_manager_for(*given, **more)
        manager.pool_classes_by_scheme = _POOLS
        return manager

    @property
    def _secured(self) -> dict[str, Any]:
        return {"ssl_context": self._context} if self._context is not None else {}

    def build_connection_pool_key_attributes(self, *given: Any, **more: Any) -> Any:
        """See ``HTTPAdapter``: without the bundle that requests would name."""
        host, _ = super().build_connection_pool_key_attributes(*given, **more)
        return host, self._secured

    def cert_verify(self, conn: Any, url: Any, verify: Any, cert: Any) -> None:
        """The context verifies."""


def body_of(response: requests.Response, who: str, url: str) -> bytes:
    """The whole body of an answer. Raises ``Problem`` where it breaks off, or is absurdly large."""
    return b"".join(chunks_of(response, who, url))


def chunks_of(response: requests.Response, who: str, url: str) -> Iterator[bytes]:
    """The body of an answer as it arrives. Raises ``Problem`` where it breaks off, or is absurdly large."""
    done, until = 0, float(getattr(response, "until", time.monotonic() + ANSWER_SECONDS))
    try:
        for chunk in _decoded(response, who, url):
            done += len(chunk)
            if done > LARGEST_ANSWER:
                raise Problem(f"{who} answers with more than {LARGEST_ANSWER >> 20} MiB", where=url)
            if time.monotonic() > until:
                raise _late(who, url)
            yield chunk
    except (requests.RequestException, urllib3.exceptions.HTTPError, OSError) as error:
        raise unreachable(who, url, error) from None


def _late(who: str, url: str) -> Problem:
    return Problem(
        f"{who} did not come to the end of its answer within {ANSWER_SECONDS:.0f} s",
        where=url,
        advice="check the address and the network, then try again",
    )


def _decoded(response: requests.Response, who: str, url: str) -> Iterator[bytes]:
    """The body, unpacked where it is compressed (RFC 9110, section 8.4.1.3), a bounded piece at a time."""
    arriving = _arriving(response.raw, 1 << 16)
    encoding = response.headers.get("Content-Encoding", "").strip().lower()
    if encoding in ("", "identity"):
        yield from arriving
        return
    if encoding not in ("gzip", "x-gzip"):
        raise Problem(f"{who} encodes its answer as {encoding[:40]!r}, which was not asked for", where=url)
    unpacking = zlib.decompressobj(wbits=31)
    try:
        for chunk in arriving:
            while chunk and not unpacking.eof:
                yield unpacking.decompress(chunk, _PIECE)
                chunk = unpacking.unconsumed_tail
    except zlib.error as error:
        raise Problem(
            f"{who} answers with damaged data: {error}", where=url, advice="try again later"
        ) from None
    if not unpacking.eof:
        raise Problem(f"{who} broke its answer off", where=url, advice="try again later")


def get(
    web: requests.Session, url: str, *, who: str, headers: dict[str, str] | None = None
) -> requests.Response:
    """A streamed response with status 200, 206 or 304. Its headers, and all waits for them together, must be
    there within ``ANSWER_SECONDS``; what of that is left is for its body (``chunks_of``).

    Raises ``NotThere`` or ``Problem``.
    """
    _now.until = until = time.monotonic() + ANSWER_SECONDS
    try:
        response = web.get(url, stream=True, timeout=(CONNECT_SECONDS, READ_SECONDS), headers=headers)
    except _Late:
        raise _late(who, url) from None
    except requests.RequestException as error:
        raise (_late(who, url) if time.monotonic() >= until else unreachable(who, url, error)) from None
    finally:
        del _now.until
    response.until = until  # type: ignore[attr-defined]
    if response.status_code in (200, 206, 304):
        return response
    response.close()
    status = f"{response.status_code} {http.client.responses.get(response.status_code, '')}".strip()
    if response.status_code in (404, 410):
        raise NotThere(f"{who} answers {status}", where=url, advice="check the address in the manifest")
    if response.status_code in (401, 403):
        advice = "it refuses access: check the address, or the credentials in your netrc file"
    elif response.status_code >= 500:
        advice = "the server has trouble of its own: try again later"
    else:
        advice = "check the address in the manifest"
    raise Problem(f"{who} answers {status}", where=url, advice=advice)


def unreachable(who: str, url: str, error: Exception) -> Problem:
    """The problem to tell where no answer, or only part of one, came."""
    if isinstance(error, requests.exceptions.SSLError):
        return Problem(
            f"{who} cannot be trusted: {_reason(error)}",
            where=url,
            advice=(
                "if your network has a certificate authority of its own, add it to the system's (Debian: put"
                " it into /usr/local/share/ca-certificates, then run update-ca-certificates), or name its"
                " file in SSL_CERT_FILE"
            ),
        )
    if isinstance(
        error,
        requests.exceptions.MissingSchema
        | requests.exceptions.InvalidSchema
        | requests.exceptions.InvalidURL,
    ):
        return Problem(f"{who} has no usable address", where=url, advice="write it with https:// in front")
    if isinstance(error, LedAway):
        return Problem(
            f"{who} cannot be taken at its word: {error}", where=url, advice="write the address that is meant"
        )
    proxy = without_credentials(getproxies().get(url.partition(":")[0]) or "")
    return Problem(
        f"{who} cannot be reached: {_reason(error)}",
        where=url,
        advice="check the address and the network"
        + (f" (the proxy {proxy} is in use)" if proxy else "")
        + ", then run the same command again: what is done is kept",
    )


def _reason(error: BaseException) -> str:
    """The innermost reason, without the wrapping of two libraries."""
    reason: Any = error
    while True:
        inner = getattr(reason, "reason", None) or next(
            (a for a in getattr(reason, "args", ()) if isinstance(a, BaseException)), None
        )
        if not isinstance(inner, BaseException):
            break
        reason = inner
    text = str(reason)
    if "Connection refused" in text:
        return "the connection is refused"
    if "Name or service not known" in text or "name resolution" in text.lower():
        return "its name cannot be resolved"
    return text.split(": ", 1)[-1] if text.startswith("<") else text


def _arriving(raw: Any, size: int) -> Iterator[bytes]:
    """The bytes of an answer: pieces of some size, but what has come is given on soon, so that limits of time
    can be kept.
    """
    parts: list[bytes] = []
    count, since = 0, time.monotonic()
    try:
        while chunk := raw.read1(size, decode_content=False):
            parts.append(chunk)
            count += len(chunk)
            if count >= size or time.monotonic() - since > _SOON_SECONDS:
                yield b"".join(parts)
                parts, count, since = [], 0, time.monotonic()
    except (urllib3.exceptions.HTTPError, OSError):
        if parts:
            yield b"".join(parts)
        raise
    if parts:
        yield b"".join(parts)


class _Pace:
    """Ends a download that would take days: the limits for silence alone let a byte a second through."""

    def __init__(self) -> None:
        self._since = time.monotonic()
        self._from = 0

    def check(self, done: int, who: str, url: str) -> None:
        """Raises ``Problem`` where too little came in the last minute."""
        now = time.monotonic()
        if now - self._since < SLOW_SECONDS:
            return
        if done - self._from < SLOWEST * SLOW_SECONDS:
            raise Problem(
                f"{who} is too slow: {(done - self._from) / (now - self._since) / 1000:.1f} kB a second",
                where=url,
                advice="try again later, or from another network",
            )
        self._since, self._from = now, done


class WebBody:
    """The open answer to a download, as the shelf reads it. A connection that breaks or stalls is taken up
    again where it broke (RFC 9110, section 14: Range), several times with growing pauses. ``start`` is how
    many bytes of it are here already: those are left out.
    """

    def __init__(self, web: requests.Session, url: str, who: str, *, start: int = 0) -> None:
        self._web = web
        self._url = url
        self._who = who
        self._start = start
        self._response = self._get(start)
        length = self._response.headers.get("Content-Length", "")
        left_out = start if self._response.status_code == 206 else 0
        self._size = int(length) + left_out if length.isdigit() else None

    @property
    def size(self) -> int | None:
        """Bytes in all, if the server tells."""
        return self._size

    def chunks(self, size: int) -> Iterator[bytes]:
        """The bytes as they arrive. Raises ``Problem`` where the connection breaks for good."""
        total, done, tries, resumes, last = self.size, self._start, 0, 0, 0
        slow = _Pace()
        while True:
            try:
                for chunk in _arriving(self._response.raw, size):
                    if not done:
                        check_page(chunk, self._who, self._url)
                    done += len(chunk)
                    if done - last > WORTH_RESUMING:
                        tries = 0
                    slow.check(done, self._who, self._url)
                    yield chunk
                if total is None or done >= total:
                    return
                raise urllib3.exceptions.ProtocolError(f"{done:,} of {total:,} bytes arrived")
            except (urllib3.exceptions.HTTPError, requests.RequestException, OSError) as error:
                if tries >= RESUME_TRIES or resumes >= MOST_RESUMES:
                    raise unreachable(self._who, self._url, error) from None
                time.sleep(RESUME_PAUSE * 2**tries)
                tries, resumes, last = tries + 1, resumes + 1, done
                self._response.close()
                self._response = self._get(done)

    def _get(self, done: int) -> requests.Response:
        headers = {"Accept-Encoding": "identity", **({"Range": f"bytes={done}-"} if done else {})}
        response = get(self._web, self._url, who=self._who, headers=headers)
        if done and response.status_code == 206:
            begins = response.headers.get("Content-Range", "")
            if begins and not begins.startswith(f"bytes {done}-"):
                response.close()
                raise Problem(
                    f"{self._who} goes on at another place than was asked for",
                    where=self._url,
                    advice=(
                        "run the same command again; if it happens each time, tell whoever runs the server"
                    ),
                )
        if done and response.status_code != 206:
            # The server knows no ranges and begins anew: pass over what we have.
            left = done
            while left:
                left -= len(response.raw.read(min(left, 1 << 18), decode_content=False) or b"") or left
        return response

    def close(self) -> None:
        """Hang up."""
        self._response.close()


class FileBody:
    """A local file, read as a download is."""

    def __init__(self, file: Path) -> None:
        try:
            if not file.is_file():
                raise Problem(
                    "that is no file", where=str(file), advice="check the folder that the feed names"
                )
            self._opened = file.open("rb")
        except OSError as error:
            raise Problem(f"the file cannot be read: {error.strerror}", where=str(file)) from None

    @property
    def size(self) -> int | None:
        """Its bytes."""
        return os.fstat(self._opened.fileno()).st_size

    def chunks(self, size: int) -> Iterator[bytes]:
        """Its bytes, in pieces."""
        while chunk := self._opened.read(size):
            yield chunk

    def close(self) -> None:
        """Close it."""
        self._opened.close()
