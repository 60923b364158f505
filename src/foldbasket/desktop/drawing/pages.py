"""A report as pages: what you see is what prints, since screen, PDF and printer are drawn here, page by page, when one is asked for."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from itertools import starmap
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QMarginsF, QRectF, QSizeF, Qt
from PyQt6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QPageLayout,
    QPageSize,
    QPainter,
)

from foldbasket.charts.made import chart_of
from foldbasket.desktop.drawing.readable import ReadBack, read_back
from foldbasket.desktop.grid.figures import figures_of
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.grid.painter import GridPainter
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided
from foldbasket.errors import FoldBasketError, OutputError
from foldbasket.folding.report.report import Report
from foldbasket.outputs.charted import chart_picture
from foldbasket.paging.breaks import bands, may_begin, must_begin, strips
from foldbasket.paging.lines import filled, values_of
from foldbasket.spec.page import ChartOn, Fit, Order, Page, Way
from foldbasket.tables.progress import Progress

if TYPE_CHECKING:
    from foldbasket.desktop.drawing.figure import DrawnFigure

DPI = 96
SMALLEST, SMALL = 0.3, 0.55
"""The zoom below which nothing can be read, and below which columns go on another page rather than become smaller by themselves."""
STEP = 0.05
LINE = 22.0
ALONE = (0, 0)


def pixels(millimetres: float) -> float:
    """A length on paper in pixels."""
    return millimetres / 25.4 * DPI


def page_of(report: Report) -> Page:
    """How the fold of a report stands on paper."""
    return report.origin.fold.page if report.origin is not None else Page()


class Sheet(NamedTuple):
    """A page: its rows and columns, whether it bears the title, and whether it bears the chart (alone, or under the report)."""

    rows: tuple[int, int]
    columns: tuple[int, int]
    titled: bool = False
    charted: bool = False
    last: bool = False


class Pages:
    """The pages of a report. Only where they end is worked out at first; each is drawn when it is asked for."""

    def __init__(self, report: Report, page: Page | None = None, progress: Progress | None = None) -> None:
        """`progress` can be cancelled while the records of groups are gathered."""
        self.whole, self._progress = report, progress
        self.page = page if page is not None else page_of(report)

    @cached_property
    def report(self) -> Report:
        """What stands on the pages: the report, or the records of its groups. Raises FoldBasketError where those cannot be listed."""
        return self.whole if self.page.listing is None else self.whole.listing(self._progress)

    # --- paper ----------------------------------------------------------------

    @cached_property
    def sideways(self) -> bool:
        """Whether the paper lies on its long side."""
        if self.page.way is not Way.FITS:
            return self.page.way is Way.SIDEWAYS
        short, _ = self.page.paper.millimetres
        plain = self._at(1.0)
        return plain.heads_width + plain.size[0] > pixels(short - 2 * self.page.margin)

    @cached_property
    def size(self) -> QSizeF:
        """The size of the paper in pixels."""
        short, long = (pixels(each) for each in self.page.paper.millimetres)
        return QSizeF(long, short) if self.sideways else QSizeF(short, long)

    @property
    def layout(self) -> QPageLayout:
        """The paper as Qt names it."""
        short, long = self.page.paper.millimetres
        size = QPageSize(QSizeF(short, long), QPageSize.Unit.Millimeter)
        way = QPageLayout.Orientation.Landscape if self.sideways else QPageLayout.Orientation.Portrait
        return QPageLayout(size, way, QMarginsF(0, 0, 0, 0))

    @cached_property
    def body(self) -> QRectF:
        """The part of the paper between margins, head and foot."""
        margin = pixels(self.page.margin)
        whole = QRectF(0, 0, self.size.width(), self.size.height()).adjusted(margin, margin, -margin, -margin)
        return whole.adjusted(0, LINE if any(self.page.head) else 0, 0, -LINE if any(self.page.foot) else 0)

    # --- where pages end ------------------------------------------------------

    @cached_property
    def geometry(self) -> Geometry:
        """The report at the size that it has on paper. Raises OutputError where its headings alone are wider than the paper."""
        room, zoom = self.body.width(), 1.0
        made = self._at(zoom)
        if self.page.fit is Fit.COLUMNS:
            while zoom - STEP >= SMALL - 1e-9 and made.heads_width - made.left + made.size[0] > room:
                zoom -= STEP
                made = self._at(zoom)
        elif self.page.fit is Fit.PAGES:
            while zoom - STEP >= SMALLEST - 1e-9 and len(self._cut(made)) > max(1, self.page.pages):
                zoom -= STEP
                made = self._at(zoom)
        while zoom - STEP >= SMALLEST - 1e-9 and not self._has_room(made):
            zoom -= STEP
            made = self._at(zoom)
        if not self._has_room(made):
            raise OutputError(
                "the paper is narrower than the headings of the rows.", where=self.report.name,
                todo="Lay it sideways, take larger paper or smaller margins, or turn the report.",
            )  # fmt: skip
        return made

    @cached_property
    def read_back(self) -> ReadBack:
        """What is to be known to read back the text of these pages from a PDF."""
        plain = Geometry(self.report)
        faces = [plain.face(bold=bold, italic=italic)[0] for bold in (False, True) for italic in (False, True)]
        return read_back([*faces, theme.font(), theme.font(weight=QFont.Weight.DemiBold)])

    def _at(self, zoom: float) -> Geometry:
        return Geometry(self.report, round(zoom, 2), tabular=self.read_back.tabular)

    def _has_room(self, made: Geometry) -> bool:
        widest = max((float(each) for each in made.column_edges[1:] - made.column_edges[:-1]), default=0.0)
        high = made.head_height + self._title_height + 2 * made.row_height
        return made.heads_width - made.left + widest <= self.body.width() and high <= self.body.height()

    @cached_property
    def _breaks(self) -> tuple[object, object]:
        return may_begin(self.report), must_begin(self.report, self.page.breaks)

    def _cut(self, made: Geometry) -> list[Sheet]:
        """The pages at a size."""
        room = self.body.height() - made.head_height
        may, must = self._breaks
        rows = bands(made.line_tops, room - self._title_height, room, may, must)  # type: ignore[arg-type]
        across = strips(made.column_edges, max(self.body.width() - (made.heads_width - made.left), 1.0))
        pairs = (
            [(one, two) for two in across for one in rows]
            if self.page.order is Order.DOWN
            else [(one, two) for one in rows for two in across]
        )
        found = list(starmap(Sheet, pairs))
        found[0] = found[0]._replace(titled=True)
        end = found[-1]
        under = self._left_under(made, end) if found else 0.0
        if made.foot_height > under:
            found.append(Sheet((rows[-1][1], rows[-1][1]), ALONE))
            under = self.body.height() - made.foot_height
        else:
            under -= made.foot_height
        found[-1] = Sheet(found[-1].rows, found[-1].columns, found[-1].titled, last=True)
        if self.has_chart:
            if self.page.chart is ChartOn.AFTER and under >= self._chart_height:
                found[-1] = Sheet(found[-1].rows, found[-1].columns, found[-1].titled, charted=True, last=True)
            else:
                found.append(Sheet(ALONE, ALONE, charted=True))
        return found

    def _left_under(self, made: Geometry, sheet: Sheet) -> float:
        high = float(made.line_tops[sheet.rows[1]] - made.line_tops[sheet.rows[0]]) + made.head_height
        return self.body.height() - high - (self._title_height if sheet.titled else 0.0)

    @cached_property
    def sheets(self) -> list[Sheet]:
        """Every page. Raises OutputError where the paper is too small."""
        return self._cut(self.geometry)

    def __len__(self) -> int:
        return len(self.sheets)

    def ready(self) -> Pages:
        """The pages with all that takes long worked out: where they end, and the chart. Raises OutputError where the paper is too small."""
        if self.sheets[-1].charted:
            _ = self._chart
        return self

    def group(self, number: int) -> str:
        """What a page is of, where pages begin with the members of a field: the member, or what the total is called."""
        sheet = self.sheets[number]
        field = next((at for at, head in enumerate(self.report.rows.heads) if head.id == self.page.breaks), None)
        if field is None or sheet.rows[0] >= sheet.rows[1]:
            return ""
        line = int(self.report.left.line[sheet.rows[0]])
        return self.report.rows.label(line, field) or self.report.rows.caption(line)

    # --- drawing --------------------------------------------------------------

    def draw(
        self, painter: QPainter, number: int, among: tuple[int, int] | None = None, group: str | None = None
    ) -> None:
        """Draws a page, its upper left corner at the painter's origin. `among` says how many pages stand before those of this report, and how many
        there are in all; `group` is what the page is of, where that is more than its own group."""
        sheet, at = self.sheets[number], self.geometry
        grid = GridPainter(at, theme.LIGHT, "#FFFFFF", whole=True)
        top = self.body.top()
        if sheet.titled:
            self._title(painter, self.body)
            top += self._title_height
        if sheet.rows[0] < sheet.rows[1] and sheet.columns[0] < sheet.columns[1]:
            width = at.heads_width + float(at.column_edges[sheet.columns[1]] - at.column_edges[sheet.columns[0]])
            height = at.head_height + float(at.line_tops[sheet.rows[1]] - at.line_tops[sheet.rows[0]])
            painter.save()
            painter.translate(self.body.left() - at.left, top)
            painter.setClipRect(QRectF(0, 0, width + 1, height + 3))
            grid.paint(
                painter, width, height, float(at.column_edges[sheet.columns[0]]), float(at.line_tops[sheet.rows[0]])
            )
            painter.restore()
            top += height
        if sheet.last and at.foot:
            painter.save()
            painter.translate(self.body.left() - at.left, 0)
            grid.foot(painter, top)
            painter.restore()
            top += at.foot_height
        if sheet.charted:
            self._draw_chart(
                painter, QRectF(self.body.left(), top + 8, self.body.width(), self.body.bottom() - top - 8)
            )
        before, many = among or (0, len(self))
        at_foot = self.group(number) if group is None else group
        self._lines(painter, {"page": f"{before + number + 1:,}", "pages": f"{many:,}", "group": at_foot})

    # --- title ----------------------------------------------------------------

    @cached_property
    def _title_height(self) -> float:
        report = self.report
        if not (report.title or report.subtitle):
            return 0.0
        high = QFontMetricsF(theme.font(18, QFont.Weight.DemiBold)).height() if report.title else 0.0
        said = (
            QFontMetricsF(theme.font(11)).boundingRect(self.body, _TEXT, report.subtitle).height()
            if report.subtitle
            else 0.0
        )
        return high + said + 14

    def _title(self, painter: QPainter, area: QRectF) -> None:
        top = area.top()
        inks = self.report.style.light
        if self.report.title:
            painter.setFont(theme.font(18, QFont.Weight.DemiBold))
            painter.setPen(QColor(inks.ink))
            painter.drawText(QRectF(area.left(), top, area.width(), 40), _TEXT, self.report.title)
            top += QFontMetricsF(theme.font(18, QFont.Weight.DemiBold)).height() + 2
        painter.setFont(theme.font(11))
        painter.setPen(QColor(inks.muted))
        painter.drawText(QRectF(area.left(), top, area.width(), 400), _TEXT, self.report.subtitle)

    # --- head and foot --------------------------------------------------------

    @cached_property
    def _values(self) -> dict[str, str]:
        return values_of(self.report)

    def _lines(self, painter: QPainter, of_page: Mapping[str, str]) -> None:
        values = {**self._values, **of_page}
        margin = pixels(self.page.margin)
        width = self.size.width() - 2 * margin
        painter.setFont(theme.font(10))
        figures = figures_of(theme.font(10))
        for texts, top, ruled in (
            (self.page.head, margin, False),
            (self.page.foot, self.size.height() - margin - 16, True),
        ):
            if not any(texts):
                continue
            if ruled:
                painter.setPen(QColor(self.report.style.light.rule))
                painter.drawLine(QRectF(margin, top, width, 0).topLeft(), QRectF(margin, top, width, 0).topRight())
            painter.setPen(QColor(self.report.style.light.muted))
            for text, side in zip(
                texts,
                (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignHCenter, Qt.AlignmentFlag.AlignRight),
                strict=True,
            ):
                room = width / sum(bool(each) for each in texts) - 8 if text else 0.0
                shown = filled(text, values)
                if not figures.fits(shown, room):
                    shown = elided(figures.metrics, shown, room)
                painter.drawText(QRectF(margin, top + 3, width, 16), side | Qt.AlignmentFlag.AlignTop, shown)

    # --- the chart ------------------------------------------------------------

    @property
    def has_chart(self) -> bool:
        """Whether a chart stands on the pages."""
        return self.page.chart is not ChartOn.NONE and chart_of(self.whole) is not None

    @property
    def _chart_height(self) -> float:
        chart = chart_of(self.whole)
        return self.body.height() * chart.height if chart is not None else 0.0

    @cached_property
    def _chart(self) -> tuple[DrawnFigure | None, str]:
        """The chart as strokes and texts, or why there is none."""
        from foldbasket.desktop.drawing.figure import (
            drawn_figure,  # matplotlib is imported only when something is drawn
        )

        alone = self.sheets[-1].rows == ALONE and self.sheets[-1].charted
        width, height = self.body.width(), self.body.height() - 8 if alone else self._chart_height
        try:
            canvas = chart_picture(self.whole, width, height, ground="#FFFFFF").canvas
        except FoldBasketError as error:
            return None, f"The chart is left out: {error}"
        made = drawn_figure(canvas.done(), width, height)
        canvas.let_go()
        return made, ""

    def _draw_chart(self, painter: QPainter, area: QRectF) -> None:
        figure, problem = self._chart
        if figure is None:
            painter.setFont(theme.font(11))
            painter.setPen(QColor(self.report.style.light.muted))
            painter.drawText(area, _TEXT, problem)
            return
        painter.save()
        painter.translate(area.topLeft())
        figure.paint(painter)
        painter.restore()


_TEXT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
