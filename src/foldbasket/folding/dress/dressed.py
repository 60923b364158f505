"""The dressed report: for every cell its text and style, resolved once by the rule of nearness.

What says nearer wins: highlight, member, measure, kind of line at a level, field, style. Styles are kept in a palette and cells name them by
small codes, so that a million cells cost bytes. Whatever draws or writes a report reads this and decides nothing of its own.
"""

from __future__ import annotations

import re
from decimal import Decimal, localcontext
from functools import cached_property

import msgspec
import numpy as np
import numpy.typing as npt
from babel.numbers import format_decimal
from msgspec.structs import replace

from foldbasket.folding.dress.judged import Mask
from foldbasket.folding.dress.linekinds import LINES, line_kinds
from foldbasket.folding.dress.lit import Lit, lit_of
from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.report.margins import Margin
from foldbasket.folding.report.report import Report, default_pattern
from foldbasket.spec.look import Highlight, Line, Look, Rule, Said, Side
from foldbasket.styling.numbers import NumberStyle, number_writer
from foldbasket.styling.styles import Inks, Paper, Style
from foldbasket.tables.distinct import numbered, numbered_rows

Codes = npt.NDArray[np.int32]


class CellStyle(msgspec.Struct, frozen=True):
    """How a cell or heading looks, nothing left open. Colours are #RRGGBB, `ground` and `edge` empty for none; `number` None where the
    measure's own serves; `sign` stands before the text."""

    ink: str
    ground: str = ""
    bold: bool = False
    italic: bool = False
    side: Side = Side.RIGHT
    above: Rule = Rule.NONE
    below: Rule = Rule.NONE
    rule_ink: str = ""
    number: NumberStyle | None = None
    blank: str = ""
    edge: str = ""
    bar: str = ""
    sign: str = ""


