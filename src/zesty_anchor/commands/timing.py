"""``zesty-anchor timing``."""

from __future__ import annotations

import os
from pathlib import Path

import click

from zesty_anchor.commands import WithExamples
from zesty_anchor.commands.options import Setting, with_setting
from zesty_anchor.manifest.shell_names import SHELL_CLASSES
from zesty_anchor.operations.timing import folder_for_charts, timing
from zesty_anchor.show import timing as shown


@click.command(cls=WithExamples)
@click.option(
    "--shell",
    "shells",
    multiple=True,
    type=click.Choice(SHELL_CLASSES.names()),
    help="Shell to measure (default: login shell).",
)
@click.option(
    "--seconds",
    type=click.FloatRange(1, 600),
    default=30,
    show_default=True,
    help="How long to measure each shell at most.",
)
@click.option("--since", is_flag=True, help="Compare with the last measurement.")
@click.option(
    "--chart",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Also draw a chart to FILE (.png or .svg).",
)
@with_setting(verbose="Show each file and line that takes time, as a tree.")
def command(
    setting: Setting, shells: tuple[str, ...], seconds: float, since: bool, chart: Path | None
) -> None:
    """Show how long your shell takes to start, and which lines slow it down.

    Measures startup with everything, without zesty-anchor, and without your files, interleaved and in a copy
    of the home, until the median is known to 5 % or the time is over. Then ranks the slowest lines.
    """
    if chart is not None:
        from zesty_anchor.show.charts import check_chart, check_matplotlib, timing_chart

        check_chart(chart)
    with setting.either() as (workstation, _):
        if chart is not None:
            # What matplotlib keeps for itself would else stay in the home, or in /tmp.
            os.environ["MPLCONFIGDIR"] = str(folder_for_charts(workstation))
            check_matplotlib()
        found = timing(workstation, shells, seconds)
        told = workstation.locations.shown
    if setting.as_json:
        setting.print_json(found)
    else:
        shown.timing(setting.out, found, told, whole=setting.verbose, since=since)
    if chart is not None:
        timing_chart(chart, found.shells, told)
        setting.err.write(f"drawn: {chart}")
