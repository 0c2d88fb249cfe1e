"""HTTP as feeds and downloads use it: one session, retries, and errors that a person can act on."""

from __future__ import annotations

import http.client
import os
from collections.abc import Iterator
from typing import Any

import requests
import urllib3
from requests.adapters import HTTPAdapter
from urllib3.util.retry import Retry

from zesty_anchor import __version__
from zesty_anchor.problem import Problem

CONNECT_SECONDS = 10
READ_SECONDS = 60
LARGEST_ANSWER = 64 * 1024 * 1024


def session() -> requests.Session:
    """A session that retries what may pass (no connection, 429, 502, 503, 504) three times with back-off.

    Proxies and a custom certificate authority come from the environment, as requests documents it.
    """
    made = requests.Session()
    retry = Retry(total=3, connect=2, backoff_factor=0.2, status_forcelist=(429, 502, 503, 504), raise_on_status=False)
    adapter = HTTPAdapter(max_retries=retry, pool_maxsize=16)
    made.mount("http://", adapter)
    made.mount("https://", adapter)
    made.headers["User-Agent"] = f"zesty-anchor/{__version__}"
    return made


def get_json(web: requests.Session, url: str, *, who: str, accept: str = "application/json") -> Any:
    """The JSON document at ``url``; ``who`` names the feed in errors.

    Raises ``NotThere`` on 404 and ``Problem`` on anything else that is not a JSON answer.
    """
    import msgspec

    response = get(web, url, who=who, headers={"Accept": accept})
    with response:
        body = b""
        try:
            for chunk in response.iter_content(1 << 18):
                body += chunk
                if len(body) > LARGEST_ANSWER:
                    raise Problem(f"{who} answers with more than {LARGEST_ANSWER >> 20} MiB", where=url)
        except (requests.RequestException, OSError) as error:
            raise unreachable(who, url, error) from None
    try:
        return msgspec.json.decode(body)
    except msgspec.DecodeError as error:
        start = body[:40].decode("utf-8", "replace").strip()
        raise Problem(
            f"{who} does not answer with JSON: {error}",
            where=url,
            advice=f"its answer begins with {start!r}; is the address that of a feed?",
        ) from None


class NotThere(Problem):
    """The server says that there is no such thing (404 or 410)."""


def get(web: requests.Session, url: str, *, who: str, headers: dict[str, str] | None = None) -> requests.Response:
    """A streamed response with status 200.

    Raises ``NotThere`` or ``Problem``.
    """
    try:
        response = web.get(url, stream=True, timeout=(CONNECT_SECONDS, READ_SECONDS), headers=headers)
    except requests.RequestException as error:
        raise unreachable(who, url, error) from None
    if response.status_code == 200:
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
            advice="if your network has a certificate authority of its own, name its file in REQUESTS_CA_BUNDLE",
        )
    if isinstance(
        error,
        requests.exceptions.MissingSchema | requests.exceptions.InvalidSchema | requests.exceptions.InvalidURL,
    ):
        return Problem(f"{who} has no usable address", where=url, advice="write it with https:// in front")
    proxy = os.environ.get("https_proxy") or os.environ.get("HTTPS_PROXY")
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
    """The open answer to a download, as the shelf reads it."""

    def __init__(self, web: requests.Session, url: str, who: str) -> None:
        self._who = who
        self._url = url
        self._response = get(web, url, who=who, headers={"Accept-Encoding": "identity"})

    @property
    def size(self) -> int | None:
        """Bytes in all, if the server tells."""
        length = self._response.headers.get("Content-Length", "")
        return int(length) if length.isdigit() else None

    def chunks(self, size: int) -> Iterator[bytes]:
        """The bytes as they arrive. Raises ``Problem`` where the connection breaks."""
        try:
            yield from self._response.raw.stream(size, decode_content=False)
        except (urllib3.exceptions.HTTPError, requests.RequestException, OSError) as error:
            raise unreachable(self._who, self._url, error) from None

    def close(self) -> None:
        """Hang up."""
        self._response.close()
