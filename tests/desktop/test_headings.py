"""Hands on the headings of the report: members selected, put in order, grouped and left out; headings carried; orders by a click; finding; renaming."""

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QPushButton

from foldbasket.desktop.grid import chosen, sorting
from foldbasket.desktop.grid.renaming import rename_here
from foldbasket.desktop.widgets.plain import MOST_SIGNS
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.selected import selected
from foldbasket.spec.field import FieldRef

LEFT, CONTROL, SHIFT, ALT = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
NONE = Qt.KeyboardModifier.NoModifier


class Hand:
    """A mouse over the headings of the demo's first report: sites within regions, quarters across, two measures."""

    def __init__(self, driver):
        self.driver, self.grid = driver, driver.workspace.grid

    @property
    def report(self):
        return self.driver.desk.report

    def row_of(self, name, place=1):
        left = self.report.left
        return next(
            at for at in range(self.report.height) if left.label(at, place) == name and left.kind[at] == Kind.MEMBER
        )

    def name(self, name, place=1):
        """The middle of a row's name."""
        at = self.grid.geometry_of
        area = self.grid.cell_area(self.row_of(name, place), 0)
        return QPoint(int(at.left + sum(at.head_widths[:place]) + 24), int(area.center().y()))

    def corner(self, place, share=0.3):
        at = self.grid.geometry_of
        x = at.left + sum(at.head_widths[:place]) + share * at.head_widths[place]
        return QPoint(int(x), int(at.head_height - 8))

    def over_column(self, column, line=0):
        at, area = self.grid.geometry_of, self.grid.cell_area(0, column)
        return QPoint(int(area.center().x()), int(sum(at.head_heights[:line]) + 30))

    def click(self, point, modifiers=NONE):
        self.driver.qtbot.mouseClick(self.grid.viewport(), LEFT, modifiers, point)
        self.driver.settle()

    def drag(self, start, end, *, drop=True):
        view = self.grid.viewport()
        self.driver.qtbot.mousePress(view, LEFT, NONE, start)
        for part in range(1, 6):
            point = QPointF(start + (end - start) * part / 5)
            event = QMouseEvent(
                QEvent.Type.MouseMove, point, view.mapToGlobal(point), Qt.MouseButton.NoButton, LEFT, NONE
            )
            QApplication.sendEvent(view, event)
        if drop:
            self.driver.qtbot.mouseRelease(view, LEFT, NONE, end)
            self.driver.settle()

    def key(self, key, modifiers=NONE):
        self.driver.press(self.grid, key, modifiers)

    @property
    def chosen(self):
        chosen = self.grid.hands.chosen
        return [each.label for each in chosen.members] if chosen is not None else []

    def order(self, place=1, count=None):
        left = self.report.left
        listed = [left.label(at, place) for at in range(self.report.height) if left.kind[at] == Kind.MEMBER]
        return list(dict.fromkeys(listed))[:count]

    def links(self):
        line = self.driver.workspace.facts.selection
        return {each.text(): each for each in line.findChildren(QPushButton) if not each.isHidden()}


@pytest.fixture
def hand(driver, demo):
    driver.open(demo)
    driver.window.resize(1600, 900)
    driver.settle()
    return Hand(driver)


def test_members_are_selected_by_click_control_shift_and_drag(hand):
    hand.click(hand.name("Alder Yard"))
    assert hand.chosen == ["Alder Yard"]
    assert hand.driver.desk.view.word == "site", "its field's card is shown"
    hand.click(hand.name("Reed Bay"), CONTROL)
    hand.click(hand.name("Drift House"), CONTROL)
    assert hand.chosen == ["Alder Yard", "Reed Bay", "Drift House"]
    hand.click(hand.name("Reed Bay"), CONTROL)
    assert hand.chosen == ["Alder Yard", "Drift House"]
    hand.click(hand.name("Heron Weir"), SHIFT)
    assert hand.chosen == ["Heron Weir", "Reed Bay"], "from the one that was touched last"
    hand.drag(hand.name("Cairn Field"), hand.name("Gull Bank"))
    assert hand.chosen == ["Cairn Field", "Peat Row", "Chalk Top", "Gull Bank"]
    hand.click(QPoint(hand.grid.cell_area(0, 0).center().toPoint()))
    assert hand.chosen == []
    assert hand.grid.marked is not None


