"""The grid's geometry and painter: what stands where, what stays in place, what is drawn and what is not touched."""

import msgspec
import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.desktop.grid.figures import Figures
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.grid.painter import GridPainter, picture
from foldbasket.desktop.grid.selection import Marked, Selection
from foldbasket.desktop.widgets import theme
from foldbasket.folding.dress.conditions.others import Always
from foldbasket.folding.dress.forms.graded import Bar
from foldbasket.folding.lines.axis import Kind
from foldbasket.outputs.formats import save_report
from foldbasket.spec.look import Highlight, ReportLook
from tests.desktop.inking import inked
from tests.folding.build import fold, measure, placed, source, table


@pytest.fixture
def wide(qapp):
    count = 3_000
    of = source(
        table(
            "T",
            {
                "a": [f"Group {at % 40:02d}" for at in range(count)],
                "b": [f"Row {at % 300}" for at in range(count)],
                "c": [f"C{at % 50}" for at in range(count)],
                "v": [at * 37 - 50_000 for at in range(count)],
            },
        )
    )
    return Geometry(fold(of, [measure("sum", "T.v")], [placed("T.a"), placed("T.b")], [placed("T.c")]))


def test_every_number_fits_its_column(wide):
    bold = QFontMetricsF(wide.font(QFont.Weight.DemiBold))
    widths = np.diff(wide.column_edges)
    for line in range(0, wide.report.height, 7):
        for column in range(wide.report.width):
            assert bold.horizontalAdvance(wide.report.text(line, column)) <= widths[column]


def test_only_what_is_in_view_is_found(wide):
    assert wide.columns_within(0, 200).start == 0
    assert len(wide.columns_within(0, 200)) < 6
    lines = wide.lines_within(1_000, 1_500)
    assert float(wide.line_tops[lines.start]) <= 1_000 < float(wide.line_tops[lines.start + 1])
    assert float(wide.line_tops[lines.stop - 1]) < 1_500 <= float(wide.line_tops[lines.stop])
    assert wide.lines_within(10**9, 10**9 + 500) == range(wide.report.height - 1, wide.report.height) or not len(
        wide.lines_within(10**9, 10**9 + 500)
    )


def test_a_gap_follows_each_groups_total(wide):
    heights = np.diff(wide.line_tops)
    kinds = wide.report.rows.kind
    assert set(heights[kinds == Kind.MEMBER]) == {wide.row_height}
    assert set(heights[:-1][kinds[:-1] == Kind.SUBTOTAL][:-1]) == {wide.row_height + 7}


def test_headings_stay_in_place_while_the_cells_scroll(wide):
    def shot(x, y):
        image = QImage(700, 400, QImage.Format.Format_RGB32)
        painter = QPainter(image)
        GridPainter(wide, theme.LIGHT).paint(painter, 700, 400, x, y)
        painter.end()
        return image

    top = round(wide.head_height)
    first, scrolled = shot(0, 0), shot(0, 2_300)
    assert first.copy(0, 0, 700, top) == scrolled.copy(0, 0, 700, top)
    assert first.copy(0, top, 700, 300) != scrolled.copy(0, top, 700, 300)
    left = round(wide.heads_width)
    across = shot(900, 0)
    assert first.copy(0, 0, left, 400) == across.copy(0, 0, left, 400)
    assert first.copy(left, top, 300, 300) != across.copy(left, top, 300, 300)


def test_the_name_of_a_group_stands_on_the_first_line_in_view(wide):
    left = wide.report.left
    assert left.starts(0, 0)
    assert not left.starts(0, 2)
    assert left.starts(0, 2, first=2)


def test_glyph_runs_stand_where_text_would(qapp):
    font = theme.font(26, tabular=True)
    metrics = QFontMetricsF(font)

    def drawn(paint):
        return inked(font, 200, paint) < 128

    text = "−12,345.60"
    run = Figures(font).run(text)
    as_run = drawn(lambda painter: painter.drawGlyphRun(QPointF(190, 30), run))
    as_text = drawn(
        lambda painter: painter.drawText(
            QPointF(190 - metrics.horizontalAdvance(text), 30 + metrics.ascent() - metrics.height() / 2), text
        )
    )
    assert as_text.sum() > 100
    assert (as_run != as_text).sum() < 0.25 * as_text.sum()
    assert Figures(font).run("12 pcs") is None


def test_negative_numbers_are_drawn_in_madder(qapp):
    of = source(table("T", {"a": ["x", "y"], "v": [-5, 5]}))
    image = picture(Geometry(fold(of, [measure("sum", "T.v")], [placed("T.a")], row_total="off")))
    at = Geometry(fold(of, [measure("sum", "T.v")], [placed("T.a")], row_total="off"))

    def reds(line):
        top = int(at.head_height + at.line_tops[line])
        colours = [
            image.pixelColor(x, y)
            for x in range(int(at.heads_width) + 4, image.width())
            for y in range(top + 2, top + 20)
        ]
        return sum(colour.red() > colour.blue() + 40 for colour in colours)

    assert reds(0) > 5
    assert reds(1) == 0


