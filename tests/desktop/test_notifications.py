"""One edit is one notification and one fold at most; each view is renewed by the parts that it shows and by no others."""

import pytest
from PyQt6.QtWidgets import QApplication, QPushButton

from foldbasket.baskets import edits
from foldbasket.baskets.calculated import Calculated
from foldbasket.desktop.card import panel
from foldbasket.desktop.state.part import Part
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Placed
from foldbasket.tables.mending.fields import RenameField
from foldbasket.tables.mending.texts import TrimSpaces

SITES, OTHER = "Net sales by site", "Freight by team"
CHANNEL = FieldRef("Order lines", "Channel")
EDITS = {
    "place": (edits.Place(SITES, "rows", Placed("new", CHANNEL), "Channel"), Part.FOLDS | Part.FOLD, 1),
    "remove": (edits.Remove(SITES, "cost", "Cost"), Part.FOLDS | Part.FOLD, 1),
    "change": (edits.Change(SITES, "site", {"descending": True}, "Order"), Part.FOLDS | Part.FOLD, 1),
    "turn": (edits.Turn(SITES), Part.FOLDS | Part.FOLD, 1),
    "rename the fold": (edits.RenameFold(SITES, "Sites"), Part.FOLDS | Part.FOLD, 1),
    "another fold": (edits.Turn(OTHER), Part.FOLDS, 0),
    "rename another fold": (edits.RenameFold(OTHER, "Teams"), Part.FOLDS, 0),
    "take out another fold": (edits.RemoveFold(OTHER), Part.FOLDS, 0),
    "take out the fold": (edits.RemoveFold(SITES), Part.FOLDS | Part.FOLD, 1),
    "add a fold": (edits.AddFold(Fold("x")), Part.FOLDS | Part.FOLD | Part.WORD | Part.REPORT, 0),
    "name": (edits.ChangeBasket({"name": "Sales"}, "Rename"), Part.SETTINGS, 0),
    "as-of": (edits.ChangeBasket({"as_of": "2026-01-31"}, "As of"), Part.SETTINGS | Part.TABLES, 1),
    "locale": (edits.ChangeBasket({"locale": "de"}, "Locale"), Part.SETTINGS | Part.TABLES, 1),
    "mend": (edits.AddMends("Sellers", (TrimSpaces(),)), Part.SOURCES, 0),
    "rename a field": (edits.AddMends("Sellers", (RenameField("Team", "Crew"),)), Part.SOURCES | Part.FOLDS | Part.TABLES, 1),
    "rename a source": (edits.RenameSource("Sellers", "People"), Part.SOURCES | Part.TABLES, 1),
    "calculate": (edits.AddField(Calculated("Size", "UPPER(Team)", "Sellers")), Part.SOURCES | Part.TABLES, 1),
    "unlink": (None, Part.SOURCES | Part.TABLES, 1),
    "leave a finding": (edits.ChangeSource("Sellers", {"left": ("x",)}, "Leave"), Part.SOURCES, 0),
}  # fmt: skip


class Counting:
    """What the desk told and how often it folded."""

    def __init__(self, driver, monkeypatch):
        desk = driver.desk
        self.told, self.folds = [], 0
        desk.changed.connect(self.told.append)
        fold = type(desk.engine).fold

        def counted(engine, *asked, **more):
            self.folds += 1
            return fold(engine, *asked, **more)

        monkeypatch.setattr(type(desk.engine), "fold", counted)

    def of_edits(self):
        """Notifications but those of what the background brings later."""
        return [parts for parts in self.told if parts & ~(Part.REPORT | Part.FINDINGS | Part.PROFILES)]


@pytest.mark.parametrize("name", EDITS)
def test_an_edit_is_told_once_and_folds_once_where_the_report_may_be_another(driver, demo, monkeypatch, name):
    driver.open(demo)
    driver.settle()
    edit, parts, folds = EDITS[name]
    edit = edit or edits.RemoveLink(driver.desk.basket.links[-1])
    counting = Counting(driver, monkeypatch)
    assert driver.desk.do(edit)
    driver.settle()
    assert counting.of_edits() == [parts]
    assert counting.folds == folds
    counting.told.clear()
    driver.desk.undo()
    driver.settle()
    assert len(counting.of_edits()) == 1
    assert counting.folds <= 2 * max(1, folds)


def test_placing_with_a_gesture_selects_the_word_in_the_same_notification(driver, demo, monkeypatch):
    driver.open(demo)
    driver.settle()
    counting = Counting(driver, monkeypatch)
    driver.desk.words.place(CHANNEL, "rows")
    driver.settle()
    assert counting.of_edits() == [Part.FOLDS | Part.FOLD | Part.WORD]
    assert counting.folds == 1


def test_a_fold_coming_into_view_is_one_notification_and_one_fold(driver, demo, monkeypatch):
    driver.open(demo)
    driver.settle()
    counting = Counting(driver, monkeypatch)
    driver.desk.show_fold(OTHER)
    driver.settle()
    assert (len(counting.of_edits()), counting.folds) == (1, 1)
    counting.told.clear()
    driver.desk.show_source("Orders")
    driver.settle()
    assert (counting.of_edits(), counting.folds) == ([Part.VIEW], 1)


def test_a_view_that_is_gone_is_not_renewed_any_more(driver, demo):
    from PyQt6.QtCore import QObject

    driver.open(demo)
    seen = []
    view = QObject()
    driver.desk.when(Part.WORD, view, lambda: seen.append("renewed"))
    driver.desk.select_word("site")
    assert seen == ["renewed"]
    del view
    driver.desk.select_word(None)
    assert seen == ["renewed"]


def test_the_report_comes_before_the_card_unless_somebody_works_on_that(driver, demo, monkeypatch):
    monkeypatch.setattr(panel, "PATIENCE", 60.0)
    driver.open(demo)
    card, desk = driver.workspace.card, driver.desk
    order = []
    desk.when(Part.REPORT, card, lambda: order.append(card.body))
    driver.workspace.grid.setFocus()
    _, gate = driver.hold_folds()
    old = card.body
    desk.words.turn()
    driver.qtbot.wait(50)
    assert card.body is old, "the card waits for the report"
    gate.set()
    driver.settle()
    assert order[0] is old, "the report came while the old card was still there"
    card.at_once().body.findChild(QPushButton).setFocus()
    assert card.isAncestorOf(QApplication.focusWidget())
    gate.clear()
    old, before = card.body, desk.report
    desk.words.turn()
    driver.qtbot.waitUntil(lambda: card.body is not old)
    assert desk.report is before, "nobody works on a card that is out of date"
    gate.set()
    driver.settle()
