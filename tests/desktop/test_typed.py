"""The sentence typed as a whole: the report follows, one step undoes it, and nothing is lost by a sentence that cannot be read."""

import threading

import pytest
from PyQt6.QtCore import Qt

from foldbasket.baskets.edits import AddFold
from foldbasket.desktop.sentence.typed import WAIT
from foldbasket.desktop.widgets import theme
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.fold import Fold
from foldbasket.tables.mending.fields import RenameField

CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def sites(driver, demo):
    driver.open(demo)
    driver.key(Qt.Key.Key_L)
    driver.key(Qt.Key.Key_L)
    assert driver.workspace.typed.isVisible()
    return driver


def typed(driver, text):
    """Types over all that stands there, and waits until it is read."""
    line = driver.workspace.typed.text
    driver.qtbot.keyClick(line, Qt.Key.Key_A, CONTROL)
    driver.qtbot.keyClicks(line, text)
    driver.settle()


def offers(driver):
    listed = driver.workspace.typed.text.list
    return [listed.item(at).text().partition("    ")[0] for at in range(listed.count())]


def test_it_begins_with_the_whole_sentence_which_reads_as_the_fold(sites):
    text = sites.workspace.typed.text
    assert text.toPlainText().startswith(
        'Net, summed called "Net sales" and Cost, summed for each Region › Site across Quarter of Order date'
    )
    assert text.textCursor().hasSelection()
    sites.press(text, Qt.Key.Key_Return)
    assert not sites.workspace.typed.isVisible()
    assert len(sites.desk.history.steps) == 1  # nothing was changed


def test_the_report_follows_while_one_types_and_one_step_undoes_it_all(sites):
    before = sites.desk.fold
    typed(sites, "net by region")
    assert sites.desk.report.sentence == "Net, summed for each Region"
    sites.qtbot.keyClicks(sites.workspace.typed.text, " and chan")
    sites.settle()
    assert sites.desk.report.sentence == "Net, summed for each Region"  # the last that could be read stands
    sites.qtbot.keyClicks(sites.workspace.typed.text, "nel, web only")
    sites.settle()
    assert sites.words() == [
        ("measures", "Net, summed"),
        ("rows", "Region"),
        ("rows", "Channel"),
        ("filters", "Channel: Web"),
    ]
    assert sites.workspace.typed.said.text() == "Read as: Net, summed for each Region › Channel keeping Channel: Web"
    sites.press(sites.workspace.typed.text, Qt.Key.Key_Return)
    assert [each.label for each in sites.desk.history.steps] == ["Open", "Type the sentence"]
    sites.key(Qt.Key.Key_Z)
    assert sites.desk.fold == before


def test_what_a_sentence_does_not_say_stays(sites):
    before = sites.desk.fold
    text = sites.workspace.typed.text.toPlainText()
    typed(sites, text.replace("Region › Site", "Site > Region").replace(" and Cost, summed", ""))
    after = sites.desk.fold
    assert after.measures == before.measures[:1]  # with its number format and its id
    assert [each.id for each in after.rows] == ["site", "region"]
    assert (after.look, after.page, after.name, after.filters) == (
        before.look,
        before.page,
        before.name,
        before.filters,
    )


def test_a_wrong_word_is_marked_and_named_and_the_fold_stays(sites):
    before = sites.desk.fold
    typed(sites, "nett by region ")
    assert "Did you mean “Net”?" in sites.workspace.typed.said.text()
    assert sites.workspace.typed.text.wrong == (0, 4)
    sites.press(sites.workspace.typed.text, Qt.Key.Key_Return)
    assert sites.workspace.typed.isVisible()  # it does not go away unsaid
    assert sites.desk.fold == before


def test_escape_puts_the_report_back(sites):
    before = sites.desk.fold
    typed(sites, "net by region ")
    assert sites.desk.fold != before
    for _ in range(2):
        if sites.workspace.typed.isVisible():
            sites.press(sites.workspace.typed.text, Qt.Key.Key_Escape)
    assert not sites.workspace.typed.isVisible()
    assert sites.desk.fold == before


def test_words_fields_and_members_are_completed(sites):
    typed(sites, "net by reg")
    assert offers(sites)[0] == "Region"
    text = sites.workspace.typed.text
    text.take()
    sites.settle()
    assert text.toPlainText() == "net by Region "
    sites.qtbot.keyClicks(text, "keeping channel: t")
    sites.settle()
    assert offers(sites)[0] == "Trade"
    text.take()
    sites.settle()
    assert sites.words()[-1] == ("filters", "Channel: Trade")


def test_two_readings_are_offered_in_full_and_one_is_taken(driver, demo):
    for name in ("varieties.csv", "plan.csv"):
        driver.window.desk.files.add_files([demo.parent / name])
        driver.settle()
    driver.workspace.type_sentence("for each line ")
    driver.settle()
    assert driver.workspace.typed.said.text() == "This can be understood in more than one way: choose one of these."
    assert offers(driver) == ["for each Line of Varieties", "for each Line of Plan"]
    text = driver.workspace.typed.text
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Return):
        driver.press(text, key)
    assert driver.words() == [("rows", "Line")]
    assert driver.desk.fold.rows[0].field.table == "Plan"


