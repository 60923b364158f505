"""The chart in the window: chosen, pointed at, tied to grid and Proof, members kept by a drag, sizes kept in the basket; by mouse and by keys."""

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QPushButton

from foldbasket.baskets.files import open_basket
from foldbasket.charts.kinds.blocks import Columns
from foldbasket.charts.kinds.lines import Lines
from foldbasket.folding.filters.members import Members
from foldbasket.spec.chart import Beside
from tests.desktop.test_looks import choose


@pytest.fixture
def charted(driver, demo):
    driver.open(demo)
    driver.act("Chart")
    drawn(driver)
    return driver


def drawn(driver):
    driver.settle()
    driver.qtbot.waitUntil(lambda: not driver.desk.charts.busy and driver.desk.charts.last is not None, timeout=10_000)
    driver.settle()
    return driver.workspace.room.chart


def chip(driver, text):
    body = driver.workspace.card.at_once().body
    found = next(each for each in body.findChildren(QPushButton) if each.text() == text and each.isVisibleTo(body))
    driver.qtbot.mouseClick(found, Qt.MouseButton.LeftButton)
    drawn(driver)


def middle(mark):
    return QPointF((mark.box[0] + mark.box[2]) / 2, (mark.box[1] + mark.box[3]) / 2)


def test_a_chart_is_drawn_with_its_reason_and_another_kind_is_chosen_and_undone(charted):
    before = charted.desk.basket
    chart = charted.workspace.room.chart
    assert chart.shown.picture is not None
    assert "Lines: Net sales, thousand" in chart.accessibleDescription()
    said = [each.text() for each in charted.workspace.card.at_once().body.findChildren(QLabel)]
    assert any("a time axis and five lines" in each for each in said)
    chip(charted, "columns")
    assert charted.desk.fold.chart.drawn == Columns()
    assert len(chart.shown.picture.marks) == 20
    chip(charted, "parts")
    assert "parts cannot be told apart" in str(chart.shown.problem)
    assert chart.accessibleDescription() == str(chart.shown.problem)
    while charted.desk.basket is not before:
        charted.desk.undo()
    drawn(charted)
    charted.desk.undo()
    charted.settle()
    assert charted.desk.fold.chart is None
    assert not charted.workspace.room.has_chart
    assert charted.workspace.grid.isVisible()


def test_small_charts_for_each_member_of_a_field(charted):
    charted.unfold("What it shows")
    choose(charted, "A chart for each", "Region")
    chart = drawn(charted)
    assert [panel.name for panel in chart.shown.figures.panels] == [
        "Eastfen",
        "Midmarsh",
        "Northmoor",
        "Southcliff",
        "Westholt",
    ]


def test_a_click_marks_the_cell_and_a_cell_marks_the_chart_and_a_double_click_proves(charted):
    chip(charted, "columns")
    chart, grid = charted.workspace.room.chart, charted.workspace.grid
    mark = chart.shown.picture.marks[7]
    charted.qtbot.mouseClick(chart, Qt.MouseButton.LeftButton, pos=middle(mark).toPoint())
    row, column = grid.marked.row, grid.marked.column
    report = charted.desk.report
    assert report.value(row, column) == chart.shown.figures.report.exact(*mark.cell)
    assert chart.marked == mark
    other = chart.shown.picture.marks[3]
    grid.show_cell(*chart.cell_of(other))
    assert chart.marked == other
    QTest.mouseDClick(chart, Qt.MouseButton.LeftButton, pos=middle(mark).toPoint())
    charted.settle()
    assert charted.workspace.proof.isVisible()
    assert (grid.marked.row, grid.marked.column) == (row, column)


def test_a_drag_over_members_keeps_only_these_and_is_undone(charted):
    chip(charted, "columns")
    chart = charted.workspace.room.chart
    before = charted.desk.basket
    first = [mark for mark in chart.shown.picture.marks if mark.place <= 1]
    left, right = min(mark.box[0] for mark in first), max(mark.box[2] for mark in first)
    bottom = max(mark.box[3] for mark in first)
    QTest.mousePress(chart, Qt.MouseButton.LeftButton, pos=QPointF(left - 4, bottom - 1).toPoint())
    for step in range(1, 9):
        QTest.mouseMove(chart, QPointF(left + (right - left + 6) * step / 8, bottom - 30).toPoint())
    QTest.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=QPointF(right + 2, bottom - 30).toPoint())
    drawn(charted)
    rule = charted.desk.fold.filters[-1]
    assert isinstance(rule, Members)
    assert rule.members == ("2025-Q4", "2026-Q1")
    assert chart.shown.figures.labels == ("Q4 2025", "Q1 2026")
    charted.desk.undo()
    drawn(charted)
    assert charted.desk.basket is before
    assert len(chart.shown.figures.labels) == 4