def test_the_line_of_facts_says_what_the_selected_cells_come_to(hand):
    line = hand.driver.workspace.facts.selection
    assert line.isHidden()
    hand.click(hand.grid.cell_area(0, 0).center().toPoint())
    assert line.isHidden(), "one cell says what it is itself"
    hand.click(hand.grid.cell_area(2, 0).center().toPoint(), SHIFT)
    assert "sum of Net sales" in line.facts.text()
    assert selected(hand.report, range(3), range(1), (0, 0)).sum in line.facts.text()
    hand.key(Qt.Key.Key_Escape)
    assert line.isHidden()
    assert hand.driver.workspace.facts.kept.isVisible()


def test_selected_members_are_kept_left_out_and_undone(hand):
    before = hand.driver.table()
    hand.click(hand.name("Alder Yard"))
    hand.click(hand.name("Reed Bay"), SHIFT | CONTROL)
    hand.click(hand.name("Reed Bay"), CONTROL)
    hand.click(hand.name("Reed Bay"), CONTROL)
    hand.driver.qtbot.mouseClick(hand.links()["Keep only"], LEFT)
    hand.driver.settle()
    assert set(hand.order()) == {"Alder Yard", "Drift House", "Sluice Lane", "Heron Weir", "Reed Bay"} & set(
        hand.chosen
    )
    hand.driver.act("Undo")
    hand.driver.settle()
    assert hand.driver.table() == before
    hand.click(hand.name("Alder Yard"))
    hand.key(Qt.Key.Key_Delete)
    assert "Alder Yard" not in hand.order()


def test_members_are_grouped_under_a_name_and_taken_apart(hand):
    hand.click(hand.name("Alder Yard"))
    hand.click(hand.name("Sluice Lane"), CONTROL)
    hand.driver.key(Qt.Key.Key_G)
    assert hand.driver.question().line.text() == "Alder Yard and Sluice Lane"
    hand.driver.answer("Group", "Fen sites")
    assert hand.order(count=2) == ["Drift House", "Fen sites"]
    hand.click(hand.name("Fen sites"))
    assert "Take apart" in hand.links()
    hand.driver.key(Qt.Key.Key_G, CONTROL | ALT)
    assert "Fen sites" not in hand.order()
    assert "Alder Yard" in hand.order()


def test_a_member_is_dragged_to_another_place_within_its_parent(hand):
    hand.click(hand.name("Sluice Lane"))
    start = hand.name("Alder Yard")
    hand.drag(hand.name("Sluice Lane"), start - QPoint(0, 8))
    assert hand.order(count=3) == ["Sluice Lane", "Alder Yard", "Drift House"]
    assert hand.driver.desk.fold.rows[1].first == ("Sluice Lane",)
    assert hand.chosen == ["Sluice Lane"], "it stays selected"
    other = hand.name("Reed Bay")
    hand.drag(hand.name("Sluice Lane"), other)
    assert hand.order(count=3) == ["Sluice Lane", "Alder Yard", "Drift House"], "another region's sites are not its own"
    assert len(hand.driver.desk.fold.rows) == 2


def test_more_members_than_can_be_put_in_order_by_hand_are_told_of(hand, monkeypatch):
    monkeypatch.setattr(chosen, "MOST_LINES", 2)
    hand.click(hand.name("Sluice Lane"))
    hand.key(Qt.Key.Key_Up, ALT)
    hand.drag(hand.name("Sluice Lane"), hand.name("Alder Yard"))
    for error in hand.driver.errors:
        assert "members stand side by side, of which 2 can be put in order by hand" in str(error)
    assert len(hand.driver.errors) == 2
    hand.driver.errors.clear()
    assert hand.driver.desk.fold.rows[1].first == ()


def test_a_drag_is_given_up_with_escape(hand):
    hand.click(hand.name("Sluice Lane"))
    hand.drag(hand.name("Sluice Lane"), hand.name("Alder Yard"), drop=False)
    assert hand.grid.hands.landing.said in ("Sluice Lane after Alder Yard", "Sluice Lane before Alder Yard")
    hand.key(Qt.Key.Key_Escape)
    hand.driver.qtbot.mouseRelease(hand.grid.viewport(), LEFT, NONE, hand.name("Alder Yard"))
    hand.driver.settle()
    assert hand.driver.desk.fold.rows[1].first == ()