def test_bars_are_as_long_as_their_values_and_begin_in_one_line_for_each_measure(qapp):
    of = source(table("T", {"a": ["x", "y", "z"], "up": [50, 100, 25], "both": [-40, 80, 20]}))
    bare = fold(of, [measure("sum", "T.up"), measure("sum", "T.both")], [placed("T.a")], row_total="off")
    bars = tuple(Highlight(each.id, each.id, Always(), Bar()) for each in bare.measures)
    at = Geometry(msgspec.structs.replace(bare, look=ReportLook(highlights=bars)))
    image = QImage(640, 200, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    GridPainter(at).paint(painter, 640, 200, held=Selection(Marked(0, 0, 0, 0, 0, 0, (0, 0))))
    painter.end()
    ink, (code,) = at.dressed.palette, set(at.dressed.codes(range(3), range(1)).ravel().tolist())

    def bar(line, column):
        """Where the bar of a cell begins in its room, and how long it is."""
        left, right = (int(at.heads_width + at.column_edges[column + each]) for each in (0, 1))
        y = int(at.head_height + at.line_tops[line] + 6)
        filled = [x for x in range(left + 2, right) if image.pixelColor(x, y) == QColor(ink[code].bar)]
        return filled[0] - left, filled[-1] - filled[0] + 1

    room = float(at.column_edges[1]) - 6
    for line, length in enumerate((0.5, 1.0, 0.25)):
        begin, long = bar(line, 0)
        assert begin == 3
        assert abs(long - room * length) <= 2
    room = float(at.column_edges[2] - at.column_edges[1]) - 6
    assert abs(bar(1, 1)[0] - (3 + room / 3)) <= 1, "zero stands a third in, since a value is below it"
    assert abs(bar(2, 1)[0] - bar(1, 1)[0]) <= 1
    assert bar(0, 1)[0] + bar(0, 1)[1] <= 4 + room / 3


@pytest.mark.parametrize(("rows", "columns", "pages"), [(5, 2, 1), (120, 3, 3), (10, 60, 3)])
def test_a_pdf_has_every_number_once_its_title_and_numbered_pages(qapp, tmp_path, rows, columns, pages):
    import pypdf

    of = source(
        table(
            "T",
            {
                "a": [f"row {at % rows:03d}" for at in range(rows * columns)],
                "c": [f"col {at // rows:02d}" for at in range(rows * columns)],
                "v": [100_000 + at for at in range(rows * columns)],
            },
        )
    )
    report = fold(of, [measure("sum", "T.v")], [placed("T.a")], [placed("T.c")], row_total="off", column_total="off")
    save_report(report, tmp_path / "r.pdf", guard=OutputGuard())
    read = pypdf.PdfReader(tmp_path / "r.pdf")
    assert len(read.pages) == pages
    texts = [page.extract_text().replace("\t", " ") for page in read.pages]  # spaces are set as jumps
    whole = "\n".join(texts)
    for at in (0, 1, rows, rows * columns // 2, rows * columns - 1):
        assert whole.count(f"{100_000 + at:,}") == 1
    assert "test" in texts[0]
    assert all(f"page {number} of {len(texts)}" in text for number, text in enumerate(texts, 1))
    assert all("col" in text for text in texts)


def test_zoom_scales_everything_and_keeps_the_selection(driver, demo):
    driver.open(demo)
    grid = driver.workspace.grid
    driver.qtbot.mouseClick(grid.viewport(), Qt.MouseButton.LeftButton, pos=grid.cell_area(2, 1).center().toPoint())
    small = grid.geometry_of.row_height
    driver.key(Qt.Key.Key_Plus)
    assert grid.geometry_of.row_height > small
    assert (grid.marked.row, grid.marked.column) == (2, 1)
    driver.key(Qt.Key.Key_0)
    assert grid.geometry_of.row_height == small
    for _ in range(12):
        driver.key(Qt.Key.Key_Minus)
    assert grid.zoom == 0.5


def test_the_finder_offers_fields_that_links_reach_first_and_says_which_are_not_linked(driver, demo):
    driver.open(demo)
    finder = driver.workspace.sentence.open_finder("rows")
    shown = [finder.list.item(row).data(Qt.ItemDataRole.UserRole) for row in range(finder.list.count())]
    assert [choice.value.table for choice in shown][-1] == "Plan"
    assert shown[-1].detail == "Plan · not linked to this fold’s records"
    finder.line.setText("seg cust")
    assert [finder.list.item(row).text() for row in range(finder.list.count())] == ["Segment"]
    finder.close()


def test_the_field_list_is_searched_and_worked_by_keys(driver, demo):
    driver.open(demo)
    spine = driver.workspace.spine
    driver.act("Add a fold")
    driver.settle()
    driver.key(Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    driver.qtbot.keyClicks(spine.finding, "chan")
    model = spine.fields.model()
    assert [model.item(row).text() for row in range(model.rowCount())] == ["Order lines"]
    driver.press(spine.finding, Qt.Key.Key_Down)
    driver.press(spine.fields, Qt.Key.Key_Return)
    assert driver.words() == [("rows", "Channel")]
    spine.search()
    driver.press(spine.finding, Qt.Key.Key_Escape)
    assert model.rowCount() == 6
    driver.key(Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert driver.window.focusWidget() is spine.fields
