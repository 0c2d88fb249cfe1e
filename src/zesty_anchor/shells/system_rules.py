"""Where operating systems differ in what they do when a shell starts."""

from __future__ import annotations

import msgspec


class SystemRules(msgspec.Struct, frozen=True):
    """``bash_login`` is the file that bash gets for logins where it has none of its three. ``reorders`` tells
    that the system's own zprofile puts PATH in order anew, after .zshenv was read. ``source`` says where that
    stands.
    """

    bash_login: str
    reorders: bool
    source: str


RULES = {
    "linux": SystemRules(".profile", False, 'bash(1), "INVOCATION"; display managers read .profile too'),
    # Each new window of Terminal is a login shell, so .profile, which other systems share with the display
    # manager, has no other reader; /etc/zprofile there runs path_helper(8), which puts the entries of
    # /etc/paths first.
    "macos": SystemRules(
        ".bash_profile", True, "path_helper(8); Terminal's settings, Shells open with: default login shell"
    ),
}


def rules(system: str) -> SystemRules:
    """Those of a system; of one that is not known, those of Linux."""
    return RULES.get(system, RULES["linux"])
