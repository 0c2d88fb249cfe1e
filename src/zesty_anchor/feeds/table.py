"""Feeds of kind ``table``: a release list as text, a line for each file, with tabs between the columns, whose
names are in the first line.
"""

from __future__ import annotations

import csv

from zesty_anchor.feeds.jsonlist import JsonFeed
from zesty_anchor.system.problem import Problem


class TableFeed(JsonFeed):
    """A table at ``url``. ``map`` finds its releases as in a list of objects, one for each line, whose keys
    are the names of the columns.
    """

    title = "upstream's table"

    def _read(self, url: str) -> list[dict[str, str]]:
        lines = self.web.text(url, who=self.who).splitlines()
        try:
            rows = list(csv.DictReader(lines, delimiter="\t", quoting=csv.QUOTE_NONE, restkey="", restval=""))
        except csv.Error as error:
            raise Problem(
                f"{self.who} does not answer with a table: {error}",
                where=url,
                advice="is the address that of a list with tabs between its columns?",
            ) from None
        return rows