def test_headings_are_carried_to_another_level_the_other_axis_and_out(hand):
    hand.drag(hand.corner(0), hand.corner(1, 0.8))
    assert [word.id for word in hand.driver.desk.fold.rows] == ["site", "region"]
    hand.driver.act("Undo")
    hand.driver.settle()
    hand.drag(hand.corner(1), hand.over_column(3))
    assert [word.id for word in hand.driver.desk.fold.columns] == ["quarter", "site"]
    hand.driver.act("Undo")
    hand.driver.settle()
    quarter = hand.over_column(0)
    hand.click(quarter)
    assert hand.driver.desk.view.word == "quarter"
    hand.drag(quarter, hand.name("Heron Weir", 1) - QPoint(60, 0))
    assert [word.id for word in hand.driver.desk.fold.rows] == ["region", "site", "quarter"]
    hand.driver.act("Undo")
    hand.driver.settle()
    hand.drag(hand.corner(0), QPoint(hand.corner(0).x(), -40))
    assert [word.id for word in hand.driver.desk.fold.rows] == ["site"]


def test_members_of_a_field_that_goes_to_another_level_are_selected_no_more(hand):
    hand.click(hand.name("Reed Bay"))
    hand.driver.desk.words.remove("region")
    hand.driver.settle()
    assert hand.chosen == []
    hand.click(hand.name("Reed Bay", 0))
    hand.driver.act("Undo")
    hand.driver.settle()
    assert hand.chosen == []
    assert hand.driver.errors == []


def test_members_of_the_inner_columns_are_selected_beside_names_in_one_column(hand):
    hand.driver.desk.words.remove("region")
    hand.driver.desk.words.move("site", "columns")
    hand.driver.settle()
    assert len(hand.report.left.places) < 2
    assert hand.grid.hands.go_to(False, 1, 0)
    assert hand.grid.hands.chosen.place == 1
    hand.grid.viewport().repaint()
    assert hand.driver.errors == []


def test_measures_are_carried_among_each_other_and_to_the_rows(hand):
    at = hand.grid.geometry_of
    cost, net = hand.over_column(1), hand.over_column(0)
    low = int(at.head_height - 8)
    hand.drag(QPoint(cost.x(), low), QPoint(net.x() - 25, low))
    assert [each.id for each in hand.driver.desk.fold.measures] == ["cost", "net"]
    hand.drag(QPoint(cost.x(), low), hand.name("Heron Weir"))
    assert hand.driver.desk.fold.measures_on == "rows"


def test_the_headings_are_worked_by_keys_alone(hand):
    hand.grid.take_keyboard()
    hand.key(Qt.Key.Key_Left)
    assert hand.chosen == ["Alder Yard"]
    hand.key(Qt.Key.Key_Down, ALT)
    assert hand.order(count=3) == ["Drift House", "Alder Yard", "Sluice Lane"]
    hand.key(Qt.Key.Key_Down, SHIFT)
    assert hand.chosen == ["Alder Yard", "Sluice Lane"]
    hand.key(Qt.Key.Key_Up, ALT)
    assert hand.order(count=3) == ["Alder Yard", "Sluice Lane", "Drift House"]
    hand.key(Qt.Key.Key_Down, CONTROL)
    hand.key(Qt.Key.Key_Down, CONTROL)
    hand.key(Qt.Key.Key_Space, CONTROL)
    assert hand.chosen[:2] == ["Alder Yard", "Sluice Lane"]
    assert len(hand.chosen) == 3
    hand.key(Qt.Key.Key_Left)
    assert hand.driver.desk.view.word == "region"
    region = hand.chosen
    hand.key(Qt.Key.Key_Minus)
    assert Kind.CLOSED in hand.report.left.kind.tolist()
    hand.key(Qt.Key.Key_Plus)
    assert Kind.CLOSED not in hand.report.left.kind.tolist()
    hand.key(Qt.Key.Key_Return)
    assert Kind.CLOSED in hand.report.left.kind.tolist()
    hand.key(Qt.Key.Key_Return)
    assert hand.chosen == region
    hand.key(Qt.Key.Key_Right)
    hand.key(Qt.Key.Key_Right)
    assert hand.chosen == []
    assert hand.grid.marked is not None
    hand.grid.show_cell(0, 2)
    hand.key(Qt.Key.Key_Up)  # onto the name of the measure
    hand.key(Qt.Key.Key_Up)
    assert hand.chosen == ["Q1 2026"]
    hand.key(Qt.Key.Key_Right, ALT)
    assert [hand.report.top.label(at, 0) for at in (0, 2, 4)] == ["Q4 2025", "Q2 2026", "Q1 2026"]
    hand.key(Qt.Key.Key_Down)
    assert hand.grid.hands.measure.word == "net"
    hand.key(Qt.Key.Key_Down)
    assert (hand.grid.marked.row, hand.grid.marked.column) == (0, 4)


