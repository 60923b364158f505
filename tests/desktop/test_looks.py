"""How the report looks, set in the window: numbers by form, highlights on a drawing, styles, layout, widths; all of it undone."""

import pytest
from babel.numbers import format_decimal
from PyQt6.QtCore import QModelIndex, QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QLineEdit, QMenu, QPushButton

from foldbasket import faults
from foldbasket.baskets import edits
from foldbasket.baskets.edits import PutHighlight
from foldbasket.desktop.card.controls import Chooser, SectionHead
from foldbasket.desktop.card.handlist import HandList
from foldbasket.desktop.card.number import forms_of
from foldbasket.desktop.card.span import SpanDrawing
from foldbasket.desktop.grid.geometry import EDGE, WRAPPED, Geometry
from foldbasket.desktop.grid.seen import View
from foldbasket.desktop.shell.settings import SettingsDialog
from foldbasket.folding.dress.conditions.ends import AmongBottom, AmongTop
from foldbasket.folding.dress.conditions.thresholds import AtLeast
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.dress.forms.marks import Ground, Ink
from foldbasket.folding.engine import Engine
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold
from foldbasket.spec.look import Highlight, Layout, ReportLook
from foldbasket.styling.styles import Colour
from tests.folding.build import measure, placed, source, table


@pytest.fixture
def net(driver, demo):
    """The window on the demo, with the card of Net sales."""
    driver.open(demo)
    driver.desk.select_word("net")
    return driver


def press(driver, text):
    body = driver.workspace.card.body
    button = next(each for each in body.findChildren(QPushButton) if each.text() == text and each.isVisibleTo(body))
    driver.qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    driver.settle()


def choose(driver, name, text):
    body = driver.workspace.card.body
    chooser = next(
        each for each in body.findChildren(Chooser) if each.accessibleName() == name and each.isVisibleTo(body)
    )
    at = next(at for at in range(chooser.count()) if chooser.itemText(at).startswith(text))
    chooser.setCurrentIndex(at)
    chooser.activated.emit(at)
    driver.settle()


def type_into(driver, name, text):
    body = driver.workspace.card.body
    line = next(
        each for each in body.findChildren(QLineEdit) if each.accessibleName() == name and each.isVisibleTo(body)
    )
    line.setFocus()
    line.selectAll()
    driver.qtbot.keyClicks(line, text)
    driver.qtbot.keyClick(line, Qt.Key.Key_Return)
    driver.settle()


def states(driver):
    return {each.title: each.head.state for each in driver.workspace.card.body.sections}


def test_the_card_shows_how_each_section_stands_and_opens_one_at_a_time(net):
    assert states(net)["Summarise"] == "Sum"
    assert states(net)["Compare"] == "not at all"
    assert states(net)["Highlights"] == "none"
    assert states(net)["Place"] == "first measure"
    net.unfold("Number")
    opened = [
        each.title for each in net.workspace.card.body.sections if each.inner.isVisibleTo(net.workspace.card.body)
    ]
    assert opened == ["Number"]
    net.desk.select_word("cost")
    opened = [
        each.title for each in net.workspace.card.body.sections if each.inner.isVisibleTo(net.workspace.card.body)
    ]
    assert opened == ["Number"], "the next card opens what was opened last"
    head = next(each for each in net.workspace.card.body.findChildren(SectionHead) if each.title == "Number")
    head.setFocus()
    QTest.keyClick(head, Qt.Key.Key_Return)
    assert not any(each.head.isChecked() for each in net.workspace.card.body.sections)


