"""Records behind a cell as a file of delimited text, and as lines for the clipboard."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.folding.listed import PIECE, Listed, Records
from foldbasket.outputs.delimited import TableWriter
from foldbasket.outputs.formats import appearing_whole
from foldbasket.outputs.harmless import harmless
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType


def save_records(records: Records, path: Path, progress: Progress, guard: OutputGuard) -> int:
    """Writes records to a file in UTF-8, headings first, which appears whole or not at all; how many there are. Raises OutputError, Cancelled."""
    count = len(records.fields[0].at) if records.fields else 0
    with appearing_whole(path, guard) as aside, aside.open("w", encoding="utf-8", newline="") as file:
        writer = TableWriter(file)
        writer.row([each.ref.field for each in records.fields])
        for start in range(0, count, PIECE):
            progress.step("Writing records", start / count)
            for place in range(start, min(count, start + PIECE)):
                texts, is_text = zip(*_cells(records.fields, place), strict=True)
                writer.row(texts, is_text)
    return count


def lines_of(records: Records, places: Sequence[int]) -> str:
    """Some of the records as text with tabs, headings first."""
    lines = ["\t".join(harmless(each.ref.field) for each in records.fields)]
    for place in places:
        texts = [harmless(text) if is_text else text for text, is_text in _cells(records.fields, place)]
        lines.append("\t".join(" ".join(text.split()) for text in texts))
    return "\n".join(lines) + "\n"


def _cells(fields: Sequence[Listed], place: int) -> Iterator[tuple[str, bool]]:
    return ((each.text(place), each.column.type is FieldType.TEXT) for each in fields)
