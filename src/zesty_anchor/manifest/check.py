"""``[[checks]]``: what must be so, beside what the manifest's other tables promise."""

from typing import Annotated

import msgspec

from zesty_anchor.manifest.part import Part, ShellName

Seconds = Annotated[int, msgspec.Meta(ge=1, le=3600)]
Port = Annotated[int, msgspec.Meta(ge=1, le=65535)]
Status = Annotated[int, msgspec.Meta(ge=0, le=999)]


class Check(Part, frozen=True):
    """One of them: a command line that new shells ``run``, a ``file`` that is there, a ``port`` of this
    machine that somebody listens at, or a ``url`` that answers.

    What is printed, or stands in the file or the answer, is held against ``expect`` (a pattern of glob(7)) or
    ``match`` (a regular expression, found anywhere), and what is printed as an error against ``error``.
    ``status`` is the exit status, or that of HTTP. It is asked in these ``shells`` (none named: in all), or
    ``once`` for all of them, and may take so many ``seconds``. A command line with a ``folder`` is run by new
    shells that begin in it.
    """

    name: str
    """What the check is called in reports. Example: ``"the bulletin renders"``."""
    run: str | None = None
    """A command line of sh, run in new shells in the manifest's folder. Example: ``"kelp bulletin.kelp"``."""
    folder: str | None = None
    """The folder in which ``run`` is run, with the versions that are pinned there: a project's own check.
    Relative to the manifest. Example: ``"~/soundings"``.
    """
    file: str | None = None
    """A file that must exist, relative to the manifest. Example: ``"bulletin.kelp"``."""
    port: Port | None = None
    """A port of this machine on which a program must listen. Example: ``8931``."""
    url: str | None = None
    """An address that must answer: of this machine, or of a host that a feed or ``[identity]`` names.
    Example: ``"http://127.0.0.1:8931/"``.
    """
    expect: str | None = None
    """A glob that the whole output, file or response must match. Example: ``"high water *"``."""
    match: str | None = None
    """A regular expression that must be found in the output, file or response. Example: ``"high +water"``."""
    error: str | None = None
    """A glob that the whole error output of ``run`` must match. Example: ``"*no tide*"``."""
    status: Status | None = None
    """The exit status that ``run`` must have (0), or the HTTP status of ``url`` (200). Example: ``3``."""
    shells: tuple[ShellName, ...] = ()
    """Run it only in these shells. Example: ``["bash", "zsh"]``."""
    once: bool = False
    """Run it in one shell only, for what takes long. Example: ``true``."""
    seconds: Seconds = 20
    """How many seconds it may take before it is stopped. Example: ``60``."""
