"""Records behind a cell as a file of delimited text, and as lines for the clipboard."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from pathlib import Path

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.folding.listed import PIECE, Listed, Records
from foldbasket.outputs.formats import appearing_whole
from foldbasket.outputs.harmless import harmless
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType


def save_records(records: Records, path: Path, progress: Progress, guard: OutputGuard) -> int:
    """Writes records to a file in UTF-8, headings first, which appears whole or not at all; how many there are. Raises OutputError, Cancelled."""
    count = len(records.fields[0].at) if records.fields else 0
    with appearing_whole(path, guard) as aside, aside.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow([each.ref.field for each in records.fields])
        for start in range(0, count, PIECE):
            progress.step("Writing records", start / count)
            writer.writerows(_lines(records.fields, range(start, min(count, start + PIECE))))
    return count


def lines_of(records: Records, places: Sequence[int]) -> str:
    """Some of the records as text with tabs, headings first."""
    lines = ["\t".join(each.ref.field for each in records.fields)]
    lines += ["\t".join(" ".join(text.split()) for text in line) for line in _lines(records.fields, places)]
    return "\n".join(lines) + "\n"


def _lines(fields: Sequence[Listed], places: Sequence[int]) -> Iterator[list[str]]:
    for place in places:
        yield [
            each.text(place) if each.column.type is not FieldType.TEXT else harmless(each.text(place))
            for each in fields
        ]