def test_any_key_on_an_empty_sentence_begins_one(driver, demo):
    driver.open(demo.parent / "order_lines.csv")
    driver.desk.ensure_fold()
    driver.settle()
    plus = driver.workspace.sentence.pluses["measures"]
    driver.press(plus, Qt.Key.Key_N)
    assert driver.workspace.typed.text.toPlainText() == "n"
    driver.qtbot.keyClicks(driver.workspace.typed.text, "et by channel")
    driver.settle()
    assert driver.words() == [("measures", "Net, summed"), ("rows", "Channel")]


def test_a_year_that_is_not_over_is_said_and_compared_like_for_like_by_a_click(driver, demo):
    driver.open(demo)
    driver.workspace.type_sentence("net 2026 vs 2025 by region")
    driver.settle()
    driver.press(driver.workspace.typed.text, Qt.Key.Key_Return)
    link = driver.workspace.facts.like
    assert link.text() == "2026 is incomplete: data ends 30 Sep 2026 · compare the same months"
    driver.qtbot.mouseClick(link, Qt.MouseButton.LeftButton)
    driver.settle()
    assert not link.isVisible()
    assert driver.words()[-1][1].startswith("Month of the year of order date: January, February")
    driver.key(Qt.Key.Key_Z)
    assert link.isVisible()


def test_a_word_with_all_that_is_to_be_done_is_typed_into_a_gap(driver, demo):
    driver.open(demo)
    finder = driver.workspace.sentence.open_finder("measures")
    driver.qtbot.keyClicks(finder.line, "avg unit price")
    driver.settle()
    assert finder.list.item(0).text() == "Unit price, averaged"
    driver.press(finder.line, Qt.Key.Key_Return)
    assert driver.words()[2] == ("measures", "Unit price, averaged")
    finder = driver.workspace.sentence.open_finder("filters")
    driver.qtbot.keyClicks(finder.line, "net > 100")
    driver.settle()
    driver.press(finder.line, Qt.Key.Key_Return)
    assert driver.words()[-1] == ("filters", "Net: > 100")


def test_the_sentence_is_copied_in_full_and_gives_the_same_report_where_it_is_pasted(driver, demo):
    driver.open(demo)
    before = driver.desk.fold
    driver.act("Copy the sentence")
    driver.settle()
    driver.desk.do(AddFold(Fold("Pasted")))
    driver.settle()
    driver.workspace.type_sentence()
    driver.settle()
    driver.workspace.typed.text.paste()
    driver.settle()
    driver.press(driver.workspace.typed.text, Qt.Key.Key_Return)
    assert [each.heading for each in driver.desk.fold.measures] == [each.heading for each in before.measures]
    assert [each[1] for each in driver.words()] == [
        "Net sales, summed", "Cost, summed", "Region", "Site", "Quarter of order date", "Channel: Trade, Web",
        "Quarter of order date: Q4 2025, Q1 2026, Q2 2026, Q3 2026",
    ]  # fmt: skip


def test_a_sentence_typed_again_begins_with_what_stands_and_changes_nothing(sites):
    typed(sites, "net by region")
    sites.press(sites.workspace.typed.text, Qt.Key.Key_Return)
    said = sites.desk.fold
    worker_may = threading.Event()
    real = Vocabulary.known

    def slow(words):
        worker_may.wait(10)
        return real(words)

    sites.monkeypatch.setattr(Vocabulary, "known", slow)
    sites.act("Type the sentence")
    sites.qtbot.wait(WAIT * 3)  # what stands there before the sentence has come is not a sentence without a word
    assert sites.desk.fold == said
    worker_may.set()
    sites.settle()
    assert sites.workspace.typed.text.toPlainText() == "Net, summed for each Region"
    assert sites.desk.fold == said


def test_names_are_underlined_by_their_strand_as_far_as_the_text_still_says_so(sites):
    text = sites.workspace.typed.text

    def inks():
        picture = text.viewport().grab().toImage()
        return {
            picture.pixelColor(x, y).name().upper() for x in range(picture.width()) for y in range(picture.height())
        }

    colours = theme.palette()
    typed(sites, "net by region")
    assert {colours.measures, colours.rows} <= inks()
    assert colours.filters not in inks()
    typed(sites, "net by month, trade only")
    assert {colours.measures, colours.rows, colours.filters} <= inks()
    cursor = text.textCursor()
    cursor.setPosition(0)
    text.setTextCursor(cursor)
    sites.qtbot.keyClicks(text, "x")
    assert not {colours.measures, colours.rows, colours.filters} & inks(), "what was read began otherwise"


def test_undoing_more_than_was_typed_leaves_it_and_nothing_is_done_anew(driver, demo):
    driver.open(demo)
    first = driver.desk.basket
    driver.desk.show_source("Order lines")
    driver.desk.sources.mend(RenameField("Channel", "Way"))
    driver.settle()
    driver.desk.show_fold(driver.desk.basket.folds[0].key)
    driver.workspace.type_sentence()
    driver.settle()
    typed(driver, "net by way")
    assert driver.desk.report.sentence == "Net, summed for each Way"
    driver.act("Undo")
    driver.settle()
    assert driver.workspace.typed.isVisible(), "only what was typed is undone"
    driver.desk.go_to_step(0)
    driver.settle()
    assert not driver.workspace.typed.isVisible()
    assert driver.desk.basket == first
    assert driver.desk.history.position == 0
