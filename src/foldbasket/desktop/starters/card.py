"""One report to start from: its sentence, the report itself in small, and what it finds."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QWidget

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided, minus, short, tip
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.report import Report
from foldbasket.outputs.sheet import Sheet
from foldbasket.sentence.phrases import Word
from foldbasket.starters.proposing import Proposal
from foldbasket.starters.starter import number

PAD, LINE = 14, 22
MOST_CELLS = 0.76
"""So much of the width is for cells at most."""
MOST = 7
"""So many lines of a report are shown, its total among them."""


class StarterCard(QAbstractButton):
    """A report to start from. A click, or Enter, takes it."""

    def __init__(self, proposal: Proposal, words: list[Word], sentence: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.proposal, self.words = proposal, words
        self.setAccessibleName(f"Start from: {sentence}")
        self.setAccessibleDescription(proposal.finding)
        self.setToolTip(tip(sentence))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(QSize(260, 236))
        self._sheet = Sheet(proposal.report)

    def sizeHint(self) -> QSize:
        return QSize(360, 250)

    def keyPressEvent(self, event):  # type: ignore[no-untyped-def]
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        colours = theme.palette()
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.fillRect(area, QColor(colours.page))
        painter.setPen(QColor(colours.muted if self.underMouse() or self.hasFocus() else colours.line))
        painter.drawRect(area)
        inner = area.adjusted(PAD, 10, -PAD, -10)
        top = self._paint_words(painter, inner)
        foot = self._foot(inner)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(colours.muted))
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom
        painter.drawText(foot, int(flags) | Qt.TextFlag.TextWordWrap, short(self.proposal.finding))
        body = QRectF(inner.left(), top + 6, inner.width(), foot.top() - top - 10)
        if self.proposal.fold.chart is not None:
            self._paint_line(painter, body)
        else:
            self._paint_lines(painter, body)
        if self.hasFocus():
            theme.draw_focus(painter, area.adjusted(2, 2, -2, -2), colours)

    def _foot(self, inner: QRectF) -> QRectF:
        """The room of the finding, of one line or two."""
        metrics = QFontMetricsF(theme.font(theme.SMALL))
        lines = 2 if metrics.horizontalAdvance(short(self.proposal.finding)) > inner.width() else 1
        high = lines * metrics.lineSpacing()
        return QRectF(inner.left(), inner.bottom() - high, inner.width(), high)

    def _paint_words(self, painter: QPainter, area: QRectF) -> float:
        """The sentence, its words underlined in their strands; how far down it came."""
        colours = theme.palette()
        font = theme.font(14)
        metrics = QFontMetricsF(font)
        painter.setFont(font)
        x, y = area.left(), area.top()
        space = metrics.horizontalAdvance(" ")
        for word in self.words:
            for text, is_word in ((word.lead, False), (word.text, True)):
                painter.setPen(QColor(colours.ink if is_word else colours.muted))
                pieces = text.split()
                for at, piece in enumerate(pieces):
                    width = metrics.horizontalAdvance(piece)
                    if x > area.left() and x + width > area.right():
                        x, y = area.left(), y + metrics.height() + 6
                    painter.drawText(QPointF(x, y + metrics.ascent()), piece)
                    if is_word:
                        low = round(y + metrics.height() + 1)
                        goes_on = at + 1 < len(pieces) and x + width + space < area.right()
                        stop = x + width + (space if goes_on else 0)
                        theme.draw_stroke(
                            painter, word.strand, QPointF(x, low), QPointF(stop, low), colours.strand(word.strand)
                        )
                    x += width + (space if at + 1 < len(pieces) else space * 1.6)
        return y + metrics.height() + 6

    def _paint_line(self, painter: QPainter, area: QRectF) -> None:
        """The course of the first measure, from the first member to the last."""
        report, colours = self.proposal.report, theme.palette()
        found = [
            (line, value)
            for line in range(report.height)
            if not report.left.is_total[line] and (value := number(report.value(line, 0))) is not None
        ]
        if len(found) < 2:
            return
        low = min(0.0, *(float(value) for _, value in found))
        high = max(0.0, *(float(value) for _, value in found))
        box = area.adjusted(0, 8, 0, -22)
        step = box.width() / (len(found) - 1)
        reach = (high - low) or 1.0
        points = QPolygonF(
            [
                QPointF(box.left() + at * step, box.bottom() - (float(value) - low) / reach * box.height())
                for at, (_, value) in enumerate(found)
            ]
        )
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(colours.rows), 2))
        painter.drawPolyline(points)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        ground = box.bottom() - (0 - low) / reach * box.height()
        painter.setPen(QColor(colours.rule))
        painter.drawLine(QPointF(box.left(), ground), QPointF(box.right(), ground))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(colours.muted))
        ends = QRectF(area.left(), box.bottom() + 4, area.width(), 16)
        rows = report.left
        for line, side in ((found[0][0], Qt.AlignmentFlag.AlignLeft), (found[-1][0], Qt.AlignmentFlag.AlignRight)):
            painter.drawText(ends, side, short(report.rows.label(int(rows.line[line]), 0)))

    def _paint_lines(self, painter: QPainter, area: QRectF) -> None:
        """The first lines of the report and its total, as the ledger has them."""
        report, colours = self.proposal.report, theme.palette()
        heads = report.top.axis.depth > 0 or report.width > 1
        room = int(area.height() // LINE) - (1 if heads else 0)
        totals = [line for line in range(report.height) if report.left.kind[line] == Kind.GRAND][:1]
        members = [line for line in range(report.height) if line not in totals]
        rest = min(MOST, room) - len(totals)
        shown = members[: max(1, rest if rest >= len(members) else rest - 1)]
        left_out = len(members) - len(shown)
        columns = [
            column
            for column in range(report.width)
            if any(minus(report.text(line, column)) for line in (*shown, *totals))
        ]
        widths = self._widths(report, columns, [*shown, *totals])
        while columns and sum(widths) > area.width() * MOST_CELLS:
            columns, widths = columns[1:], widths[1:]
        y = area.top()
        if heads:
            self._paint_row(painter, area, y, "", [self._heading(column) for column in columns], widths, is_head=True)
            y += LINE
        for line in shown:
            self._paint_row(
                painter, area, y, self._name(line), [minus(report.text(line, column)) for column in columns], widths
            )
            y += LINE
        if left_out:
            self._paint_row(painter, area, y, f"… {left_out:,} more", ["" for _ in columns], widths, is_quiet=True)
            y += LINE
        for line in totals:
            painter.setPen(QColor(colours.ink))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            cells = [minus(report.text(line, column)) for column in columns]
            self._paint_row(painter, area, y, self._name(line), cells, widths, is_bold=True)
            for lower in (LINE, LINE + 2):
                painter.drawLine(QPointF(area.left(), y + lower), QPointF(area.right(), y + lower))

    def _name(self, line: int) -> str:
        return " ".join(text for text in self._sheet.row_head(line, repeat=True) if text)

    def _heading(self, column: int) -> str:
        """What stands over a column: the measure, and the member it is of."""
        spans = [
            span
            for span in self._sheet.column_heads(range(column, column + 1))
            if span.column <= column < span.column + span.columns
        ]
        texts = [span.text for span in spans]
        return (
            texts[-1]
            if len(self.proposal.fold.measures) > 1 and not self.proposal.fold.columns
            else " ".join(texts[:2])
        )

    def _widths(self, report: Report, columns: list[int], lines: list[int]) -> list[float]:
        metrics = QFontMetricsF(theme.font(theme.BODY, QFont.Weight.DemiBold, tabular=True))
        return [
            max(
                [
                    metrics.horizontalAdvance(self._heading(column)),
                    *(metrics.horizontalAdvance(minus(report.text(line, column))) for line in lines),
                ]
            )
            + 16
            for column in columns
        ]

    def _paint_row(
        self,
        painter: QPainter,
        area: QRectF,
        y: float,
        name: str,
        cells: list[str],
        widths: list[float],
        *,
        is_head: bool = False,
        is_bold: bool = False,
        is_quiet: bool = False,
    ) -> None:
        colours = theme.palette()
        weight = QFont.Weight.DemiBold if is_bold or is_head else QFont.Weight.Normal
        painter.setFont(theme.font(theme.SMALL if is_head else theme.BODY, weight, tabular=True))
        painter.setPen(QColor(colours.muted if is_head or is_quiet else colours.ink))
        metrics = QFontMetricsF(painter.font())
        left = area.right() - sum(widths)
        shown = elided(metrics, name, left - area.left() - 10)
        painter.drawText(
            QRectF(area.left() + 4, y, left - area.left() - 8, LINE),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            shown,
        )
        x = left
        for text, width in zip(cells, widths, strict=True):
            painter.drawText(
                QRectF(x, y, width - 4, LINE), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text
            )
            x += width
