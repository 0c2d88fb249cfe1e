"""HTTP as feeds and downloads use it: one session, retries, and errors that a person can act on.

Fetching this module takes a while, since requests does: what can be answered without the network does not.
"""

from __future__ import annotations

import http.client
import os
import ssl
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.request import getproxies

import requests
import urllib3
from requests.adapters import HTTPAdapter
from urllib3.util.retry import Retry

from zesty_anchor import __version__
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.trust import Trust, context, goes_direct
from zesty_anchor.system.problem import Problem

CONNECT_SECONDS = 10
READ_SECONDS = 20
RESUME_TRIES = 4
RESUME_PAUSE = 0.5
LARGEST_ANSWER = 64 * 1024 * 1024


def session(trust: Trust | None = None) -> requests.Session:
    """A session that retries what may pass (no connection, 429, 500, 502, 503, 504) three times with back-off.

    It trusts the system's store, and what ``trust`` names beside it. Proxies come from the environment, as requests documents
    it, then from ``trust``. Raises ``UsageProblem`` where a file of ``trust`` cannot be used.
    """
    trust = trust or Trust()
    made = _Session(trust)
    retry = Retry(
        total=3, connect=2, backoff_factor=0.2, status_forcelist=(429, 500, 502, 503, 504), raise_on_status=False
    )
    made.mount("http://", HTTPAdapter(max_retries=retry, pool_maxsize=16))
    made.mount("https://", _Adapter(context(trust), max_retries=retry, pool_maxsize=16))
    made.headers["User-Agent"] = f"zesty-anchor/{__version__}"
    return made


class _Session(requests.Session):
    """Takes the proxies of npm's and pip's configuration where the environment names none for an address."""

    def __init__(self, trust: Trust) -> None:
        super().__init__()
        self._trust = trust

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
    """Hands one TLS context to all connections, in place of a bundle of its own."""

    def __init__(self, context: ssl.SSLContext, **more: Any) -> None:
        self._context = context
        super().__init__(**more)

    def init_poolmanager(self, *given: Any, **more: Any) -> None:
        """See ``HTTPAdapter``."""
        super().init_poolmanager(*given, ssl_context=self._context, **more)

    def proxy_manager_for(self, *given: Any, **more: Any) -> Any:
        """See ``HTTPAdapter``."""
        return super().proxy_manager_for(*given, ssl_context=self._context, **more)

    def build_connection_pool_key_attributes(self, *given: Any, **more: Any) -> Any:
        """See ``HTTPAdapter``: without the bundle that requests would name."""
        host, _ = super().build_connection_pool_key_attributes(*given, **more)
        return host, {"ssl_context": self._context}

    def cert_verify(self, conn: Any, url: Any, verify: Any, cert: Any) -> None:
        """The context verifies."""


def body_of(response: requests.Response, who: str, url: str) -> bytes:
    """The whole body of an answer. Raises ``Problem`` where it breaks off, or is absurdly large."""
    return b"".join(chunks_of(response, who, url))


def chunks_of(response: requests.Response, who: str, url: str) -> Iterator[bytes]:
    """The body of an answer as it arrives. Raises ``Problem`` where it breaks off, or is absurdly large."""
    done = 0
    try:
        for chunk in response.iter_content(1 << 18):
            done += len(chunk)
            if done > LARGEST_ANSWER:
                raise Problem(f"{who} answers with more than {LARGEST_ANSWER >> 20} MiB", where=url)
            yield chunk
    except (requests.RequestException, OSError) as error:
        raise unreachable(who, url, error) from None


def get(web: requests.Session, url: str, *, who: str, headers: dict[str, str] | None = None) -> requests.Response:
    """A streamed response with status 200, 206 or 304.

    Raises ``NotThere`` or ``Problem``.
    """
    try:
        response = web.get(url, stream=True, timeout=(CONNECT_SECONDS, READ_SECONDS), headers=headers)
    except requests.RequestException as error:
        raise unreachable(who, url, error) from None
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
            advice="if your network has a certificate authority of its own, add it to the system's (Debian: put it into "
            "/usr/local/share/ca-certificates, then run update-ca-certificates), or name its file in SSL_CERT_FILE",
        )
    if isinstance(
        error,
        requests.exceptions.MissingSchema | requests.exceptions.InvalidSchema | requests.exceptions.InvalidURL,
    ):
        return Problem(f"{who} has no usable address", where=url, advice="write it with https:// in front")
    proxy = getproxies().get(url.partition(":")[0])
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


class WebBody:
    """The open answer to a download, as the shelf reads it. A connection that breaks or stalls is taken up again
    where it broke (RFC 9110, section 14: Range), several times with growing pauses.
    """

    def __init__(self, web: requests.Session, url: str, who: str) -> None:
        self._web = web
        self._url = url
        self._who = who
        self._response = self._get(0)

    @property
    def size(self) -> int | None:
        """Bytes in all, if the server tells."""
        length = self._response.headers.get("Content-Length", "")
        return int(length) if length.isdigit() else None

    def chunks(self, size: int) -> Iterator[bytes]:
        """The bytes as they arrive. Raises ``Problem`` where the connection breaks for good."""
        total, done, tries = self.size, 0, 0
        while True:
            try:
                for chunk in self._response.raw.stream(size, decode_content=False):
                    done += len(chunk)
                    tries = 0
                    yield chunk
                if total is None or done >= total:
                    return
                raise urllib3.exceptions.ProtocolError(f"{done:,} of {total:,} bytes arrived")
            except (urllib3.exceptions.HTTPError, requests.RequestException, OSError) as error:
                if tries >= RESUME_TRIES:
                    raise unreachable(self._who, self._url, error) from None
                time.sleep(RESUME_PAUSE * 2**tries)
                tries += 1
                self._response.close()
                self._response = self._get(done)

    def _get(self, done: int) -> requests.Response:
        headers = {"Accept-Encoding": "identity", **({"Range": f"bytes={done}-"} if done else {})}
        response = get(self._web, self._url, who=self._who, headers=headers)
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
