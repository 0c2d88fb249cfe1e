"""Signing with an OpenPGP key (RFC 9580)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zesty_anchor.system.problem import UsageProblem


def signer_of(key: Path) -> Signer:
    """What signs with the secret key in a file. Raises ``UsageProblem`` where it cannot."""
    import pysequoia

    try:
        secret = pysequoia.Tsk.from_file(str(key))
        return Signer(secret.signer(), str(secret.extract_certificate()))
    except Exception as error:
        raise UsageProblem(
            f"the key cannot sign: {error}",
            where=str(key),
            advice="name a file with a secret OpenPGP key that no passphrase protects",
        ) from None


class Signer:
    """A key that signs; ``public`` is its public half in ASCII armour."""

    def __init__(self, signer: Any, public: str) -> None:
        self._signer = signer
        self.public = public

    def detached(self, content: bytes) -> bytes:
        """A signature, to stand in a file of its own."""
        import pysequoia

        return bytes(pysequoia.sign(self._signer, content, mode=pysequoia.SignatureMode.DETACHED))

    def clear(self, content: bytes) -> bytes:
        """A text with its signature below it (RFC 9580, 7)."""
        import pysequoia

        return bytes(pysequoia.sign(self._signer, content, mode=pysequoia.SignatureMode.CLEAR))
