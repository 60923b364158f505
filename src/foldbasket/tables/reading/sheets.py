"""Reads workbooks: XLSX and ODS (and the older XLS and XLSB), one sheet or a range of it, as calamine hands the cells over.

The used block is found, title lines above the header are passed over, and merged cells hold their value on every line
they cover. An archive is measured before it is unpacked: cells that are claimed but not there would take all memory.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from foldbasket.errors import ReadError
from foldbasket.tables.cells import records
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import AS_FOUND, READERS, Batch, Reader, Reading, gathered
from foldbasket.tables.reading.sniffing import field_names, header_line
from foldbasket.tables.table import Table

MOST_UNPACKED = 6 << 30
MOST_CELLS = 60_000_000
"""Cells of the rectangle that a sheet spans; more would not fit in memory."""
ROWS = 20_000
_CELL = re.compile(rb'<(?:\w+:)?c\b[^>]*?\br\s*=\s*["\']([A-Z]{1,3})([0-9]{1,7})["\']')
_ODS_CELLS = re.compile(rb"<table:(?:covered-)?table-cell\b[^>]*>|<table:table-row\b[^>]*>")
_REPEATED = re.compile(rb'number-(?:columns|rows)-repeated="(\d+)"')
_RANGE = re.compile(r"\$?([A-Za-z]{1,3})\$?(\d{1,7}):\$?([A-Za-z]{1,3})\$?(\d{1,7})")
_ERRORS = frozenset(("#N/A", "#REF!", "#VALUE!", "#DIV/0!", "#NAME?", "#NULL!", "#NUM!"))


def read_sheet(path: Path, name: str, reading: Reading = AS_FOUND, progress: Progress | None = None) -> Table:
    """The table on a sheet of a workbook. Raises ReadError when it is broken, too large, or the sheet is not there."""
    progress = progress or Progress()
    progress.step(f"Opening {path.name}", 0.0)
    workbook = _workbook(path)
    sheets = workbook.sheet_names
    wanted = reading.sheet if reading.sheet is not None else _first_filled(workbook)
    if wanted not in sheets:
        listed = ", ".join(f"“{sheet}”" for sheet in sheets)
        raise ReadError(f"there is no sheet “{wanted}”.", where=path.name, todo=f"Its sheets are: {listed}.")
    sheet = _called(path, lambda: workbook.get_sheet_by_name(wanted))
    rows = _called(path, lambda: sheet.to_python(skip_empty_area=False))
    _fill_merged(rows, sheet)
    rows = _within(rows, reading.cells, path)
    block, above = _used(rows)
    if not block:
        raise ReadError(f"the sheet “{wanted}” holds no cells there.", where=path.name, todo="Choose another sheet.")
    if reading.header == 0:
        at, names = -1, field_names([""] * len(block[0]))
    else:
        at = header_line(block[:200]) if reading.header is None else reading.header - 1 - above
        if not 0 <= at < len(block):
            raise ReadError(f"there is no line {reading.header} to name the fields.", where=path.name)
        names = field_names(["" if _blank(cell) else _heading(cell) for cell in block[at]])
    notes = []
    if len(sheets) > 1 and reading.sheet is None:
        notes.append(f"Sheet “{wanted}” of {len(sheets)} was read.")

    def batches() -> Iterator[Batch]:
        for start in range(at + 1, len(block), ROWS):
            part = [row for row in block[start : start + ROWS] if not all(map(_blank, row))]
            known = [[None if _blank(cell) else cell for cell in row] for row in part]
            yield Batch(records(known, names), start / len(block))

    return gathered(
        name, str(path), batches(), progress, types=reading.types, notes=notes, titles=max(0, at), loose=True
    )


def sheets_of(path: Path) -> list[str]:
    """The names of a workbook's sheets."""
    names: list[str] = _workbook(path).sheet_names
    return names


def _workbook(path: Path) -> Any:
    import python_calamine

    if path.suffix.lower() in (".xlsx", ".xlsm", ".ods"):
        _measure(path)
    return _called(path, lambda: python_calamine.CalamineWorkbook.from_path(str(path)))


def _called(path: Path, read: Any) -> Any:
    try:
        return read()
    except Exception as error:  # its errors are of many kinds of its own
        if isinstance(error, FileNotFoundError | PermissionError):
            raise
        raise ReadError(
            f"this is not a workbook that can be read ({str(error).splitlines()[0] if str(error) else error!r}).",
            where=path.name,
            todo="Open it in a spreadsheet program and save it again.",
        ) from None


def _measure(path: Path) -> None:
    """Refuses an archive that would unpack beyond reason, and sheets that span more cells than memory holds."""
    try:
        with zipfile.ZipFile(path) as archive:
            entries = archive.infolist()
            if sum(entry.file_size for entry in entries) > MOST_UNPACKED:
                raise ReadError("it would unpack to more than 6 GB.", where=path.name, todo="Do not trust this file.")
            for entry in entries:
                if re.fullmatch(r"xl/worksheets/[^/]+\.xml", entry.filename):
                    _measure_sheet(archive, entry, path)
                elif entry.filename == "content.xml":
                    _measure_ods(archive, entry, path)
    except (zipfile.BadZipFile, EOFError, NotImplementedError, zipfile.zlib.error) as error:  # type: ignore[attr-defined]
        raise ReadError(
            f"this is not a workbook that can be read ({error}).",
            where=path.name,
            todo="Open it in a spreadsheet program and save it again.",
        ) from None