def test_a_highlight_is_made_moved_on_its_drawing_given_another_form_and_undone(net):
    before = net.desk.basket
    net.unfold("Highlights")
    press(net, "Add a highlight")
    (made,) = net.desk.fold.look.highlights
    assert states(net)["Highlights"] == "1"
    (drawing,) = net.workspace.card.body.findChildren(SpanDrawing)
    drawing.setFocus()
    QTest.keyClick(drawing, Qt.Key.Key_Right)
    net.settle()
    moved = net.desk.fold.look.highlights[0]
    assert float(moved.when.value) > float(made.when.value)
    type_into(net, "this", "120000")
    marked = Dressed(net.desk.report).lit[0]
    assert marked.count == sum(
        net.desk.report.exact(0, row, line) >= 120_000
        for row in range(len(net.desk.report.rows)) if net.desk.report.rows.kind[row] not in (1, 2)
        for line in range(len(net.desk.report.columns)) if net.desk.report.columns.kind[line] not in (1, 2)
        if net.desk.report.exact(0, row, line) is not None
    )  # fmt: skip
    folds = net.desk.engine.ran["frame"]
    press(net, "bar")
    choose(net, "When it is", "any")
    choose(net, "Among", "each column")
    press(net, "totals too")
    now = net.desk.fold.look.highlights[0]
    assert (type(now.form).__name__, type(now.when).__name__, now.within, now.totals) == (
        "Bar",
        "Always",
        "column",
        True,
    )
    assert net.desk.engine.ran["frame"] == folds, "a look is not folded for"
    press(net, "Take this highlight out")
    assert net.desk.fold.look.highlights == ()
    while net.desk.history.undoable:
        net.desk.undo()
    net.settle()
    assert net.desk.basket == before


def test_numbers_are_picked_by_what_they_make_of_the_reports_own(net):
    net.unfold("Number")
    press(net, "one more")
    assert net.desk.fold.measures[0].number.pattern == "#,##0.0"
    assert "." in net.table()[0][3]
    press(net, "one fewer")
    assert net.desk.fold.measures[0].number.pattern == "#,##0"
    choose(net, "Negatives", "brackets, in plain ink")
    assert (net.desk.fold.measures[0].number.negatives, net.desk.fold.measures[0].number.red) == ("parentheses", False)
    choose(net, "Zero", "nil")
    assert net.desk.fold.measures[0].number.zero == "nil"


def test_style_layout_title_and_notes_are_set_on_the_card_of_the_report(net):
    net.desk.select_word(None)
    net.unfold("Report's style")
    press(net, "Newsprint")
    assert net.desk.report.style.key == "newsprint"
    assert states(net)["Report's style"] == "Newsprint"
    press(net, "Wear it in every fold that has no style of its own")
    assert net.desk.basket.style == "newsprint"
    net.unfold("Layout")
    choose(net, "Row names", "indented")
    assert [net.workspace.grid.geometry_of.sheet.row_head(row, repeat=False) for row in range(2)] == [
        ["Eastfen"],
        ["Alder Yard"],
    ]
    choose(net, "Between groups", "nothing")
    net.unfold("Title and notes")
    type_into(net, "Title", "Sales of the quarter")
    type_into(net, "Note 1", "Freight is not in it.")
    assert net.desk.report.title == "Sales of the quarter"
    assert net.desk.report.look.notes == ("Freight is not in it.",)
    type_into(net, "Note 1", " ")
    assert net.desk.report.look.notes == ()


