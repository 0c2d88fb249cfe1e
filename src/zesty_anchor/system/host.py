"""Which operating system and processor this is, and what it gives at login."""

from __future__ import annotations

import os
import platform
import pwd
import re
from collections.abc import Mapping
from pathlib import Path

import msgspec

_MACHINES = {"amd64": "x86_64", "arm64": "aarch64"}
_SYSTEMS = {"Linux": "linux", "Darwin": "macos"}


class Host(msgspec.Struct, frozen=True):
    """The machine: ``system`` is linux or macos, ``machine`` x86_64 or aarch64, ``title`` for a person.

    ``families`` are the distribution and those that it descends from, the nearest first, ``version`` is that
    of the distribution (os-release(5): ID, ID_LIKE, VERSION_ID).
    """

    system: str
    machine: str
    title: str
    families: tuple[str, ...] = ()
    version: str = ""

    @property
    def platform(self) -> str:
        """The word that feeds and recipes use, for instance ``linux-x86_64``."""
        return f"{self.system}-{self.machine}"


_BUNDLES = ("/etc/ssl/certs/ca-certificates.crt", "/etc/pki/tls/certs/ca-bundle.crt", "/etc/ssl/cert.pem")
"""Where Debian, Fedora and macOS have the authorities of the system."""


def host() -> Host:
    """This machine."""
    name = os.uname()
    machine = name.machine.lower()
    system = _SYSTEMS.get(name.sysname, name.sysname.lower())
    try:
        release = platform.freedesktop_os_release()
    except OSError:
        release = {}
    return Host(
        system,
        _MACHINES.get(machine, machine),
        release.get("PRETTY_NAME") or f"{name.sysname} {name.release}",
        tuple(f"{release.get('ID', '')} {release.get('ID_LIKE', '')}".split()),
        release.get("VERSION_ID", ""),
    )


def in_container(environ: Mapping[str, str]) -> bool:
    """Whether this is a container, as those that make one say: systemd's container interface (``container``
    in the environment, /run/systemd/container), and the marks of the two usual engines.
    """
    marks = ("/run/systemd/container", "/.dockerenv", "/run/.containerenv")
    return bool(environ.get("container")) or any(map(os.path.exists, marks))


def libc_version() -> str:
    """The version of the GNU C library that this runs on; empty where it is another one (confstr(3))."""
    try:
        return (os.confstr("CS_GNU_LIBC_VERSION") or "").partition(" ")[2]
    except (OSError, ValueError):
        return ""


def authorities(environ: Mapping[str, str]) -> str:
    """The file of the certificate authorities that programs are to trust here; empty where there is none."""
    import ssl

    own = (environ.get(name, "") for name in ("SSL_CERT_FILE", "REQUESTS_CA_BUNDLE", "CURL_CA_BUNDLE"))
    named = (*own, ssl.get_default_verify_paths().cafile or "", *_BUNDLES)
    return next((file for file in named if file and os.access(file, os.R_OK)), "")


def system_authorities() -> str:
    """The file of this system's certificate authorities, whatever an environment names; empty where there is
    none.
    """
    import ssl

    named = (*_BUNDLES, ssl.get_default_verify_paths().openssl_cafile)
    return next((file for file in named if file and os.access(file, os.R_OK)), "")


_OWN_AUTHORITIES = (
    "/usr/local/share/ca-certificates",  # update-ca-certificates(8)
    "/etc/pki/ca-trust/source/anchors",  # update-ca-trust(8)
    "/etc/ca-certificates/trust-source/anchors",  # the same on Arch
    "/etc/pki/trust/anchors",  # the same on SUSE
)
"""Where an administrator puts further certificate authorities."""


def own_authorities() -> list[str]:
    """The files of certificate authorities that somebody added to this system's own."""
    return [
        os.path.join(root, name)
        for folder in _OWN_AUTHORITIES
        for root, _, names in os.walk(folder)
        for name in sorted(names)
        if name.endswith((".crt", ".pem", ".cer"))
    ]


def user_name() -> str:
    """The name of the user that this process runs as."""
    try:
        return pwd.getpwuid(os.geteuid()).pw_name
    except KeyError:
        return str(os.geteuid())


def login_shell() -> str:
    """The path of the user's login shell, from the password database (passwd(5)); empty where it has none."""
    try:
        return pwd.getpwuid(os.geteuid()).pw_shell
    except KeyError:
        return ""


