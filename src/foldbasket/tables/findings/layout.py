"""How the data lies on the page: title lines above the header, and fields side by side that should be records."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from foldbasket.tables.findings.finding import Finding, Offer, finder, none_of_them
from foldbasket.tables.mending.fields import GatherFields
from foldbasket.tables.table import Table
from foldbasket.tables.written import MONTHS

_PERIODS = {
    "Month": re.compile(
        rf"(?:{'|'.join(MONTHS)})[a-z]*\.?[ \-/]?(?:\d{{2}}|\d{{4}})?|(?:19|20)\d\d[-/.](?:0?[1-9]|1[0-2])|(?:0?[1-9]|1[0-2])[-/.](?:19|20)\d\d", re.IGNORECASE
    ),
    "Quarter": re.compile(r"q[1-4](?:[ \-/]?(?:\d{2}|\d{4}))?|(?:19|20)\d\d[ \-/]?q[1-4]", re.IGNORECASE),
    "Year": re.compile(r"(?:19|20)\d\d"),
    "Week": re.compile(r"(?:w|wk|week)[ \-]?\d{1,2}|(?:19|20)\d\d-?w\d{1,2}", re.IGNORECASE),
}  # fmt: skip


@finder("layout", 10)
def find(table: Table) -> Iterator[Finding]:
    """All of this file's findings in a table."""
    if table.titles:
        one = table.titles == 1
        yield Finding(
            "title lines", "", str(table.titles), f"{table.titles} title line{'' if one else 's'} above the header {'was' if one else 'were'} passed over",
            "", 0, (), none_of_them, "Choose another header line if that was wrong.",
        )  # fmt: skip
    for period, pattern in _PERIODS.items():
        fields = tuple(
            name for name, column in table.columns.items() if pattern.fullmatch(name.strip()) and column.type.is_number
        )
        if len(fields) >= 3:
            values = "Amount" if "Amount" not in table.columns else "Amounts"
            name = period if period not in table.columns else f"{period} gathered"
            yield Finding(
                "side by side", fields[0], "|".join(fields), f"{len(fields)} {period.lower()}s stand side by side",
                f"{len(fields)} side by side", table.count, (Offer("Gather them into records", (GatherFields(fields, name, values),)),),
                lambda _: np.arange(table.count), "As records they can be filtered, grouped and compared.",
            )  # fmt: skip
            return