def test_an_edge_of_a_heading_is_dragged_and_fitted_by_a_double_click(net):
    grid = net.workspace.grid
    at = grid.geometry_of
    x, y = int(at.heads_width + at.column_edges[1]), int(at.head_height - 8)
    wide = float(at.column_edges[1])
    viewport = grid.viewport()
    QTest.mousePress(viewport, Qt.MouseButton.LeftButton, pos=QPoint(x, y))
    QTest.mouseMove(viewport, QPoint(x + 40, y))
    QTest.mouseRelease(viewport, Qt.MouseButton.LeftButton, pos=QPoint(x + 40, y))
    net.settle()
    now = grid.geometry_of
    assert abs(float(now.column_edges[1]) - wide - 40) <= 2
    assert abs(float(now.column_edges[3] - now.column_edges[2]) - wide - 40) <= 2, "all columns of a measure are alike"
    rows = int(now.left + EDGE + now.head_widths[0])
    QTest.mousePress(viewport, Qt.MouseButton.LeftButton, pos=QPoint(rows, y))
    QTest.mouseMove(viewport, QPoint(rows + 30, y))
    QTest.mouseRelease(viewport, Qt.MouseButton.LeftButton, pos=QPoint(rows + 30, y))
    net.settle()
    assert {each.word for each in net.desk.fold.look.widths} == {"net", "region"}
    x = int(grid.geometry_of.heads_width + grid.geometry_of.column_edges[1])
    QTest.mouseDClick(viewport, Qt.MouseButton.LeftButton, pos=QPoint(x, y))
    net.settle()
    assert {each.word for each in net.desk.fold.look.widths} == {"region"}
    net.desk.words.turn()
    net.settle()
    assert {each.word for each in net.desk.fold.look.widths} == {"region"}


def test_the_look_of_a_member_and_of_a_kind_of_line_is_said_on_their_cards(net):
    grid = net.workspace.grid
    net.workspace.menu_over_grid(member_point(grid, "Midmarsh"), grid.mapToGlobal(QPoint(0, 0)))
    menu = next(
        each
        for each in grid.window().findChildren(QMenu)
        if any("Look of Midmarsh" in a.text() for a in each.actions())
    )
    next(each for each in menu.actions() if "Look of Midmarsh" in each.text()).trigger()
    menu.close()
    net.settle()
    assert net.desk.view.word == "region"
    choose(net, "Ground", "moss")
    choose(net, "Weight", "bold")
    at = grid.geometry_of
    row = next(row for row in range(net.desk.report.height) if net.desk.report.rows.label(row, 0) == "Midmarsh")
    style = at.dressed.style_of(row, 0)
    assert style.bold
    assert style.ground == at.dressed.inks.marks["moss"][1]
    assert "1 said" in states(net)["Look"]
    press(net, "As the style again")
    assert net.desk.fold.look.said == ()
    net.desk.select_word(None)
    net.unfold("Lines")
    press(net, "grand total")
    choose(net, "Rule below", "thick")
    last = net.desk.report.height - 1
    assert grid.geometry_of.dressed.style_of(last, 0).below == "thick"


def member_point(grid, label):
    """A point over the name of a member at the left."""
    at = grid.geometry_of
    report = at.report
    row = next(row for row in range(report.height) if report.rows.label(row, 0) == label)
    return QPointF(at.left + 20, at.head_height + float(at.line_tops[row]) + 5)


def test_a_style_of_ones_own_is_made_changed_kept_and_taken_in_another_basket(net, demo):
    from foldbasket.desktop import memory

    net.desk.select_word(None)
    net.unfold("Report's style")
    press(net, "A style of my own from Ledger")
    (own,) = net.desk.basket.styles
    assert (net.desk.report.style, net.desk.fold.look.style) == (own, own.key)
    type_into(net, "Called", "House")
    type_into(net, "Ink", "c8c0b0")
    assert net.desk.report.style.light.ink == "#C8C0B0"
    assert any("contrast" in each.text() for each in net.workspace.card.body.findChildren(QLabel))
    type_into(net, "Ink", "navy")
    assert "is not a colour" in str(net.errors.pop())
    type_into(net, "Ink", "#102030")
    choose(net, "Under it", "thick")
    press(net, "Keep it for other baskets")
    assert [each.label for each in memory.styles()] == ["House"]
    made = net.desk.report.style
    while net.desk.history.undoable:
        net.desk.undo()
    net.settle()
    assert net.desk.basket.styles == ()
    net.desk.files.begin_anew()
    net.open(demo)
    net.desk.select_word(None)
    press(net, "Take “House”")
    assert net.desk.report.style == made
    assert net.desk.fold.look.style == made.key


