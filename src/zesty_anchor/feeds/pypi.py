"""Feeds of kind ``pypi``: the simple repository API, as JSON (PEP 691) or, where only that is served, HTML
(PEP 503).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urldefrag, urljoin

import msgspec

from zesty_anchor.feeds.feed import Feed, folder_address
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release, withdrawn_because
from zesty_anchor.system.problem import Problem, UsageProblem

_JSON = "application/vnd.pypi.simple.v1+json"
_ACCEPT = f"{_JSON}, application/vnd.pypi.simple.v1+html; q=0.2, text/html; q=0.1"


class PypiFeed(Feed):
    """An index at ``url``, else the one that pip's configuration names. Of each version it takes the wheel
    that fits this machine best, by its platform tags.
    """

    title = "Python index"
    noun = usual = "the package index"
    own_address = True
    by_package = True

    @property
    def address(self) -> str:
        """The index's address. Raises ``UsageProblem`` where none is known."""
        return folder_address(self.supply.url or self.around.once("pypi", index_address))

    def releases(self, product: str, platform: str) -> list[Release]:
        """``product`` is the project's name. Yanked files (PEP 592) are passed over."""
        from packaging.utils import InvalidWheelFilename, canonicalize_name, parse_wheel_filename

        url = urljoin(self.address, canonicalize_name(product) + "/")
        order = _Order(platform)
        best: dict[str, tuple[int, Release]] = {}
        for name, file in self._files(product, url).items():
            try:
                _, version, _, tags = parse_wheel_filename(name)
            except InvalidWheelFilename:
                continue
            rank = min((place for tag in tags if (place := order.place(tag)) is not None), default=None)
            if rank is not None and (str(version) not in best or rank < best[str(version)][0]):
                best[str(version)] = rank, msgspec.structs.replace(file, version=str(version))
        return [release for _, release in best.values()]

    def _files(self, product: str, url: str) -> dict[str, Release]:
        try:
            kind, body = self.web.document(url, who=self.who, accept=_ACCEPT, pages=True)
        except NotThere:
            raise Problem(
                f"{self.who} has no project {product!r}",
                where=url,
                advice="check the project's name in the recipe, and the index's address",
            ) from None
        if kind.startswith("text/html") or kind.endswith("+html"):
            return _from_html(body.decode("utf-8", "replace"), url)
        try:
            return _from_json(msgspec.json.decode(body), url)
        except (msgspec.DecodeError, KeyError, TypeError, AttributeError):
            raise Problem(
                f"{self.who} answers with what is no project page",
                where=url,
                advice="check the index's address",
            ) from None


class _Order:
    """How well a wheel's tags fit a platform (PEP 425): by this Python's own order where it is this
    machine's.
    """

    def __init__(self, platform: str) -> None:
        from packaging.tags import sys_tags

        system, _, machine = platform.partition("-")
        names = {"aarch64": "aarch64|arm64", "x86_64": "x86_64|universal2"}.get(machine, machine)
        begin = {"linux": "manylinux", "macos": "macosx"}.get(system, system)
        self._platform = re.compile(rf"(?:{begin}.*_(?:{names})|any)")
        self._order = {tag: place for place, tag in enumerate(sys_tags())}

    def place(self, tag: Any) -> int | None:
        """Its place in the order, the best first; None where it does not fit the platform."""
        if not self._platform.fullmatch(tag.platform):
            return None
        own = self._order.get(tag)
        foreign = tag.interpreter in ("py3", "py2.py3") and tag.abi == "none"
        return own if own is not None else len(self._order) if foreign and not self._is_ours(tag) else None

    def _is_ours(self, tag: Any) -> bool:
        """Whether this machine's order has a say about the tag's platform at all."""
        return any(own.platform == tag.platform for own in self._order)


def _from_json(document: Any, url: str) -> dict[str, Release]:
    files = {}
    for file in document["files"]:
        digest = file.get("hashes", {}).get("sha256", "")
        files[file["filename"]] = Release(
            version="", url=urljoin(url, file["url"]), digest=f"sha256:{digest}" if digest else "",
            size=file.get("size"), date=str(file.get("upload-time") or "")[:10],
            withdrawn=withdrawn_because(file.get("yanked")),
        )  # fmt: skip
    return files


def _from_html(page: str, url: str) -> dict[str, Release]:
    from zesty_anchor.feeds.links import Links

    files = {}
    for link, attributes in Links(page).found:
        yanked = "data-yanked" in attributes and (attributes["data-yanked"] or True)
        address, fragment = urldefrag(urljoin(url, link))
        digest = fragment.removeprefix("sha256=") if fragment.startswith("sha256=") else ""
        name = unquote(address.rpartition("/")[2])
        files[name] = Release(
            version="",
            url=address,
            digest=f"sha256:{digest}" if digest else "",
            withdrawn=withdrawn_because(yanked),
        )
    return files


def index_address(environ: Mapping[str, str], home: Path) -> str:
    """The user's package index: PIP_INDEX_URL, then pip's configuration files, then what an installed pip
    says.

    The files are those of pip's documentation ("Configuration"): the user's before the global ones.
    Raises ``UsageProblem`` where none of them knows one.
    """
    from zesty_anchor.feeds import pip_config

    found = pip_config.setting("index-url", environ, home) or pip_config.ask_pip(environ)
    if found:
        return found
    raise UsageProblem(
        "no Python package index is known on this machine",
        where="asked: PIP_INDEX_URL, "
        + ", ".join(map(str, pip_config.files(environ, home)))
        + ", and an installed pip",
        advice='name it in the manifest, [feeds.pypi] kind = "pypi", url = "https://…", or in PIP_INDEX_URL',
    )