def _stretches(archive: zipfile.ZipFile, entry: zipfile.ZipInfo) -> Iterator[bytes]:
    """The entry's bytes in stretches that end after a tag."""
    rest = b""
    with archive.open(entry) as packed:
        while block := packed.read(4 << 20):
            block = rest + block
            end = block.rfind(b">") + 1
            rest = block[end:][-65_536:]
            yield block[:end]


def _measure_sheet(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, path: Path) -> None:
    left, right, top, bottom = 1 << 20, 0, 1 << 30, 0
    for block in _stretches(archive, entry):
        for letters, row in _CELL.findall(block):
            column, line = column_number(letters.decode()), int(row)
            left, right = min(left, column), max(right, column)
            top, bottom = min(top, line), max(bottom, line)
        if right >= left and (right - left + 1) * (bottom - top + 1) > MOST_CELLS:
            raise _too_many(path, (right - left + 1) * (bottom - top + 1))


def _measure_ods(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, path: Path) -> None:
    cells = rows = 0
    for block in _stretches(archive, entry):
        for tag in _ODS_CELLS.findall(block):
            found = _REPEATED.search(tag)
            times = int(found[1]) if found else 1
            if tag.startswith(b"<table:table-row"):
                rows = times
            elif b"office:value" in tag or b"string-value" in tag:
                cells += times * max(1, rows)
                if cells > MOST_CELLS:
                    raise _too_many(path, cells)


def _too_many(path: Path, cells: int) -> ReadError:
    return ReadError(
        f"a sheet spans {cells:,} cells, more than the {MOST_CELLS:,} that can be read.",
        where=path.name,
        todo="Delete stray cells far from the data, or save the data as CSV or Parquet.",
    )


def column_number(letters: str) -> int:
    """A column by its letters, counted from 1: A is 1, AA is 27."""
    number = 0
    for letter in letters.upper():
        number = number * 26 + ord(letter) - 64
    return number


def _first_filled(workbook: Any) -> str:
    """The first sheet that has cells and is shown."""
    from python_calamine import SheetTypeEnum, SheetVisibleEnum

    for entry in workbook.sheets_metadata:
        if entry.typ == SheetTypeEnum.WorkSheet and entry.visible == SheetVisibleEnum.Visible:
            sheet = workbook.get_sheet_by_name(entry.name)
            if sheet.height:
                return str(entry.name)
    return str(workbook.sheet_names[0]) if workbook.sheet_names else ""


def _fill_merged(rows: list[list[Any]], sheet: Any) -> None:
    """Merged cells that run down show their value on every line they cover."""
    for (top, left), (bottom, right) in sheet.merged_cell_ranges or ():
        if bottom == top or top >= len(rows) or left >= len(rows[top]):
            continue
        for line in range(top, min(bottom + 1, len(rows))):
            for column in range(left, min(right + 1, len(rows[line]))):
                rows[line][column] = rows[top][left] if column == left else rows[line][column]


def _within(rows: list[list[Any]], cells: str | None, path: Path) -> list[list[Any]]:
    if cells is None:
        return rows
    found = _RANGE.fullmatch(cells.strip())
    if found is None:
        raise ReadError(f"“{cells}” is not a range of cells.", where=path.name, todo="Write it like B3:F200.")
    left, right = sorted((column_number(found[1]), column_number(found[3])))
    top, bottom = sorted((int(found[2]), int(found[4])))
    return [
        [*row[left - 1 : right], *[""] * (right - left + 1 - len(row[left - 1 : right]))]
        for row in rows[top - 1 : bottom]
    ]


def _used(rows: list[list[Any]]) -> tuple[list[list[Any]], int]:
    """The rectangle that holds cells, and how many lines stand above it."""
    filled = [at for at, row in enumerate(rows) if not all(map(_blank, row))]
    if not filled:
        return [], 0
    block = rows[filled[0] : filled[-1] + 1]
    width = max(map(len, block))
    used = [any(column < len(row) and not _blank(row[column]) for row in block) for column in range(width)]
    left, right = used.index(True), width - used[::-1].index(True)
    return [[*row[left:right], *[""] * (right - max(left, len(row)))] for row in block], filled[0]


def _blank(cell: Any) -> bool:
    return cell is None or (isinstance(cell, str) and (not cell.strip() or cell in _ERRORS))


def _heading(cell: Any) -> str:
    return f"{cell:.0f}" if isinstance(cell, float) and cell.is_integer() else str(cell)


READER = READERS.enter(
    "Workbook",
    Reader(
        "Workbook",
        (".xlsx", ".ods", ".xlsm", ".xls", ".xlsb"),
        read_sheet,
        ("sheet", "cells", "header", "types"),
        apart=True,
        standing=40,
    ),
)
