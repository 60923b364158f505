"""A report that is read and not edited: report, chart and pickers alone; what is picked answers to one another and is not kept."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QListView

from foldbasket import cli
from foldbasket.baskets.edits import OfferPicker, Place
from foldbasket.desktop.card.span import SpanDrawing
from foldbasket.desktop.card.tick import COUNT
from foldbasket.desktop.shell.window import MainWindow
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between
from foldbasket.spec.field import FieldRef
from tests.desktop.test_headings import Hand


@pytest.fixture
def offered(driver, demo):
    """The first fold of the demo with a list of channels, one of regions and a range of amounts offered beside it."""
    driver.open(demo)
    desk = driver.desk
    key = desk.fold.key
    desk.do(Place(key, "filters", Members("region pick", FieldRef("Customers", "Region"), exclude=True), "Region"))
    desk.do(Place(key, "filters", Between("net pick", FieldRef("Order lines", "Net")), "Net"))
    for word in ("channel", "region pick", "net pick"):
        desk.do(OfferPicker(key, word, (key,), word))
    driver.settle()
    driver.act("Read, without editing")
    driver.settle()
    return driver


def counts(listed):
    return {
        listed.model.data(listed.model.index(row)): listed.model.data(listed.model.index(row), COUNT)
        for row in range(listed.model.rowCount())
    }


def picker(driver, word):
    return next(each for each in driver.workspace.picking.pickers if each.word == word)


def test_report_chart_and_pickers_are_shown_alone_and_everything_again(offered):
    space = offered.workspace
    assert space.reader_head.isVisible()
    assert space.reader_head.title.text() == "Net sales by site"
    assert space.reader_head.sentence.text() == offered.desk.report.subtitle
    assert "anything" not in space.reader_head.sentence.text(), (
        "a picker with which nothing is picked goes without saying"
    )
    assert space.picking.isVisible()
    for hidden in (space.spine, space.card, space.sentence, space.pickers, space.facts.turn, space.facts.pages):
        assert not hidden.isVisible()
    offered.key(Qt.Key.Key_4)
    assert space.spine.isVisible()
    assert space.card.isVisible()
    assert space.sentence.isVisible()
    assert not space.picking.isVisible()


def test_pickers_answer_to_one_another(offered):
    regions = picker(offered, "region pick").list
    offered.qtbot.waitUntil(lambda: None not in counts(regions).values(), timeout=5_000)
    before = counts(regions)
    assert sum(before.values()) == offered.desk.report.kept
    channels = picker(offered, "channel").list
    offered.qtbot.waitUntil(lambda: None not in counts(channels).values(), timeout=5_000)
    all_channels = counts(channels)
    channels.list.setCurrentIndex(channels.shown.index(3, 0))
    offered.press(channels.list, Qt.Key.Key_Return)
    assert offered.desk.report.kept == all_channels["Web"], "picking it brings what was said"
    offered.qtbot.waitUntil(lambda: sum(counts(regions).values()) == all_channels["Web"], timeout=5_000)
    assert counts(channels) == all_channels, "its own choice does not change what it offers"
    assert picker(offered, "channel").list is channels, "it stays where it is"
    offered.act("Undo")
    offered.settle()
    offered.qtbot.waitUntil(lambda: counts(regions) == before, timeout=5_000)
    assert [channels.model.kept(row) for row in range(4)] == [False, False, True, True]


def test_a_range_is_picked_on_its_drawing(offered):
    net = picker(offered, "net pick")
    offered.qtbot.waitUntil(lambda: net.findChild(SpanDrawing) is not None, timeout=5_000)
    kept = offered.desk.report.kept
    drawing = net.findChild(SpanDrawing)
    offered.press(drawing, Qt.Key.Key_Right)
    assert offered.desk.report.kept < kept
    assert picker(offered, "net pick").findChild(SpanDrawing) is not None


def test_a_list_is_kept_from_the_clipboard_and_by_all_but_one(offered):
    regions = picker(offered, "region pick").list
    QApplication.clipboard().setText("eastfen\nWestholt\n\nNo such place")
    regions.paste()
    offered.settle()
    assert offered.desk.fold.filters[2].members == ("Eastfen", "Westholt")
    assert "No such place" in offered.workspace.facts.news.whole
    QApplication.clipboard().setText("No such place")
    regions.paste()
    assert "“No such place” is not a member" in str(offered.errors.pop())
    regions.list.setCurrentIndex(regions.shown.index(0, 0))
    offered.press(regions.list, Qt.Key.Key_Return, Qt.KeyboardModifier.AltModifier)
    assert offered.desk.fold.filters[2].exclude
    assert offered.desk.fold.filters[2].members == ("Eastfen",)
    menu = regions.menu(regions.list.rect().center())
    assert [action.text() for action in menu.actions() if action.text()] == [
        "Only this",
        "All but this",
        "Paste a list",
    ]
    menu.close()


def test_nothing_is_edited_while_it_is_read(offered):
    hand, before = Hand(offered), offered.desk.basket
    hand.click(hand.name("Alder Yard"))
    assert hand.links() == {}
    hand.key(Qt.Key.Key_Delete)
    hand.key(Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    hand.drag(hand.corner(0), hand.corner(1, 0.8))
    assert offered.desk.basket == before
    enabled = {name for name, action in offered.window.actions_by_name.items() if action.isEnabled()}
    assert {"Undo", "Copy", "Find in the report", "Proof of the cell at the mark", "Read, without editing"} <= enabled
    assert not {"Save", "Add rows…", "Turn rows into columns", "Mend…", "Into the sentence", "Source"} & enabled


def test_another_report_of_the_basket_is_read_with_its_own_pickers(offered):
    head = offered.workspace.reader_head
    link = next(each for each in head.links.values() if each.text() == "Ten best customers")
    offered.qtbot.mouseClick(link, Qt.MouseButton.LeftButton)
    offered.settle()
    assert head.title.text() == "Ten best customers"
    assert not offered.workspace.picking.isVisible()


def test_a_basket_opened_to_be_read_asks_nothing_when_it_is_closed(driver, demo, qtbot):
    driver.window.read(demo)
    driver.settle()
    assert driver.workspace.reader_head.isVisible()
    driver.desk.do(Place(driver.desk.fold.key, "filters", Members("x", FieldRef("Customers", "Region")), "Region"))
    driver.settle()
    assert driver.desk.history.changed
    left = []
    MainWindow.leaving(driver.window, lambda: left.append(True))
    assert left, "what is picked is not kept, so there is nothing to ask"
    driver.act("Read, without editing")
    driver.settle()
    MainWindow.leaving(driver.window, lambda: left.append(True))
    assert len(left) == 1, "edited after all, it is asked"
    driver.question().close()


def test_the_command_reads_baskets_alone(tmp_path, capsys):
    data = tmp_path / "sales.csv"
    data.write_text("a,b\n1,2\n")
    assert cli.main(["read", str(data)]) == 1
    assert "is no basket" in capsys.readouterr().err


def test_the_popup_of_a_picker_has_the_same_list(offered):
    offered.act("Read, without editing")
    offered.settle()
    bar = offered.workspace.pickers
    bar.pick("region pick", bar)
    assert isinstance(bar.open_list.picker.list.list, QListView)
    bar.open_list.close()
