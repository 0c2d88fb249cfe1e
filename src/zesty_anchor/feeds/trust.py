"""Whom HTTPS trusts here, and which proxies it goes through: what the system and the person's other tools are
set to.
"""

from __future__ import annotations

import ipaddress
import ssl
from collections.abc import Iterable, Mapping
from pathlib import Path
from urllib.parse import urlsplit

import msgspec

from zesty_anchor.feeds import npm_config, pip_config
from zesty_anchor.system.problem import UsageProblem


class Trust(msgspec.Struct, frozen=True):
    """Files and folders of certificate authorities beside the system's store, each with who names it; the
    proxies of npm's and pip's configuration, by the scheme of an address; and the hosts that are asked
    without one.
    """

    files: tuple[tuple[str, str], ...] = ()
    folders: tuple[tuple[str, str], ...] = ()
    proxies: Mapping[str, str] = {}
    direct: tuple[str, ...] = ()


def trust_here(environ: Mapping[str, str], home: Path) -> Trust:
    """What counts on this machine.

    Sources: OpenSSL's manual (SSL_CTX_load_verify_locations(3): SSL_CERT_FILE, SSL_CERT_DIR), requests'
    documentation (REQUESTS_CA_BUNDLE, CURL_CA_BUNDLE), npm's ("config": cafile, proxy, https-proxy, noproxy)
    and pip's (cert, proxy).
    """
    named = [
        (name, environ.get(name, "")) for name in ("SSL_CERT_FILE", "REQUESTS_CA_BUNDLE", "CURL_CA_BUNDLE")
    ]
    named += [("npm's cafile", npm_config.setting("cafile", environ, home))]
    named += [("pip's cert", pip_config.setting("cert", environ, home))]
    proxies = {}
    for scheme, key in (("http", "proxy"), ("https", "https-proxy")):
        found = npm_config.setting(key, environ, home) or npm_config.setting("proxy", environ, home)
        found = found or pip_config.setting("proxy", environ, home)
        if found and found not in ("null", "false"):
            proxies[scheme] = found if "://" in found else f"http://{found}"
    return Trust(
        files=tuple((who, file) for who, file in named if file and not Path(file).is_dir()),
        folders=tuple(
            (who, place)
            for who, places in (("SSL_CERT_DIR", environ.get("SSL_CERT_DIR", "")), *named)
            for place in places.split(":")
            if Path(place).is_dir() and place
        ),
        proxies=proxies,
        direct=tuple(filter(None, npm_config.setting("noproxy", environ, home).replace(" ", "").split(","))),
    )


def context(trust: Trust) -> ssl.SSLContext:
    """A TLS context that trusts the system's store and what is named beside it.

    Raises ``UsageProblem`` where a file that is named cannot be read, or holds no certificates.
    """
    import truststore

    made = truststore.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    loaded: set[str] = set()
    for who, file in trust.files:
        if file in loaded:  # several tools may name the same one, and it takes a tenth of a second
            continue
        loaded.add(file)
        try:
            made.load_verify_locations(cafile=file)
        except (OSError, ssl.SSLError) as error:
            raise UsageProblem(
                f"the certificate authorities that {who} names cannot be read: {error.strerror or error}",
                where=file,
                advice="name a file of certificates in PEM form, or take the name out",
            ) from None
    for folder in dict.fromkeys(folder for _, folder in trust.folders):
        made.load_verify_locations(capath=folder)
    return made


def goes_direct(url: str, direct: Iterable[str]) -> bool:
    """Whether an address is asked without npm's or pip's proxy: this machine itself, or a host, or a domain,
    that is named.
    """
    host = urlsplit(url).hostname or ""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost" or any(
            host == d.lstrip(".") or host.endswith("." + d.lstrip(".")) for d in direct
        )