def test_everything_by_keys(charted):
    chart = charted.workspace.room.chart
    charted.act("Into the chart")
    assert chart.hasFocus()
    QTest.keyClick(chart, Qt.Key.Key_Right)
    first = chart.marked
    QTest.keyClick(chart, Qt.Key.Key_Right)
    assert (chart.marked.series, chart.marked.place) == (first.series, first.place + 1)
    QTest.keyClick(chart, Qt.Key.Key_Down)
    assert chart.marked.series == first.series + 1
    assert chart.words_of(chart.marked).replace("\n", ": ") == chart.accessibleDescription()
    QTest.keyClick(chart, Qt.Key.Key_Return)
    charted.settle()
    assert charted.workspace.proof.isVisible()
    chart.setFocus()
    QTest.keyClick(chart, Qt.Key.Key_Space)
    drawn(charted)
    assert charted.desk.fold.filters[-1].members == ("2026-Q1",)
    assert "needs two places" in str(chart.shown.problem) or chart.shown.picture is not None


def test_it_takes_what_the_grid_leaves_until_it_is_given_a_size(charted):
    room, grid, desk = charted.workspace.room, charted.workspace.grid, charted.desk
    assert abs(room.sizes()[0] - room.height() / 2) < 3, "of a long report half is seen"
    desk.show_fold(next(each.key for each in desk.basket.folds if each.name == "Channels and segments"))
    charted.act("Chart")
    drawn(charted)
    wanted = grid.wanted().height()
    assert wanted < room.height() / 2
    assert abs(grid.height() - max(wanted, room.height() / 4)) < 3
    edge = room.sizes()
    desk.words.remove(desk.fold.rows[-1].id)
    drawn(charted)
    assert room.sizes() == edge, "it does not jump with every change"
    desk.change_chart("Size of the chart", share=0.6)
    drawn(charted)
    assert abs(room.sizes()[1] / sum(room.sizes()) - 0.6) < 0.01


def test_where_it_stands_and_how_large_is_kept_in_the_basket(charted, tmp_path):
    room = charted.workspace.room
    charted.act("Put the chart beside, under or in place of the grid")
    drawn(charted)
    assert charted.desk.fold.chart.place is Beside.BESIDE
    assert room.orientation() == Qt.Orientation.Horizontal
    room.setSizes([300, 500])
    room.splitterMoved.emit(300, 1)
    charted.qtbot.waitUntil(lambda: charted.desk.fold.chart.share is not None, timeout=3_000)
    share = charted.desk.fold.chart.share
    charted.act("Put the chart beside, under or in place of the grid")
    drawn(charted)
    assert not charted.workspace.grid.isVisible()
    charted.qtbot.mouseClick(charted.workspace.facts.to_grid, Qt.MouseButton.LeftButton)
    drawn(charted)
    assert charted.workspace.grid.isVisible()
    path = tmp_path / "charted.basket"
    charted.desk.files.save(path, with_data=True, replace=True)
    charted.settle()
    kept = open_basket(path).basket.folds[0].chart
    assert (kept.place, kept.share) == (Beside.UNDER, share)


def test_it_follows_the_report_and_goes_with_another_fold(charted):
    chart = charted.workspace.room.chart
    charted.desk.show_fold(charted.desk.basket.folds[1].key)
    charted.settle()
    assert not charted.workspace.room.has_chart
    charted.desk.show_fold(charted.desk.basket.folds[0].key)
    charted.settle()
    charted.desk.words.turn()
    drawn(charted)
    assert chart.shown.figures.labels[0] == "Q4 2025"
    measure = charted.desk.fold.measures[0].id
    charted.desk.change_chart("Measure", measure=measure, drawn=Lines())
    drawn(charted)
    charted.desk.words.remove(measure)
    drawn(charted)
    assert charted.desk.fold.chart.measure is None
    assert chart.shown.picture.said.startswith("Lines: Cost")


def test_it_is_copied_as_a_picture(charted):
    charted.act("Copy the chart as a picture")
    image = QGuiApplication.clipboard().image()
    chart = charted.workspace.room.chart
    assert abs(image.width() - chart.width() * chart.devicePixelRatioF()) <= 2


def test_what_a_right_click_offers(charted):
    chart = charted.workspace.room.chart
    mark = chart.shown.picture.marks[0]
    menu = charted.workspace.menu_over_chart(mark, chart.mapToGlobal(middle(mark).toPoint()))
    said = [each.text() for each in menu.actions()]
    assert said[:3] == ["Proof of this cell", "Keep only Q4 2025", "Leave Q4 2025 out"]
    menu.close()
    menu.actions()[2].trigger()
    drawn(charted)
    assert charted.desk.fold.filters[-1].exclude


def test_it_turns_dark_with_the_window(charted):
    from foldbasket.desktop.widgets import theme

    chart = charted.workspace.room.chart
    light = chart.grab().toImage().pixelColor(4, 4).lightness()
    try:
        theme.wear("dark")
        charted.window.renew_colours()
        drawn(charted)
        dark = chart.grab().toImage()
        assert dark.pixelColor(4, 4).lightness() < 80 < light
        middle_of = chart.shown.picture.canvas.inks.ink
        assert middle_of == charted.desk.report.style.dark.ink
    finally:
        theme.wear("desktop")


def test_the_card_keeps_saying_which_kind_is_drawn_while_only_its_place_changes(charted):
    charted.desk.change_chart("Move the chart", place=Beside.BESIDE)
    drawn(charted)
    body = charted.workspace.card.at_once().body
    chosen = [each.text() for each in body.findChildren(QPushButton) if each.isChecked()]
    assert "lines" in chosen
    assert any("a time axis and five lines" in each.text() for each in body.findChildren(QLabel))