def test_the_names_of_measures_are_worked_by_keys_alone(hand):
    grid, desk = hand.grid, hand.driver.desk
    grid.show_cell(0, 3)
    hand.key(Qt.Key.Key_Up)
    assert (grid.hands.measure.word, desk.view.word, grid.marked) == ("cost", "cost", None)
    assert grid.hands.area().contains(QPointF(hand.over_column(3, line=1)))
    hand.key(Qt.Key.Key_Left)
    assert (grid.hands.measure.word, grid.hands.measure.at) == ("net", 2)
    hand.key(Qt.Key.Key_Right, ALT)
    assert [each.id for each in desk.fold.measures] == ["cost", "net"]
    assert (grid.hands.measure.word, grid.hands.measure.at) == ("net", 3), "the keyboard stays on what was moved"
    hand.key(Qt.Key.Key_Right, ALT)
    assert [each.id for each in desk.fold.measures] == ["cost", "net"], "there is none behind it"
    hand.key(Qt.Key.Key_F2)
    line = QApplication.focusWidget()
    hand.driver.qtbot.keyClicks(line, "Turnover")
    hand.driver.press(line, Qt.Key.Key_Return)
    assert desk.fold.measures[1].heading == "Turnover"
    grid.setFocus()
    hand.key(Qt.Key.Key_Delete)
    assert [each.id for each in desk.fold.measures] == ["cost"]
    assert grid.hands.measure is None, "a single measure is not named"
    hand.driver.key(Qt.Key.Key_Z)
    grid.show_cell(0, 0)
    hand.key(Qt.Key.Key_Up)
    hand.key(Qt.Key.Key_Escape)
    assert grid.hands.measure is None


def test_a_key_for_members_means_nothing_while_none_is_selected(hand):
    hand.grid.take_keyboard()
    hand.key(Qt.Key.Key_Left)
    hand.key(Qt.Key.Key_Space, CONTROL)
    assert hand.chosen == []
    before = hand.driver.desk.fold
    hand.key(Qt.Key.Key_Down, ALT)
    assert hand.driver.desk.fold == before


def test_rows_are_ordered_by_a_column_with_one_click(hand):
    def arrows():
        return [each for each in sorting.orders_in_view(hand.grid.in_view) if each.by is not None]

    def values():
        report = hand.report
        return [report.value(at, 0) for at in range(report.height) if report.left.kind[at] == Kind.SUBTOTAL]

    hand.click(arrows()[0].area.center().toPoint())
    assert values() == sorted(values(), reverse=True)
    hand.click(arrows()[0].area.center().toPoint())
    assert values() == sorted(values())
    hand.click(arrows()[0].area.center().toPoint())
    assert hand.order(0) == sorted(hand.order(0))
    hand.grid.show_cell(0, 1)
    hand.driver.act("Order rows by the column at the mark")
    hand.driver.settle()
    assert hand.driver.desk.fold.rows[0].by.measure == "cost"
    hand.driver.act("Order columns by the row at the mark")
    hand.driver.settle()
    assert hand.driver.desk.fold.columns[0].by is not None


def test_a_hand_order_takes_the_place_of_an_order_by_value(hand):
    hand.click(sorting.orders_in_view(hand.grid.in_view)[2].area.center().toPoint())
    order = hand.order(0)
    hand.click(hand.name(order[2], 0))
    hand.key(Qt.Key.Key_Up, ALT)
    assert hand.order(0) == [order[0], order[2], order[1], *order[3:]]


def test_something_is_found_in_the_report_by_keys(hand):
    hand.driver.key(Qt.Key.Key_F)
    finding = hand.driver.workspace.finding
    hand.driver.qtbot.keyClicks(finding.line, "bay")
    hand.driver.settle()
    hand.driver.qtbot.waitUntil(lambda: finding.said.text() == "1 of 1", timeout=5_000)
    assert hand.chosen == ["Reed Bay"]
    finding.line.selectAll()
    hand.driver.qtbot.keyClicks(finding.line, hand.report.text(2, 3).replace(",", ""))
    hand.driver.qtbot.waitUntil(lambda: hand.grid.marked is not None, timeout=5_000)
    assert hand.report.text(hand.grid.marked.row, hand.grid.marked.column) == hand.report.text(2, 3)
    finding.line.selectAll()
    hand.driver.qtbot.keyClicks(finding.line, "no such thing")
    hand.driver.qtbot.waitUntil(lambda: finding.said.text() == "nothing found", timeout=5_000)
    hand.driver.press(finding.line, Qt.Key.Key_Escape)
    assert not finding.isVisible()
    assert hand.driver.window.focusWidget() is hand.grid


