"""The rows of the table, in their order."""

from __future__ import annotations

from archive_rows import kept_for_good, large_archive, many_files, node_tarball
from program_rows import (
    crowded_survey,
    debian_archive,
    growth,
    long_list,
    long_startup_file,
    looks,
    nothing_to_do,
    overlap,
    prune_of_100_versions,
    status_in_a_moment,
    upgrade_plans,
    verification,
    version,
)
from scale_rows import (
    huge_startup_file,
    large_home,
    long_history,
    long_manifest,
    many_versions,
    pinned_folders,
)
from seen_rows import lines_found, report_of_demo
from shell_rows import launcher, many_variables, shell_folders, shell_start, tab

ROWS = (
    version,
    nothing_to_do,
    status_in_a_moment,
    upgrade_plans,
    prune_of_100_versions,
    node_tarball,
    many_files,
    kept_for_good,
    large_archive,
    overlap,
    long_list,
    debian_archive,
    crowded_survey,
    looks,
    long_startup_file,
    growth,
    verification,
    report_of_demo,
    lines_found,
    many_variables,
    shell_start,
    shell_folders,
    tab,
    launcher,
    pinned_folders,
    large_home,
    many_versions,
    huge_startup_file,
    long_manifest,
    long_history,
)
