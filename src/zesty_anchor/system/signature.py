"""Checking OpenPGP signatures (RFC 9580) with the keys that the manifest names, or that the system trusts."""

from __future__ import annotations

import datetime
import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from zesty_anchor.system.problem import Problem


class SignatureRefused(Problem):
    """A signature that does not hold, or a key that may not be used."""


def check(
    signature: bytes, key_file: Path, subject: str, *, file: Path | None = None, content: bytes = b""
) -> None:
    """Check that ``file``, or ``content``, was signed with a key in ``key_file``. ``subject`` names it in
    errors.

    Raises ``SignatureRefused``, each reason with its own message.
    """
    import pysequoia

    sig = _signature(signature, subject)
    by = issuer_of(sig)
    keys = _keys(key_file)
    key = next((each for each in keys if by.lower() in _fingerprints(each)), keys[0])
    fingerprint = str(key.fingerprint).upper()
    if key.is_revoked:
        raise SignatureRefused(
            f"the key {fingerprint} is revoked: its owner says not to trust it",
            where=str(key_file),
            advice="get the key that the publisher signs with now, from a place that you trust",
        )
    if key.expiration is not None and key.expiration < datetime.datetime.now(datetime.UTC):
        raise SignatureRefused(
            f"the key {fingerprint} expired on {key.expiration:%Y-%m-%d}",
            where=str(key_file),
            advice="get its renewed form, from a place that you trust",
        )
    if by and by.lower() not in _fingerprints(key):
        raise SignatureRefused(
            f"{subject} is signed with another key: {by}",
            where=f"the manifest names {fingerprint}, {key_file}",
            advice=(
                "if the publisher has a new key, get it from a place that you trust, and name its file"
                " instead"
            ),
        )
    try:
        data = {"file": str(file)} if file is not None else {"bytes": content}
        pysequoia.verify(store=lambda ids: [key], signature=sig, **data)
    except RuntimeError:
        raise SignatureRefused(
            f"the signature of {subject} does not hold: it was changed after it was signed",
            where=f"key {fingerprint}",
            advice="nothing of it was kept; tell whoever publishes it, do not go around it",
        ) from None


def issuer(signature: bytes, subject: str) -> str:
    """The fingerprint of the key that made a signature, in capitals; empty where it does not tell."""
    return issuer_of(_signature(signature, subject))


def issuer_of(sig: Any) -> str:
    """The same of a parsed signature."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)
        found = getattr(sig, "issuer_fpr", None) or getattr(sig, "issuer_key_id", None)
    return str(found or "").upper()


def _keys(file: Path) -> list[Any]:
    """The keys in a file, one at least."""
    import pysequoia

    try:
        content = file.read_bytes()
    except OSError as error:
        raise SignatureRefused(
            f"the key cannot be read: {error.strerror}",
            where=str(file),
            advice="save the publisher's public key there, from a place that you trust",
        ) from None
    try:
        return list(pysequoia.Cert.split_bytes(content)) or [pysequoia.Cert.from_bytes(content)]
    except Exception:
        raise SignatureRefused(
            "this file holds no OpenPGP key", where=str(file), advice="save the publisher's public key there"
        ) from None


class PublicKey(msgspec.Struct, frozen=True):
    """One OpenPGP key: its fingerprint in capitals, whose it says that it is, and itself in ASCII armour (RFC
    9580, 6.2).
    """

    fingerprint: str
    owner: str
    armoured: str


def public_key(file: Path) -> PublicKey:
    """The one key that a file holds. Raises ``SignatureRefused`` where it holds none, or several, or one that
    is no good any more.
    """
    keys = _keys(file)
    if len(keys) != 1:
        raise SignatureRefused(
            f"this file holds {len(keys)} keys: all of them would be trusted",
            where=str(file),
            advice="save the one key that is meant in a file of its own",
        )
    (key,) = keys
    fingerprint = str(key.fingerprint).upper()
    now = datetime.datetime.now(datetime.UTC)
    if key.is_revoked or (key.expiration is not None and key.expiration < now):
        raise SignatureRefused(
            f"the key {fingerprint} "
            + ("is revoked" if key.is_revoked else f"expired on {key.expiration:%Y-%m-%d}"),
            where=str(file),
            advice="get the one that is used now, from a place that you trust",
        )
    owners = [str(each) for each in key.user_ids]
    return PublicKey(fingerprint, owners[0] if owners else "", str(key))


def _signature(content: bytes, subject: str) -> Any:
    import pysequoia

    try:
        return pysequoia.Sig.from_bytes(content)
    except Exception:
        raise SignatureRefused(
            f"what is beside {subject} is no OpenPGP signature",
            where=content[:60].decode("utf-8", "replace").strip(),
            advice="nothing was kept; tell whoever publishes it",
        ) from None


def _fingerprints(key: Any) -> set[str]:
    """The fingerprints and key IDs of a key and its subkeys."""
    from pysequoia import packet

    found: set[str] = set()
    for each in packet.PacketPile.from_bytes(bytes(key)):
        if each.tag in (packet.Tag.PublicKey, packet.Tag.PublicSubkey):
            found |= {str(each.fingerprint).lower(), str(each.key_id).lower()}
    return found


def signed_text(signed: bytes, keyrings: Sequence[Path], who: str) -> bytes:
    """The text of a message that is signed inline (RFC 9580, section 7: Cleartext Signature Framework) with
    one of the keys in the keyrings. One good signature is enough, as apt-secure(8) has it.

    Raises ``SignatureRefused`` where none of the signatures holds, or no keyring can be read.
    """
    import pysequoia

    keys: list[Any] = []
    for file in keyrings:
        try:
            keys += pysequoia.Cert.split_bytes(file.read_bytes())
        except Exception:
            continue
    if not keys:
        raise SignatureRefused(
            f"there is no key to check {who} with",
            where=", ".join(map(str, keyrings)) or "no keyring",
            advice=(
                "install the archive's keyring (Debian: the package debian-archive-keyring), or name its file"
                " as the feed's key"
            ),
        )
    now = datetime.datetime.now(datetime.UTC)
    usable = [
        key
        for key in keys
        if not key.is_revoked and not (key.expiration is not None and key.expiration < now)
    ]
    try:
        found = pysequoia.verify(bytes=signed, store=lambda ids: usable)
    except RuntimeError as error:
        raise SignatureRefused(
            f"{who} is not signed with a key that this machine trusts for it",
            where=f"{str(error).splitlines()[0]}; asked: {', '.join(map(str, keyrings))}",
            advice=(
                "nothing of it was used. If the archive has a new key, get its keyring from a place that you"
                " trust"
            ),
        ) from None
    return bytes(found.bytes or b"")
