"""Feeds of kind ``npm``: the npm registry's open protocol.

A package's document ("packument") lists its versions, each with the address of its tarball and an
``integrity`` text after the W3C's Subresource Integrity, section 3.1. The abbreviated document is asked for
(registry documentation, "package metadata").
"""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from urllib.parse import quote

from zesty_anchor.feeds.feed import Feed, folder_address
from zesty_anchor.feeds.not_there import NotThere
from zesty_anchor.feeds.release import Release, withdrawn_because
from zesty_anchor.system.problem import Problem, UsageProblem

_ABBREVIATED = "application/vnd.npm.install-v1+json; q=1.0, application/json; q=0.8"
_STRENGTH = ("sha512", "sha384", "sha256")


class NpmFeed(Feed):
    """A registry at ``url``, else the one that npm's configuration names."""

    title = "npm"
    noun = usual = "the npm registry"
    own_address = True
    by_package = True

    @property
    def address(self) -> str:
        """The registry's address. Raises ``UsageProblem`` where none is known."""
        return folder_address(self.supply.url or self.around.once("npm", registry_address))

    def releases(self, product: str, platform: str) -> list[Release]:
        """``product`` is the package's name, which already says the platform."""
        url = self.address + quote(product, safe="@")
        try:
            answer = self.web.json(url, who=self.who, accept=_ABBREVIATED)
        except NotThere:
            raise Problem(
                f"{self.who} has no package {product!r}",
                where=url,
                advice="check the package's name in the recipe, and the registry's address",
            ) from None
        versions = answer.get("versions") if isinstance(answer, dict) else None
        if not isinstance(versions, dict):
            raise Problem(
                f"{self.who} answers with JSON that is no package document",
                where=url,
                advice="check the registry's address",
            )
        tags = answer.get("dist-tags")
        return [
            _release(version, each, tags if isinstance(tags, dict) else {})
            for version, each in versions.items()
            if isinstance(each, dict)
        ]


def _release(version: str, document: dict[str, Any], tags: Mapping[str, Any]) -> Release:
    files = document.get("dist")
    dist = files if isinstance(files, dict) else {}
    return Release(
        version=version,
        url=str(dist.get("tarball", "")),
        digest=integrity_digest(str(dist.get("integrity", ""))),
        size=None,
        channels=tuple(tag for tag, tagged in tags.items() if tagged == version),
        requires=_engines(document.get("engines")),
        withdrawn=withdrawn_because(document.get("deprecated"), "deprecated"),
    )


def _engines(stated: Any) -> dict[str, str]:
    """Which versions of others a package says it needs (npm documentation, "package.json", engines)."""
    if not isinstance(stated, dict):
        return {}
    return {f"engines.{name}": text for name, text in stated.items() if isinstance(text, str)}


def integrity_digest(integrity: str) -> str:
    """The strongest digest of an ``integrity`` text as ``sha512:hex``; empty where it holds none of use."""
    for algorithm in _STRENGTH:
        found = re.search(rf"\b{algorithm}-([A-Za-z0-9+/=]+)", integrity)
        if found:
            try:
                return f"{algorithm}:{base64.b64decode(found[1], validate=True).hex()}"
            except binascii.Error:
                continue
    return ""


def registry_address(environ: Mapping[str, str], home: Path) -> str:
    """The user's npm registry: NPM_CONFIG_REGISTRY, then the npmrc files, then what an installed npm says.

    The order is that of npm's own documentation (npm-config: environment, user file, global file).
    Raises ``UsageProblem`` where none of them knows one.
    """
    from zesty_anchor.feeds import npm_config

    found = npm_config.setting("registry", environ, home) or npm_config.ask_npm(environ)
    if found:
        return found
    raise UsageProblem(
        "no npm registry is known on this machine",
        where="asked: NPM_CONFIG_REGISTRY, "
        + ", ".join(map(str, npm_config.files(environ, home)))
        + ", and an installed npm",
        advice=(
            'name it in the manifest, [feeds.npm] kind = "npm", url = "https://…", or in NPM_CONFIG_REGISTRY'
        ),
    )
