"""The report: header trees, cells and kinds of line. The only thing that grid, charts, pages and exporters read.

`rows` and `columns` are the axes, whose lines name the members of their first `level` fields; `left` and `top` are the
margins, which say what each row and column shown stands for once the measures are laid along one of the axes.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable
from decimal import Decimal
from functools import cached_property

import msgspec
from msgspec.structs import replace

from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.report.margins import Margin
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.folding.unfinished import Incomplete, Unfinished
from foldbasket.spec.fold import Fold
from foldbasket.spec.look import ReportLook
from foldbasket.styling.dates import EPOCH, day_text, moment_text
from foldbasket.styling.numbers import NumberStyle, NumberWriter, number_writer
from foldbasket.styling.styles import LEDGER, Style
from foldbasket.tables.progress import Progress
from foldbasket.tables.types import FieldType, exact_decimal
from foldbasket.turns import give_way

Value = str | int | float | Decimal | datetime.date | datetime.datetime | bool | None


class MeasureHead(msgspec.Struct, frozen=True, eq=False):
    """A measure: its word, heading, how its numbers are written, and a remark on what it counts, if one is needed."""

    id: str
    heading: str
    style: NumberStyle
    remark: str = ""
    is_additive: bool = False
    """Whether it adds up over members: a total may be the sum of the cells under it, which is to be seen from their values."""


class Counted(msgspec.Struct, frozen=True):
    """How many records of a base table the filters kept, of all it has; and where they were folded, empty for here and held."""

    base: str
    kept: int
    records: int
    place: str = ""


class Origin(msgspec.Struct, frozen=True, eq=False):
    """The fold that a report is of, a way to fold others over the same records (a chart has every total), the listing of the records of one,
    and the statement of a fold in a dialect of SQL, which raises NoSqlError for what it does not say; what relative dates go by, the names of its sources, and the basket's file."""

    fold: Fold
    again: Callable[[Fold], Report]
    listing: Callable[[Fold, Progress | None], Report]
    statement: Callable[[Fold, str], str]
    as_of: Callable[[], str] = str
    sources: str = ""
    file: str = ""


PLAIN_LOOK = ReportLook()