def test_the_window_is_light_or_dark_as_chosen_and_the_report_with_it(net):
    from foldbasket.desktop import memory
    from foldbasket.desktop.widgets import theme

    grid = net.workspace.grid
    try:
        net.act("Settings…")
        settings = next(each for each in net.window.findChildren(SettingsDialog) if each.isVisible())
        look = next(each for each in settings.findChildren(QComboBox) if each.accessibleName() == "Look")
        look.setCurrentIndex(look.findData("dark"))
        look.activated.emit(look.currentIndex())
        settings.close()
        net.settle()
        assert memory.appearance() == "dark"
        assert theme.palette() is theme.DARK, "on a platform without colour schemes as well"
        assert grid.geometry_of.dressed.paper == "dark"
    finally:
        theme.wear("desktop")


def test_decimals_are_stepped_at_the_mark_and_a_double_click_on_a_heading_renames_it(net):
    grid = net.workspace.grid
    grid.mark_for_menu(0, 0)
    net.act("One decimal more at the mark")
    net.settle()
    assert net.desk.fold.measures[0].number.pattern == "#,##0.0"
    at = grid.geometry_of
    point = QPoint(int(at.heads_width + 30), int(at.head_height - 8))
    QTest.mouseDClick(grid.viewport(), Qt.MouseButton.LeftButton, pos=point)
    line = net.window.focusWidget()
    assert line.accessibleName() == "New heading of Net sales"
    net.qtbot.keyClicks(line, "Turnover")
    net.qtbot.keyClick(line, Qt.Key.Key_Return)
    net.settle()
    assert net.desk.report.measures[0].heading == "Turnover"


def test_a_picture_of_the_report_goes_to_the_clipboard(net):
    QApplication.clipboard().clear()
    net.act("Copy the report as a picture")
    assert QApplication.clipboard().image().isNull(), "it is drawn behind the window"
    net.settle()
    image = QApplication.clipboard().image()
    at = net.workspace.grid.geometry_of
    assert image.width() > at.size[0]


def marked(net, *highlights):
    for at, (of, when, form) in enumerate(highlights):
        net.desk.do(PutHighlight(net.desk.fold.key, Highlight(f"h{at}", of, when, form), "Highlight"))
    net.settle()


@pytest.mark.parametrize("amounts", [("1e308", "1e308", "5", "7"), ("1e308", "-2", "-1e308", "7")])
def test_a_highlight_of_amounts_beyond_all_numbers_has_its_card(driver, tmp_path, amounts):
    path = tmp_path / "odd.csv"
    path.write_text("Site,Net\n" + "".join(f"s{at // 2},{net}\n" for at, net in enumerate(amounts * 2)))
    driver.open(path)
    name = driver.desk.ensure_fold().key
    driver.desk.do(edits.Place(name, "rows", placed("Odd.Site"), "a field"))
    driver.desk.do(edits.Place(name, "measures", measure("sum", "Odd.Net"), "a measure"))
    driver.settle()
    driver.desk.select_word(driver.desk.fold.measures[-1].id)
    driver.unfold("Highlights")
    press(driver, "Add a highlight")
    assert driver.desk.fold.look.highlights
    assert not faults.log_file().exists() or "highlights.py" not in faults.log_file().read_text("utf-8")


