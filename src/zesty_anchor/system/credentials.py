"""Names and passwords in addresses (RFC 3986, section 3.2.1): used, and never shown or written down."""

from __future__ import annotations

import re

_USER = r'(?i)\b(https?://)[^/@\s?#"]*@|(://[^/:@\s?#"]*):[^/@\s?#"]*@'
_SECRET = r"(?i)([?&](?:token|access_token|auth|api_key|password|secret)=)[^&#\s\"]+"


def without_credentials(text: str) -> str:
    """A text whose addresses bear no names, passwords or tokens. Pure."""
    if "://" not in text:
        return text
    return re.sub(_SECRET, r"\1…", re.sub(_USER, lambda found: found[1] or f"{found[2]}@", text))


def bears_credentials(address: str) -> bool:
    """Whether an address bears a name, a password or a token. Pure."""
    return without_credentials(address) != address