def test_what_was_found_in_a_report_that_went_leads_nowhere(hand):
    hand.driver.key(Qt.Key.Key_F)
    finding = hand.driver.workspace.finding
    hand.driver.qtbot.keyClicks(finding.line, "1")
    hand.driver.qtbot.waitUntil(lambda: len(finding.spots) > 20, timeout=5_000)
    for word in ("quarter", "site"):  # fewer columns and rows than the places that were found
        hand.driver.desk.words.remove(word)
    hand.driver.qtbot.waitUntil(lambda: not hand.driver.desk.busy and hand.report.width < 4, timeout=5_000)
    for _ in range(30):  # Enter, while the new report is looked through and after it
        hand.driver.press(finding.line, Qt.Key.Key_Return)
    hand.driver.qtbot.waitUntil(lambda: " of " in finding.said.text(), timeout=5_000)
    assert all(spot.row < hand.report.height and spot.column < hand.report.width for spot in finding.spots)
    assert hand.driver.errors == []


def test_a_heading_is_renamed_where_it_stands(hand):
    hand.driver.desk.select_word("net")
    hand.driver.act("Rename the selected word")
    line = hand.grid.viewport().findChild(QLineEdit, "inPlace")
    hand.driver.qtbot.keyClicks(line, "Takings")
    hand.driver.press(line, Qt.Key.Key_Return)
    assert hand.report.measures[0].heading == "Takings"
    hand.driver.qtbot.mouseDClick(hand.grid.viewport(), LEFT, NONE, hand.corner(0))
    line = next(each for each in hand.grid.viewport().findChildren(QLineEdit, "inPlace") if each.isVisible())
    hand.driver.qtbot.keyClicks(line, "Area")
    hand.driver.press(line, Qt.Key.Key_Escape)
    assert hand.report.rows.heads[0].heading == "Region"


def test_a_click_on_a_heading_of_a_field_that_is_gone_is_told(hand):
    entered, gate = hand.driver.hold_folds()
    arrow = next(each for each in sorting.orders_in_view(hand.grid.in_view) if each.by is not None)
    for word in ("region", "site"):
        hand.driver.desk.words.remove(word)
    entered.wait(5)
    hand.driver.qtbot.mouseClick(hand.grid.viewport(), LEFT, NONE, arrow.area.center().toPoint())
    assert "no word" in str(hand.driver.errors[0])
    gate.set()
    hand.driver.settle()


def test_a_heading_being_typed_of_a_field_that_leaves_the_axes_is_given_up(hand):
    desk = hand.driver.desk
    word = desk.fold.rows[0].id
    desk.select_word(word)
    line = rename_here(desk, hand.grid)
    line.setText("Yard")
    desk.words.move(word, "filters")
    line.finish(keep=True)
    assert desk.problem is None
    assert all(each.id != word for each in (*desk.fold.rows, *desk.fold.columns))
    desk.undo()
    assert desk.fold.rows[0].heading is None


@pytest.mark.parametrize("spaces", [False, True])
@pytest.mark.parametrize("letters", [20_000, 100_000])
def test_a_click_on_a_very_long_heading_gives_qt_no_more_than_it_draws(driver, tmp_path, monkeypatch, letters, spaces):
    """Qt shapes all of a label's text at each question for its size: a click on such a heading held the window for seconds."""
    name = "".join(chr(97 + at % 26) + (" " if spaces and at % 9 == 8 else "") for at in range(letters))
    (tmp_path / "d.csv").write_text(f"Name,Net\n{name},1\nb,2\nc,3\n")
    driver.open(tmp_path / "d.csv")
    key = driver.desk.basket.sources[0].key
    driver.desk.words.place(FieldRef(key, "Net"), "measures")
    driver.desk.words.place(FieldRef(key, "Name"), "rows")
    driver.settle()
    grid = driver.workspace.grid
    spots = [QPointF(60, y) for y in range(30, 400, 6)]
    spot = next(each for each in spots if (under := grid.margin_at(each)) is not None and under[1] is not None)
    driver.qtbot.mouseClick(grid.viewport(), Qt.MouseButton.LeftButton, pos=spot.toPoint())
    driver.settle()
    assert grid.hands.chosen is not None
    longest = max(len(label.text()) for label in driver.window.findChildren(QLabel) if label.isVisible())
    assert longest <= MOST_SIGNS + 1