def test_all_highlights_are_listed_put_in_order_opened_and_taken_out(net):
    marked(
        net,
        ("net", AtLeast("120000"), Ground(Colour.MOSS)),
        ("net", AmongBottom("1"), Ink(Colour.MADDER)),
        ("cost", AtLeast("60000"), Ground()),
    )
    net.desk.select_word(None)
    net.unfold("Highlights")

    def listed():
        return net.workspace.card.at_once().body.findChild(HandList)

    def ids():
        net.settle()
        return [each.id for each in net.desk.fold.look.highlights]

    assert [listed().item(at).text() for at in range(3)] == [
        "Net sales at least 120,000", "Net sales among the bottom 1", "Cost at least 60,000",
    ]  # fmt: skip
    listed().setCurrentRow(0)
    net.qtbot.keyClick(listed(), Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert ids() == ["h1", "h0", "h2"]
    listed().model().moveRow(QModelIndex(), 2, QModelIndex(), 0)
    net.qtbot.wait(20)
    assert ids() == ["h2", "h1", "h0"]
    listed().setCurrentRow(2)
    net.qtbot.keyClick(listed(), Qt.Key.Key_Delete)
    assert ids() == ["h2", "h1"]
    listed().setCurrentRow(1)
    net.qtbot.keyClick(listed(), Qt.Key.Key_Return)
    net.settle()
    assert net.desk.view.word == "net"
    assert "Highlights" in [
        each.title for each in net.workspace.card.at_once().body.sections if each.inner.isVisibleTo(each.inner.parent())
    ]


def test_a_highlight_becomes_a_filter_on_the_lines_it_is_about(net):
    marked(net, ("net", AmongBottom("1"), Ink(Colour.MADDER)))
    net.unfold("Highlights")
    press(net, "Make a filter of it")
    keep = net.desk.fold.rows[-1].keep
    assert (keep.measure, keep.said) == ("net", "bottom 1")
    assert [row[1] for row in net.table() if row[0] == "Eastfen" and row[1]] == ["Drift House"]
    net.desk.undo()
    net.settle()
    assert net.desk.fold.rows[-1].keep is None
    choose(net, "When it is", "blank")
    assert "Make a filter of it" not in [each.text() for each in net.workspace.card.body.findChildren(QPushButton)]


def test_a_highlight_becomes_a_picker_with_the_marked_members_ticked(net):
    marked(net, ("net", AmongBottom("1"), Ink(Colour.MADDER)))
    net.unfold("Highlights")
    press(net, "Make a picker of it")
    rule = net.desk.fold.filters[-1]
    assert (rule.field.field, rule.picker, rule.members) == ("Site", "Site", ("Drift House",))
    assert {row[1] for row in net.table() if row[1]} == {"Drift House"}
    net.desk.undo()
    net.settle()
    assert all(rule.field.field != "Site" for rule in net.desk.fold.filters)


def test_a_highlight_can_be_a_formula_of_measures_and_follows_their_headings(net):
    marked(net, ("net", AmongBottom("1"), Ink(Colour.MADDER)))
    net.unfold("Highlights")
    choose(net, "When it is", "such that a formula")
    type_into(net, "holds", '"Net sales" < 2 * Cost')
    dressed = net.workspace.grid.geometry_of.dressed
    lit, report = dressed.lit[0], net.desk.report
    nets, costs = (report.blocks[report.measure_at(each)] for each in ("net", "cost"))
    wanted = (nets.data < 2 * costs.data) & ~nets.blank & ~costs.blank
    members = dressed.lit[0].holds
    assert members.any()
    assert not (members & ~wanted).any()
    net.desk.words.change("cost", "Rename", heading="Cost of goods")
    net.settle()
    assert net.desk.fold.look.highlights[0].when.formula == '"Net sales" < 2 * "Cost of goods"'
    assert (net.workspace.grid.geometry_of.dressed.lit[0].holds == lit.holds).all()
    type_into(net, "holds", "Nett > 3")
    assert any(
        "there is no field or measure “Nett”" in each for each in net.workspace.grid.geometry_of.dressed.problems
    )


def test_dates_are_written_in_a_form_that_is_picked_or_typed_and_a_wrong_one_is_said_under_it(net):
    word = net.desk.fold.columns[0].id
    net.desk.select_word(word)
    net.unfold("Dates")
    choose(net, "Form", "3rd quarter 2026")
    tops = [net.desk.report.columns.label(line, 0) for line in range(len(net.desk.report.columns))]
    assert tops[:2] == ["4th quarter 2025", "1st quarter 2026"]
    net.unfold("Dates")
    type_into(net, "Your own", "yy-Q")
    assert net.desk.report.columns.label(0, 0) == "25-4"
    net.unfold("Dates")
    type_into(net, "Your own", "yy-QQQQQQQ")
    assert net.desk.fold.columns[0].dates == "yy-Q"
    assert any("is not a date pattern" in each.text() for each in net.workspace.card.body.findChildren(QLabel))
    net.desk.undo()
    net.desk.undo()
    net.settle()
    assert net.desk.report.columns.label(0, 0) == "Q4 2025"


def test_a_kind_of_line_at_a_level_has_numbers_and_an_alignment_of_its_own(net):
    net.desk.select_word(None)
    net.unfold("Lines")
    choose(net, "Level", "the outermost")
    choose(net, "Numbers", forms_of(net.desk.report)[-1][1])
    choose(net, "Stands", "in the middle")
    dressed = net.workspace.grid.geometry_of.dressed
    shown = {row[2] or row[1]: dressed.text(at, 0, dressed.style_of(at, 0)) for at, row in enumerate(net.table())}
    sides = {row[2] or row[1]: dressed.style_of(at, 0).side for at, row in enumerate(net.table())}
    plain = {row[2] or row[1]: row[3] for row in net.table()}
    assert shown["Alder Yard"] == plain["Alder Yard"]
    total = net.desk.report.exact(0, 3, 0)
    assert shown["Eastfen, all sites"] == format_decimal(total, "0.00E0", locale="en")
    assert shown["Everything"] == plain["Everything"]
    assert (sides["Alder Yard"], sides["Eastfen, all sites"]) == ("right", "middle")
    choose(net, "Level", "the second")
    assert net.desk.view.level == 2
    assert states(net)["Lines"] == "1 said"


def test_the_proof_of_a_marked_cell_says_why_it_is_marked(net):
    marked(net, ("net", AtLeast("1"), Ground(Colour.MOSS)), ("cost", AtLeast("1"), Ground()))
    drawer = net.workspace.proof
    drawer.show_cell(0, 0)
    net.qtbot.waitUntil(lambda: "Marked: Net sales at least 1." in drawer.told.text())
    net.desk.do(PutHighlight(net.desk.fold.key, Highlight("h0", "net", AtLeast("999999999"), Ground()), "Highlight"))
    net.settle()
    assert not drawer.isVisible(), "what it says may hold no longer"
    drawer.show_cell(0, 0)
    net.qtbot.waitUntil(drawer.isVisible)
    assert "Marked" not in drawer.told.text()


def test_a_highlight_of_dates_begins_with_the_last_of_them(net):
    net.desk.words.change("net", "Largest date", aggregate="largest", field=FieldRef("Order lines", "Order date"))
    net.settle()
    net.unfold("Highlights")
    press(net, "Add a highlight")
    assert net.desk.fold.look.highlights[0].when == AmongTop("1")
    assert net.workspace.grid.geometry_of.dressed.problems == []
    assert not [each for each in net.workspace.card.body.findChildren(QLabel) if each.property("role") == "warning"]


def test_language_currency_and_day_of_the_basket_are_set_on_the_card_of_the_report(net):
    net.desk.select_word(None)
    net.unfold("Whole basket")
    before = net.table()
    choose(net, "Language", "German")
    assert net.desk.basket.locale.startswith("de")
    assert [row[3] for row in net.table()] == [row[3].replace(",", ".") for row in before]
    choose(net, "Currency", "CHF")
    assert net.desk.report.currency == "CHF"
    choose(net, "As of", "a date")
    type_into(net, "Date", "2026-02-30")
    assert "is not a date" in str(net.errors.pop())
    type_into(net, "Date", "2026-03-31")
    assert net.desk.basket.as_of == "2026-03-31"
    assert states(net)["Whole basket"].endswith("CHF")
    choose(net, "As of", "today")
    for _ in range(5):
        net.desk.undo()
    net.settle()
    assert net.table() == before


LONG = {
    "Customer": ["Larkspur & Rill Garden Supplies of the Northern Marshes", "Oak", "Oak", "Thistle Barn Nurseries and Sons"],
    "Category": ["Herbaceous perennials in small peat-free pots", "Trees", "Climbers and wall shrubs", "Trees"],
    "Quarter": ["Q1", "Q2", "Q1", "Q2"],
    "Net amount after all discounts and returns": [1, 2, 3, 4],
}  # fmt: skip


def long_names(**layout):
    net = measure("sum", "T.Net amount after all discounts and returns")
    rows = (placed("T.Customer", id="c"), placed("T.Category", id="k"))
    look = ReportLook(layout=Layout(alone=True, **layout))
    fold = Fold("Long", (net,), rows, (placed("T.Quarter", id="q"),), look=look)
    return Engine(source(table("T", LONG))).fold(fold)


def test_long_names_go_on_over_several_lines_where_they_may(qapp):
    plain, wrapped = Geometry(long_names()), Geometry(long_names(wrap=True))
    assert set(plain.line_heights) == {plain.row_height}
    assert max(wrapped.head_widths) <= WRAPPED < max(plain.head_widths)
    assert wrapped.size[0] < plain.size[0]
    left = wrapped.report.left
    for line in range(wrapped.report.height):
        high = wrapped.line_heights[line] > wrapped.row_height
        names = [text for text in wrapped.sheet.row_head(line, repeat=False) if text]
        assert high == any(len(name) >= 24 for name in names), (names, left.kind[line])
    assert wrapped.head_heights[-1] > plain.head_heights[-1]
    assert Geometry(long_names(wrap=True), zoom=0.5).line_tops[-1] < wrapped.line_tops[-1]


def test_headings_scroll_with_the_cells_where_that_is_chosen_or_they_would_leave_no_room(qapp):
    at = Geometry(long_names(frozen=False))
    seen = View(at, 800, 600, 100, 0)
    assert (seen.drift, seen.x) == (100, 0)
    first = seen.area_of(0, 0)
    assert first.left() == at.heads_width - 100
    assert seen.cell_at(first.center()) == (0, 0)
    further = View(at, 800, 600, at.heads_width + 40, 0)
    assert (further.drift, further.x) == (at.heads_width, 40)
    assert further.cell_at(QPointF(30, at.head_height + 4)) == (0, 0)
    kept = View(Geometry(long_names()), 1200, 600, 100, 0)
    assert (kept.drift, kept.x) == (0, 100)
    assert View(Geometry(long_names()), 500, 600, 100, 0).drift == 100, "headings that fill the view cannot stay"
    last = at.report.width - 1
    across, _ = View(at, 500, 600, 0, 0).bringing(0, last)
    there = View(at, 500, 600, across, 0).area_of(0, last)
    assert there.right() <= 500
    assert there.left() >= 0
    assert View(at, 500, 600, across, 0).bringing(0, last)[0] == across


def test_wrapping_and_staying_headings_are_chosen_on_the_card_and_kept_in_a_workbook(driver, demo, tmp_path):
    from openpyxl import load_workbook

    driver.open(demo)
    driver.unfold("Layout")
    choose(driver, "Long names", "over several lines")
    choose(driver, "Headings", "scroll with the cells")
    assert driver.desk.fold.look.layout.wrap
    assert not driver.desk.fold.look.layout.frozen
    driver.desk.output.write_report(tmp_path / "wrapped.xlsx")
    driver.settle()
    page = load_workbook(tmp_path / "wrapped.xlsx").worksheets[0]
    assert page.freeze_panes is None
    assert any(cell.alignment.wrap_text for row in page.iter_rows(max_row=8) for cell in row if cell.value)
    driver.act("Undo")
    driver.act("Undo")
    driver.settle()
    assert driver.desk.fold.look.layout.frozen
    assert not driver.desk.fold.look.layout.wrap
