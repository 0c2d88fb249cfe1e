"""``[[checks]]``: what must be so, beside what the manifest's other tables promise."""

from typing import Annotated

import msgspec

from zesty_anchor.manifest.part import Part, ShellName

Seconds = Annotated[int, msgspec.Meta(ge=1, le=3600)]
Port = Annotated[int, msgspec.Meta(ge=1, le=65535)]
Status = Annotated[int, msgspec.Meta(ge=0, le=999)]


class Check(Part, frozen=True):
    """One of them: a command line that fresh shells ``run``, a ``file`` that is there, a ``port`` of this machine that somebody
    listens at, or a ``url`` that answers.

    What is printed, or stands in the file or the answer, is held against ``expect`` (a pattern of glob(7)) or ``match`` (a regular
    expression, found anywhere), and what is printed as an error against ``error``. ``status`` is the exit status, or that of HTTP.
    It is asked in these ``shells`` (none named: in all), or ``once`` for all of them, and may take so many ``seconds``.
    """

    name: str
    run: str | None = None
    file: str | None = None
    port: Port | None = None
    url: str | None = None
    expect: str | None = None
    match: str | None = None
    error: str | None = None
    status: Status | None = None
    shells: tuple[ShellName, ...] = ()
    once: bool = False
    seconds: Seconds = 20