class Dressed:
    """A report in a style, in one of its forms."""

    def __init__(self, report: Report, paper: Paper = "light") -> None:
        self.report, self.paper = report, paper
        self.style: Style = report.style
        self.inks: Inks = report.style.inks(paper)
        self.palette: list[CellStyle] = []
        self._known: dict[CellStyle, int] = {}
        self._overlays: dict[tuple[int, int, int], int] = {}
        self._base: dict[tuple[int, int], int] = {}
        self._heads: dict[int, CellStyle] = {}

    # --- cells --------------------------------------------------------------

    def code_of(self, style: CellStyle) -> int:
        """The code of a style in the palette."""
        if style not in self._known:
            self._known[style] = len(self.palette)
            self.palette.append(style)
        return self._known[style]

    def codes(self, rows: range, columns: range) -> Codes:
        """The codes of the styles of a block of cells, shape (rows, columns)."""
        report = self.report
        row_kinds, column_kinds = (
            self._row_kinds[rows.start : rows.stop],
            self._column_kinds[columns.start : columns.stop],
        )
        (ones, one_at), (twos, two_at) = numbered(row_kinds), numbered(column_kinds)
        table = np.array([[self._base_code(one, two) for two in twos.tolist()] for one in ones.tolist()], np.int32)
        found: Codes = table.reshape(len(ones), len(twos))[one_at[:, None], two_at[None, :]]
        lines, across = report.left.line[rows.start : rows.stop], report.top.line[columns.start : columns.stop]
        measure = self._measures(rows, columns)
        if self.inks.accent != self.inks.ink:
            self._redden(found, lines, across, measure)
        for at, lit in enumerate(self.lit):
            here = lit.holds[np.ix_(lines, across)]
            if not lit.highlight.line:
                here = here & (measure == lit.measure)
            if here.any():
                steps = None if lit.steps is None else lit.steps[np.ix_(lines, across)]
                self._lay(found, here, at, steps)
        return found

    def _measures(self, rows: range, columns: range) -> npt.NDArray[np.int64]:
        """The measure of each cell of a block."""
        report = self.report
        if report.on_rows:
            return np.broadcast_to(report.left.measure[rows.start : rows.stop, None], (len(rows), len(columns)))
        return np.broadcast_to(report.top.measure[None, columns.start : columns.stop], (len(rows), len(columns)))

    def _redden(self, codes: Codes, lines: npt.NDArray, across: npt.NDArray, measure: npt.NDArray) -> None:
        """Negative numbers are in the style's accent, unless something says an ink for them."""
        for number in self._reddened:
            block = self.report.blocks[number]
            at = np.ix_(lines, across)
            here = (measure == number) & ~block.blank[at] & (np.where(block.blank[at], 0, block.data[at]) < 0)
            for code in np.unique(codes[here]).tolist():
                was = self.palette[code]
                if was.ink == self.inks.ink:
                    codes[here & (codes == code)] = self.code_of(replace(was, ink=self.inks.accent))

    @cached_property
    def _reddened(self) -> list[int]:
        """The measures whose negative numbers are in the accent, and that have any."""
        found = []
        for number, (measure, block) in enumerate(zip(self.report.measures, self.report.blocks, strict=True)):
            is_red = self.style.red_negatives if measure.style.red is None else measure.style.red
            if is_red and self.report.is_number(number) and bool(((block.data < 0) & ~block.blank).any()):
                found.append(number)
        return found

    def _lay(self, codes: Codes, here: Mask, at: int, steps: npt.NDArray[np.uint8] | None) -> None:
        """Lays a highlight over the codes of the cells for which it holds."""
        own = np.zeros(codes.shape, np.int64) if steps is None else steps.astype(np.int64)
        pairs = codes[here].astype(np.int64) * 64 + own[here]
        kinds, inverse = np.unique(pairs, return_inverse=True)
        made = [self._overlaid(int(pair) // 64, at, int(pair) % 64) for pair in kinds]
        codes[here] = np.array(made, np.int32)[inverse]

    def _overlaid(self, code: int, at: int, step: int) -> int:
        key = (code, at, step)
        if key not in self._overlays:
            form, was = self.lit[at].highlight.form, self.palette[code]
            steps = type(form).steps
            look = form.look(step / (steps - 1) if steps > 1 else 1.0, self.inks)
            changes = {
                name: value
                for name in ("ink", "ground", "bold", "italic")
                if (value := getattr(look, name)) is not None
            }
            edge, sign = form.edge(self.inks), form.sign(step)
            if edge:
                changes["bar" if type(form).bars else "edge"] = edge
            if sign:
                changes["sign"] = sign
            self._overlays[key] = self.code_of(replace(was, **changes))
        return self._overlays[key]

    def style_of(self, row: int, column: int) -> CellStyle:
        """The style of one cell."""
        return self.palette[int(self.codes(range(row, row + 1), range(column, column + 1))[0, 0])]

    def bars(self, rows: range, columns: range) -> npt.NDArray[np.float32] | None:
        """Lengths of bars in a block of cells, -1 to 1, of the last highlight that draws any; NaN for none, None where there are none."""
        drawn = [lit for lit in self.lit if lit.bars is not None]
        if not drawn:
            return None
        lines, across = (
            self.report.left.line[rows.start : rows.stop],
            self.report.top.line[columns.start : columns.stop],
        )
        found = np.full((len(rows), len(columns)), np.nan, np.float32)
        measure = self._measures(rows, columns)
        for lit in drawn:
            assert lit.bars is not None
            here = lit.holds[np.ix_(lines, across)] & (measure == lit.measure)
            found[here] = lit.bars[np.ix_(lines, across)][here]
        return found

    def bar_zeros(self, rows: range, columns: range) -> npt.NDArray[np.float64]:
        """Where in its cell a bar begins, as a share of the room: at the left, or a third further in where any of the measure's is of a
        negative value, so that zero stands in one line."""
        found, measure = np.zeros((len(rows), len(columns))), self._measures(rows, columns)
        for lit in self.lit:
            if lit.falls_below:
                found[measure == lit.measure] = 1 / 3
        return found

    def text(self, row: int, column: int, style: CellStyle) -> str:
        """The text of a cell in its style, without its sign."""
        measure, line, across = self.report.cell(row, column)
        if style.number is None:
            return self.report.written(measure, line, across) or style.blank
        block = self.report.blocks[measure]
        if block.blank[line, across]:
            return style.blank
        if not self.report.is_number(measure):
            return self.report.written(measure, line, across)
        writer = number_writer(style.number, default_pattern(block), self.report.locale, self.report.currency)
        return writer.of(block.data[line, across], block.scale, real=block.type.value == "real number")

    # --- nearness -----------------------------------------------------------

    @cached_property
    def _row_kinds(self) -> npt.NDArray[np.int64]:
        return self._kinds(self.report.left, rows=True)[0]

    @cached_property
    def _column_kinds(self) -> npt.NDArray[np.int64]:
        return self._kinds(self.report.top, rows=False)[0]

    def _kinds(self, margin: Margin, rows: bool) -> tuple[npt.NDArray[np.int64], list[tuple[int, ...]]]:
        """For each row or column the number of its kind, and of each kind what it is: line kind, level, measure, and which looks are said of
        its members and fields."""
        axis = margin.axis
        parts = [
            line_kinds(axis)[margin.line],
            axis.level[margin.line].astype(np.int64),
            margin.measure.astype(np.int64),
        ]
        parts += [self._said_of(said, axis)[margin.line] for said in self._of_axis(axis)]
        found, at = numbered_rows(np.array(parts).T)
        listed = [tuple(each) for each in found.tolist()]
        if rows:
            self._row_list = listed
        else:
            self._column_list = listed
        return at, listed

    def _of_axis(self, axis: Axis) -> list[Said]:
        """The looks that are said of fields and members of an axis."""
        words = {head.id for head in axis.heads}
        return [said for said in self.report.look.said if said.word in words]

    def _said_of(self, said: Said, axis: Axis) -> npt.NDArray[np.int64]:
        """For each line of an axis whether a look is said of it: 1 of its field, 2 of its member."""
        field = next(at for at, head in enumerate(axis.heads) if head.id == said.word)
        here = axis.level > field
        if said.member is None:
            # A field's look is that of the lines of its own level.
            return (here & (axis.level == field + 1)).astype(np.int64)
        code = axis.heads[field].domain.code_named(said.member)
        return 2 * (here & (axis.codes[:, field] == (-1 if code is None else code))).astype(np.int64)

    def _base_code(self, row_kind: int, column_kind: int) -> int:
        key = (row_kind, column_kind)
        if key not in self._base:
            _ = self._row_kinds, self._column_kinds
            self._base[key] = self.code_of(self._resolved(self._row_list[row_kind], self._column_list[column_kind]))
        return self._base[key]

    def _resolved(self, row: tuple[int, ...], column: tuple[int, ...]) -> CellStyle:
        """The style of cells of a kind of row and a kind of column, highlights aside."""
        report = self.report
        measure = row[2] if row[2] >= 0 else column[2]
        number = measure >= 0 and report.is_number(measure)
        look, layers = self._from_style(Line(LINES[row[0]]), row[1], number), [Look() for _ in range(4)]
        field, line, of_measure, member = range(4)
        for axis, kind in ((report.columns, column), (report.rows, row)):
            for at, said in enumerate(self._of_axis(axis)):
                if kind[3 + at]:
                    layer = member if kind[3 + at] == 2 else field
                    layers[layer] = said.look.over(layers[layer])
            for said in report.look.said:
                if said.line is not None and said.line == LINES[kind[0]] and said.level in (None, kind[1]):
                    layers[line] = said.look.over(layers[line])
        if measure >= 0:
            for said in report.look.said:
                if said.measure == report.measures[measure].id:
                    layers[of_measure] = said.look.over(layers[of_measure])
        for layered in layers:
            look = layered.over(look)
        return CellStyle(
            self._colour(look.ink, 0) or self.inks.ink, self._colour(look.ground, 1), bool(look.bold), bool(look.italic), look.side or Side.LEFT,
            look.above or Rule.NONE, look.below or Rule.NONE,
            self.inks.ink if LINES[row[0]] == "grand" else self.inks.rule, look.number, look.blank or "",
        )  # fmt: skip

    def _colour(self, said: str | None, at: int) -> str:
        """A colour as it was said: that of a name in the style's inks, of which the first is for letters and the second for grounds."""
        return self.inks.marks[said][at] if said is not None and said in self.inks.marks else said or ""

    def _from_style(self, line: Line, level: int, number: bool) -> Look:
        style, inks = self.style, self.inks
        look = Look(
            ink=inks.ink, ground="", bold=False, italic=False, side=Side.RIGHT if number else Side.LEFT, blank=""
        )
        if line is Line.SUBTOTAL:
            said = Look(
                ground=inks.subtotal, bold=style.bold_totals, above=Rule(style.sub_above), below=Rule(style.sub_below)
            )
            return said.over(look)
        if line is Line.GRAND:
            said = Look(
                ground=inks.grand, bold=style.bold_totals, above=Rule(style.total_above), below=Rule(style.total_below)
            )
            return said.over(look)
        if line is Line.OTHERS:
            return Look(italic=True).over(look)
        return look

    def head_style(self, row: int) -> CellStyle:
        """The style of the names of a row; the look of its member where one is said."""
        kind = int(self._row_kinds[row])
        if kind not in self._heads:
            nothing = (0, 0, -1, *([0] * len(self._of_axis(self.report.columns))))
            style = self._resolved(self._row_list[kind], nothing)
            self._heads[kind] = replace(style, side=Side.LEFT, number=None)
        return self._heads[kind]

    def head_styles(self, rows: range) -> list[CellStyle]:
        """The styles of the names of several rows."""
        kinds = self._row_kinds[rows.start : rows.stop].tolist()
        made = {kind: self.head_style(row) for kind, row in dict(zip(kinds, rows, strict=True)).items()}
        return [made[kind] for kind in kinds]

    @cached_property
    def head(self) -> CellStyle:
        """The style of headings."""
        return CellStyle(
            self.inks.ink,
            self.inks.head,
            True,
            below=Rule(self.style.head_below),
            rule_ink=self.inks.ink,
            side=Side.MIDDLE,
        )

    # --- highlights ---------------------------------------------------------

    @cached_property
    def lit(self) -> tuple[Lit, ...]:
        """Every highlight of a measure that is there, in their order."""
        return lit_of(self.report).lit

    @property
    def problems(self) -> list[str]:
        """Why a highlight could not be judged, in words."""
        failed = lit_of(self.report).failed
        return [f"the highlight “{self.words(highlight)}”: {error}" for highlight, error in failed]

    def words(self, highlight: Highlight) -> str:
        """The line of words of a highlight: “Net sales at least 250,000”, “Change below −10%”."""
        at = self.report.measure_at(highlight.measure)
        heading = self.report.measures[at].heading if at is not None else "A measure"
        is_part = highlight.when.by_value and at is not None and "%" in self.report.pattern(at)
        return f"{heading} {_written(highlight.when.said, self.report.locale, is_part)}"

    def legend(self) -> list[tuple[CellStyle, str]]:
        """For each highlight a sample of its style and its line of words."""
        if not self.report.look.layout.legend:
            return []
        plain = CellStyle(self.inks.ink)
        made = []
        for at, lit in enumerate(self.lit):
            code = self._overlaid(self.code_of(plain), at, type(lit.highlight.form).steps - 1)
            made.append((self.palette[code], self.words(lit.highlight)))
        return made

    def said_of(self, row: int, column: int) -> list[str]:
        """Why a cell is marked, in words."""
        measure, line, across = self.report.cell(row, column)
        return [
            self.words(lit.highlight)
            for lit in self.lit
            if lit.holds[line, across] and (lit.highlight.line or lit.measure == measure)
        ]


def _written(words: str, locale: str, is_part: bool) -> str:
    """Words with the numbers in them written as the report's are; as percentages where a measure `is_part` of a whole."""

    def number(found: re.Match[str]) -> str:
        pattern = "#,##0.######%" if is_part else "#,##0.############"
        with localcontext() as context:
            context.prec = len(found[0]) + 16  # all of its digits, and those that the pattern may add
            return format_decimal(Decimal(found[0]), format=pattern, locale=locale).replace("-", "−")

    return re.sub(r"-?\b\d+(?:\.\d+)?", number, words)