class Report(msgspec.Struct, frozen=True, eq=False, dict=True, weakref=True):
    """A fold, computed. `blocks` holds one block per measure, shape (rows, lines of the column axis); `counted` tells for each
    base table how many records were folded."""

    name: str
    sentence: str
    rows: Axis
    columns: Axis
    measures: tuple[MeasureHead, ...]
    blocks: tuple[Block, ...]
    counted: tuple[Counted, ...]
    locale: str
    currency: str
    measures_on: str = "columns"
    measures_at: int | None = None
    look: ReportLook = PLAIN_LOOK
    style: Style = LEDGER
    remarks: tuple[str, ...] = ()
    """Sentences about what the fold asks for and the data does not have, such as a member that a filter names."""
    unfinished: Unfinished | None = None
    incomplete: tuple[Incomplete, ...] = ()
    """The periods shown that the data cover in part."""
    """What of its latest period is not over, where it is compared with one before."""
    origin: Origin | None = None
    """What it was folded from; None where it comes from no fold."""

    def of(self, fold: Fold, file: str = "") -> Report:
        """The report as that of a fold which asks for the same numbers, but may say another chart or page, in a basket's file."""
        return self if self.origin is None else replace(self, origin=replace(self.origin, fold=fold, file=file))

    def listing(self, progress: Progress | None = None) -> Report:
        """Its records under the members of its rows, as the page of its fold says; itself where it comes from no fold. Raises FoldBasketError."""
        if self.origin is None:
            return self
        made = self.origin.listing(self.origin.fold, progress)
        assert made.origin is not None
        # What its basket puts on, such as a style of one's own, is not known where it is folded.
        return replace(made, style=self.style, look=self.look, origin=replace(made.origin, file=self.origin.file))

    @property
    def title(self) -> str:
        """What stands over it on pages and in files: its own title, or the fold's name."""
        return self.name if self.look.title is None else self.look.title

    @property
    def subtitle(self) -> str:
        """What stands under the title: its own, or the sentence."""
        return self.sentence if self.look.subtitle is None else self.look.subtitle

    @property
    def base(self) -> str:
        """The table of the fold's records, the first one where tables of facts stand side by side."""
        return self.counted[0].base

    @property
    def kept(self) -> int:
        """Records that the filters kept, of the first base table."""
        return self.counted[0].kept

    @property
    def records(self) -> int:
        """All records of the first base table."""
        return self.counted[0].records

    @cached_property
    def left(self) -> Margin:
        """What each row stands for."""
        return Margin(self.rows, self._headings if self.on_rows else None, self.measures_at, self.look.layout.alone)

    @cached_property
    def top(self) -> Margin:
        """What each column stands for."""
        return Margin(self.columns, None if self.on_rows else self._headings, self.measures_at, self.look.layout.alone)

    @property
    def _headings(self) -> list[str]:
        return [measure.heading for measure in self.measures]

    def measure_at(self, id: str) -> int | None:
        """Which of the measures has an id; None where it was taken out."""
        return next((at for at, each in enumerate(self.measures) if each.id == id), None)

    @property
    def on_rows(self) -> bool:
        """Whether the measures stand along the rows."""
        return self.measures_on == "rows" and bool(self.measures)

    @property
    def height(self) -> int:
        return len(self.left)

    @property
    def width(self) -> int:
        return len(self.top)

    def cell(self, row: int, column: int) -> tuple[int, int, int]:
        """Where a cell's value stands: its measure, and its line of the row axis and of the column axis."""
        (lines, one), (across, two) = self._slots
        return (one[row] if self.on_rows else two[column]), lines[row], across[column]

    @cached_property
    def _slots(self) -> tuple[tuple[list[int], list[int]], tuple[list[int], list[int]]]:
        left, top = self.left, self.top
        return (left.line.tolist(), left.measure.tolist()), (top.line.tolist(), top.measure.tolist())

    def value(self, row: int, column: int) -> Value:
        """The exact value of a cell, None when blank: Decimal for decimals, int, float, date, text."""
        measure, row, line = self.cell(row, column)
        return self.exact(measure, row, line)

    def exact(self, measure: int, row: int, line: int) -> Value:
        """The exact value of a measure on a line of the row axis and one of the column axis."""
        block = self.blocks[measure]
        if block.blank[row, line]:
            return None
        raw = block.data[row, line]
        if block.dictionary is not None:
            stored = block.dictionary.raw(int(raw))
            return bool(stored) if block.type is FieldType.YESNO else str(stored)
        if block.type is FieldType.REAL:
            return float(raw)
        if isinstance(raw, float):
            return raw / 10**block.scale
        if block.type is FieldType.DECIMAL:
            return exact_decimal(int(raw), block.scale)
        if block.type is FieldType.DATE:
            return EPOCH + datetime.timedelta(days=int(raw))
        if block.type is FieldType.TIMESTAMP:
            return datetime.datetime(1970, 1, 1) + datetime.timedelta(microseconds=int(raw))
        return int(raw)

    def text(self, row: int, column: int) -> str:
        """A cell as the reader sees it; empty when blank."""
        give_way()
        return self.written(*self.cell(row, column))

    def texts(self, rows: range, columns: range) -> list[list[str]]:
        """The texts of a block of cells, row by row."""
        within, beside = slice(rows.start, rows.stop), slice(columns.start, columns.stop)
        lines, across = self.left.line[within].tolist(), self.top.line[beside].tolist()
        if self.on_rows:
            of_row = [self._texts[measure] for measure in self.left.measure[within].tolist()]
            return [[text(line, at) for at in across] for text, line in zip(of_row, lines, strict=True)]
        cells = [
            (self._texts[measure], at) for measure, at in zip(self.top.measure[beside].tolist(), across, strict=True)
        ]
        return [[text(line, at) for text, at in cells] for line in lines]

    def written(self, measure: int, row: int, line: int) -> str:
        """A measure on a line of the row axis and one of the column axis, as the reader sees it."""
        return self._texts[measure](row, line)

    @cached_property
    def _texts(self) -> list[Callable[[int, int], str]]:
        return [self._text_of(measure) for measure in range(len(self.measures))]

    def _text_of(self, measure: int) -> Callable[[int, int], str]:
        """A function from row and line of the column axis to the text of a measure's cell. It is kept here, so it knows nothing of the report itself:
        a circle would keep all cells until garbage is looked for."""
        block, locale = self.blocks[measure], self.locale
        blank, data, scale, kind = block.blank, block.data, block.scale, block.type
        if block.dictionary is not None:
            members = block.dictionary
            if kind is FieldType.YESNO:
                return lambda row, line: (
                    "" if blank[row, line] else "yes" if members.raw(int(data[row, line])) else "no"
                )
            return lambda row, line: "" if blank[row, line] else str(members.raw(int(data[row, line])))
        if kind is FieldType.DATE:
            return lambda row, line: "" if blank[row, line] else day_text(int(data[row, line]), locale)
        if kind is FieldType.TIMESTAMP:
            return lambda row, line: "" if blank[row, line] else moment_text(int(data[row, line]), locale)
        writer = number_writer(self.measures[measure].style, default_pattern(block), locale, self.currency)
        if kind is FieldType.REAL:
            return lambda row, line: "" if blank[row, line] else writer(float(data[row, line]))
        if data.dtype == object:
            return lambda row, line: "" if blank[row, line] else _written(writer, data[row, line], scale)
        return lambda row, line: "" if blank[row, line] else writer.units(int(data[row, line]), scale)

    def is_number(self, measure: int) -> bool:
        """Whether a measure's cells are numbers (and so stand at the right)."""
        block = self.blocks[measure]
        return block.dictionary is None and block.type.is_number

    def is_negative(self, row: int, column: int) -> bool:
        """Whether a cell is a number below zero."""
        measure, row, line = self.cell(row, column)
        block = self.blocks[measure]
        return self.is_number(measure) and not block.blank[row, line] and bool(block.data[row, line] < 0)

    def pattern(self, measure: int) -> str:
        """The LDML pattern of a measure's numbers: its own, or the one that goes with its type."""
        return self.measures[measure].style.pattern or default_pattern(self.blocks[measure])


def _written(writer: NumberWriter, raw: int | float, scale: int) -> str:
    return writer(raw / 10**scale) if isinstance(raw, float) else writer.units(int(raw), scale)


def default_pattern(block: Block) -> str:
    """The pattern for a measure that has none: all digits of a decimal, none of a whole number, two of a real."""
    if block.pattern is not None:
        return block.pattern
    if block.type is FieldType.DECIMAL and block.scale:
        return "#,##0." + "0" * block.scale
    return "#,##0.00" if block.type is FieldType.REAL else "#,##0"