def login_path(superuser: bool | None = None) -> str:
    """The PATH that the system gives at login: /etc/environment (pam_env(8)), else ENV_PATH or ENV_SUPATH of
    login.defs(5), else the entries of /etc/paths (path_helper(8)), else what the C library names as its
    default.
    """
    root = os.geteuid() == 0 if superuser is None else superuser
    for file, pattern in (
        ("/etc/environment", r"^\s*(?:export\s+)?PATH=(.*)$"),
        (
            "/etc/login.defs",
            r"^\s*ENV_SUPATH\s+(?:PATH=)?(\S+)" if root else r"^\s*ENV_PATH\s+(?:PATH=)?(\S+)",
        ),
    ):
        try:
            found = re.search(pattern, Path(file).read_text("utf-8", "replace"), re.MULTILINE)
        except OSError:
            continue
        value = found[1].strip().strip("\"'") if found else ""
        if value:
            return value
    return ":".join(listed_paths(Path("/etc"))) or os.confstr("CS_PATH") or os.defpath


def listed_paths(etc: Path) -> list[str]:
    """The entries of ``paths`` and of each file in ``paths.d``, one a line, in that order, each once
    (path_helper(8), of macOS).
    """
    found: dict[str, None] = {}
    try:
        files = [etc / "paths", *sorted((etc / "paths.d").iterdir())] if (etc / "paths").is_file() else []
    except OSError:
        files = [etc / "paths"]
    for file in files:
        try:
            lines = file.read_text("utf-8", "surrogateescape").splitlines()
        except OSError:
            continue
        found.update((line.strip(), None) for line in lines if line.strip().startswith("/"))
    return list(found)


def answering(command: str, path: str) -> list[str]:
    """The files that answer to a command, in the order of a PATH; what is reached by two names of a folder,
    once.
    """
    found: dict[str, str] = {}
    for folder in path.split(":"):
        file = os.path.join(folder, command)
        if folder and os.access(file, os.X_OK) and os.path.isfile(file):
            found.setdefault(os.path.join(os.path.realpath(folder), command), file)
    return list(found.values())


def program_path(environ: Mapping[str, str]) -> str:
    """The PATH on which this program finds what it starts itself: what the system gives at login, then what
    ``environ`` has beside it; never what is relative, nor what is on the shelf, where a version may bring any
    name.
    """
    data = environ.get("XDG_DATA_HOME", "")
    own = f"{data if data.startswith('/') else environ.get('HOME', '') + '/.local/share'}/zesty-anchor"
    listed = f"{login_path()}:{environ.get('PATH', '')}".split(":")
    kept = dict.fromkeys(e for e in listed if e.startswith("/") and e != own and not e.startswith(f"{own}/"))
    return ":".join(kept) or os.defpath


def env_program() -> str:
    """Where env(1) is: a shell's variables are printed by the system's program, whatever is first on PATH
    there.
    """
    return next(iter(answering("env", f"/usr/bin:/bin:{login_path()}")), "env")


def absolute(path: str) -> str:
    """A PATH without its empty and relative entries."""
    return ":".join(entry for entry in path.split(":") if entry.startswith("/"))


def find_program(name: str, environ: Mapping[str, str]) -> str | None:
    """Where a program is that this one starts (``program_path``); None where there is none."""
    return next(iter(answering(name, program_path(environ))), None)


def calling_shell(environ: Mapping[str, str]) -> str:
    """The name of the shell that this process was started from: the parent's (proc(5)), else SHELL's."""
    try:
        name = Path(f"/proc/{os.getppid()}/comm").read_text("utf-8").strip()
    except OSError:
        name = ""
    return name.lstrip("-") or Path(environ.get("SHELL", "")).name


def plain_environment(environ: Mapping[str, str], home: Path, bins: tuple[Path, ...] = ()) -> dict[str, str]:
    """A small environment for a program that works in the person's home: the system's PATH, and how it
    reaches the web.

    Of ``environ`` only proxies and certificates are taken. ``bins`` stand first on PATH.
    """
    kept = {
        k: v for k, v in environ.items() if k.lower().endswith("_proxy") or "CA_BUNDLE" in k or "CERT" in k
    }
    path = ":".join([*map(str, bins), login_path(superuser=False)])
    return {**kept, "PATH": path, "HOME": str(home), "LANG": "C.UTF-8", "TERM": "dumb"}
