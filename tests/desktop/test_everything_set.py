"""Nothing of the engine is reachable only through a file: every kind and every parameter is set, seen, changed and undone in the window.

Every control of every card is worked over a small basket, one after the other, and what it changed in the document is noted and undone. What is
left at the end, of all that a document can say of a fold, no control sets.
"""

import datetime
import functools
import random
import time

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QButtonGroup, QCheckBox, QComboBox, QLineEdit, QListView

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import encode
from foldbasket.desktop.grid.widths import Held, set_width
from foldbasket.folding.dress.conditions.thresholds import AtLeast, Below
from foldbasket.folding.dress.forms.marks import Ground
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative
from foldbasket.folding.filters.text import TextRule
from foldbasket.folding.filters.values import Compare
from foldbasket.folding.states.aggregates.aggregate import offered
from foldbasket.kinds import Kind, parameters
from foldbasket.links.link import Link
from foldbasket.spec.chart import Chart, Drawn
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.cut import Bands
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.look import Condition, Form, Highlight, Layout, Look, ReportLook
from foldbasket.spec.order import ByValue, Keep
from foldbasket.spec.page import Page
from foldbasket.styling.numbers import NumberStyle

BY_KIND = ("Show", "When it is", "Another way", "Members", "Keep", "It", "Form", "Fit")
"""Lists whose every choice is taken, since each is another kind; of others the last."""
TYPED = (
    "3",
    "5",
    "2026-02-01",
    "17.5",
    "b",
    "Fen: a, b",
    "a, c",
    "30, 60",
    "Something of mine",
    "0.25",
    "10, 20",
    "#,##0.0",
)
LEAVE = ("Take", "Copy", "Write", "Print", "Back to", "Look of", "A style of my own", "Wear it")
"""What links that are not pressed begin with: they take out what is looked at, or ask for a file."""


@pytest.fixture
def made(driver, tmp_path):
    """A window with three folds in which everything that can be said has a place."""
    draw, start = random.Random(3), datetime.date(2025, 1, 3)
    lines = ["Site,Channel,Day,Moment,Net,Qty,Price,Remark"]
    for at in range(240):
        day = start + datetime.timedelta(days=draw.randrange(500))
        lines.append(
            f"{draw.choice('abcde')},{draw.choice(['Trade', 'Web', 'Phone', ''])},{day},{day} {draw.randrange(24):02d}:15,"
            f"{draw.randrange(-900, 9000) / 100:.2f},{draw.randrange(1, 90)},{draw.randrange(100, 900) / 100:.2f},note {at % 7}"
        )
    (tmp_path / "Lines.csv").write_text("\n".join(lines) + "\n")
    (tmp_path / "Sites.csv").write_text("Site,Region\na,East\nb,East\nc,West\nd,West\n")
    net, qty = FieldRef("Lines", "Net"), FieldRef("Lines", "Qty")
    measures = (Measure("net", "sum", net), Measure("qty", "average", qty), Measure("n", "count"))
    across = Placed("day", FieldRef("Lines", "Day"), "quarter")
    rows = (Placed("region", FieldRef("Sites", "Region")), Placed("site", FieldRef("Lines", "Site")))
    rules = (
        Members("chan", FieldRef("Lines", "Channel"), exclude=True),
        Members("reg", FieldRef("Sites", "Region"), exclude=True),
        Compare("q", qty, None, "≥", "0"),
        TextRule("rem", FieldRef("Lines", "Remark"), None, text="note"),
        Relative("rel", FieldRef("Lines", "Day"), None),
    )
    look = ReportLook(
        highlights=(Highlight("h", "net", AtLeast("50"), Ground()), Highlight("h2", "qty", Below("9"), Ground()))
    )
    whole = Fold("Whole", measures, rows, (across,), rules[:3], look=look)
    cut = Fold(
        "Cut",
        measures[:2],
        (Placed("bands", net), Placed("text", FieldRef("Lines", "Remark"), by=ByValue("qty"))),
        (Placed("fy", FieldRef("Lines", "Day"), "fiscal year"),),
        rules[3:],
    )
    one = Fold("One", measures[:1], rows[1:])
    drawn = Fold("Drawn", measures, rows[:1], (across,), chart=Chart())
    basket = Basket(
        sources=(SourceSpec("Lines", "Lines.csv"), SourceSpec("Sites", "Sites.csv")),
        links=(Link("Lines", "Sites", (("Site", "Site"),)),),
        folds=(whole, cut, drawn, one),
    )
    path = tmp_path / "all.basket"
    path.write_bytes(encode(basket))
    driver.open(path)
    assert driver.errors == []
    return Walked(driver)


def differences(one, two):
    """What differs between two values of a document: (struct, attribute), and the struct or the value that came in place of another."""
    if one == two:
        return set()
    if isinstance(one, tuple) and isinstance(two, tuple):
        named = all(hasattr(each, "id") for each in (*one, *two)) and one and two
        pairs = [(a, b) for a in one for b in two if a.id == b.id] if named else zip(one, two, strict=False)
        more = [each for each in two if all(each.id != old.id for old in one)] if named else two[len(one) :]
        return set().union({("tuple", "")}, *(differences(a, b) for a, b in pairs), *(said(each) for each in more))
    if not isinstance(two, msgspec.Struct):
        return {("value", two)} if two.__hash__ is not None else set()
    if type(one) is not type(two):
        return said(two)
    found = set()
    for name in two.__struct_fields__:
        inner = differences(getattr(one, name), getattr(two, name))
        if inner:
            found |= inner | {(type(two), name)}
    return found


def said(new):
    """What something new says that is not usual, and what is within it."""
    if not isinstance(new, msgspec.Struct):
        return set()
    own = [name for name in new.__struct_fields__ if getattr(new, name) != _default(new, name)]
    return {("kind", type(new)), *((type(new), name) for name in own)}.union(
        *(said(getattr(new, name)) for name in own)
    )


def _default(struct, name):
    return _defaults(type(struct))[name]


@functools.cache
def _defaults(kind):
    return {each.name: each.default for each in msgspec.structs.fields(kind)}


class Walked:
    """Works controls and notes what each of them changed."""

    def __init__(self, driver):
        self.driver, self.desk = driver, driver.desk
        self.changed = set()
        self.values = set()
        self.worked = 0
        self._alone = ""

    def settle(self):
        """Waits until what was done is in view."""
        QApplication.processEvents()
        while self.desk.busy:
            time.sleep(0.001)
            QApplication.processEvents()
        QApplication.processEvents()

    def body(self):
        return self.driver.workspace.card.at_once().body

    def section(self, title):
        return next((each for each in self.body().sections if each.title == title), None)

    def open(self, title):
        section = self.section(title)
        if section is not None and not section.head.isChecked():
            self.body().open(section)
        return section

    def card(self, show, *, only="", control=""):
        """Works every control of a card, section by section; or of one of them, or a single control."""
        self._alone = control
        show()
        self.settle()
        self._seen = self._view()
        for title in [each.title for each in self.body().sections]:
            if not only or title == only:
                self._work(show, title, deep=True)

    def _work(self, show, title, *, deep, seen=frozenset()):
        self.open(title)
        section = self.section(title)
        if section is None:
            return
        known = list(_controls(section.inner))
        for key in [key for key in known if key not in seen and self._alone in ("", key[1])]:
            for option in self._options(show, title, key):
                before, position = self.desk.basket, self.desk.history.position
                self._do(show, title, key, option)
                self.settle()
                found = differences(before, self.desk.basket)
                self.note(found)
                if not found:
                    self.driver.errors.clear()
                    self._again(show, title)
                    continue
                typed = key[0] == "QLineEdit"
                if (
                    deep and self.body() is not None
                ):  # what it brings with it, and of another kind all that is set there
                    of_kind = any(
                        isinstance(new, type) and issubclass(new, Kind) for what, new in found if what == "kind"
                    )
                    same = {key, *(each for each in known if each[0] == "QAbstractButton")} if of_kind else known
                    self._work(show, title, deep=False, seen=frozenset(same))
                self.back(before, position)
                self._again(show, title)
                if typed:  # one text that it takes is enough
                    break

    def _again(self, show, title):
        """Brings the card back where what is in view is another by now."""
        if self._view() != self._seen:
            show()
            self.settle()
        self.open(title)

    def _view(self):
        view = self.desk.view
        return view.fold_key, view.word, view.looked, view.line, view.level, view.highlight, view.charted, view.paged

    def note(self, found):
        self.worked += bool(found)
        self.changed |= {each for each in found if each[0] not in ("value", "tuple")}
        self.values |= {value for what, value in found if what == "value"}

    def back(self, before, position):
        """Undoes what was done; the document is then what it was."""
        self.desk.go_to_step(position)
        self.settle()
        assert self.desk.basket == before
        assert not self.driver.errors or self.driver.errors.clear() is None

    def _find(self, title, key):
        section = self.open(title)
        return _controls(section.inner).get(key) if section is not None else None

    def _options(self, show, title, key):
        control = self._find(title, key)
        if isinstance(control, QComboBox):
            many = [at for at in range(control.count()) if at != control.currentIndex()]
            return many if control.accessibleName() in BY_KIND else many[-1:]
        return TYPED if isinstance(control, QLineEdit) else (0, -1) if isinstance(control, QListView) else (0,)

    def _do(self, show, title, key, option):
        control = self._find(title, key)
        if control is None:
            return
        if isinstance(control, QComboBox):
            if option < control.count():
                control.setCurrentIndex(option)
                control.activated.emit(option)
        elif isinstance(control, QLineEdit):
            if control.accessibleName() == "Find a member":
                return
            control.setText(option)
            control.setModified(True)
            control.editingFinished.emit()
        elif isinstance(control, QListView):
            model = control.model()
            row = option % model.rowCount()
            model.setData(model.index(row, 0), Qt.CheckState.Unchecked.value, Qt.ItemDataRole.CheckStateRole)
        else:
            control.click()


def _controls(inner):
    """The controls of a section by what tells them apart."""
    found = {}
    for kind in (QComboBox, QLineEdit, QCheckBox, QListView, QAbstractButton):
        for control in inner.findChildren(kind):
            if isinstance(control.parent(), QComboBox) or not control.isEnabled() or control in found.values():
                continue
            name = control.accessibleName() or str(control.property("text") or "")
            if isinstance(control, QAbstractButton) and not isinstance(control, QCheckBox):
                if any(name.startswith(each) for each in LEAVE) or control.objectName().startswith("qt_"):
                    continue
                if control.group() is not None and isinstance(control.group(), QButtonGroup) and control.isChecked():
                    continue
            key = (kind.__name__, name)
            while key in found:
                key = (*key, "again")
            found[key] = control
    return found


NEVER = {
    (Placed, "id"), (Measure, "id"), (Fold, "id"), (Highlight, "id"), (Highlight, "measure"), (Highlight, "when"), (Highlight, "form"),
    (Measure, "field"),  # a measure of another field is another word
    (Measure, "formula"),  # typed in the editor of formulas: test_formulas.py
    (Placed, "field"),  # likewise another word; drilling changes it
    (Fold, "measures"), (Fold, "rows"), (Fold, "columns"), (Fold, "filters"), (Fold, "look"), (Fold, "page"),
    (Chart, "share"),  # the edge of the chart is dragged: test_chart.py
    (Page, "listing"), (Page, "each"),  # with their own lists: test_pages.py, test_bursts.py
    (Look, "number"),
}  # fmt: skip
"""What no control sets by itself: names of things, what is made of parts that are looked at one by one, and what other tests work."""


AXES = (Comparison, Bands, Keep)
LOOKS = (Condition, Form, Drawn)


def wanted(structs, sorts, *, filters):
    """Everything that a document can say by some structs and sorts of kinds, by struct and attribute."""
    found = {(struct, name) for struct in structs for name in struct.__struct_fields__}
    for sort in sorts:
        for kind in sort.kinds:
            found.add(("kind", kind))
            found |= {(kind, each.name) for each in parameters(kind)}
    for kind in Filter.kinds if filters else ():
        if issubclass(kind, OneField) and kind.label:
            own = set(kind.__struct_fields__) - {"id", "field", "part", "picker"}
            found |= {("kind", kind), *((kind, name) for name in own)}
    return found - NEVER


def told(missing):
    """What is missing, in one line."""
    named = [[getattr(each, "__name__", str(each)) for each in pair] for pair in missing]
    return ", ".join(sorted(".".join(pair) for pair in named))


def word(made, fold, id):
    """Brings the card of a word into view, or of the whole fold; by the names that the folds have at first."""
    key = next(each.key for each in made.desk.basket.folds if each.key == fold)

    def show():
        made.desk.show_fold(key)
        made.desk.select_word(id)

    return show


@pytest.mark.everything
@pytest.mark.timeout(1_500)
def test_every_way_to_sum_compare_cut_pick_and_look_is_set_in_the_window(made):
    for id in ("net", "site", "day"):
        made.card(word(made, "Whole", id))
    for title in ("Fold up", "Totals", "Drill"):
        made.card(word(made, "Whole", "region"), only=title)
    for id in ("bands", "text", "fy"):
        made.card(word(made, "Cut", id))

    def look():
        word(made, "Whole", "region")()
        made.desk.show_look("East")

    made.card(look, only="Look")
    _by_hand(made)
    assert (Fold, "totals_cover") in made.changed
    assert told(wanted((Placed, Measure, NumberStyle, Look), AXES, filters=False) - made.changed) == ""
    # Sums and averages of different values are asked for in formulas and sentences; records are counted by an action of its own.
    of_fields = {each.name for each in offered() if each.needs_field}
    assert ", ".join(sorted(of_fields - made.values)) == ""
    assert made.worked > 150


@pytest.mark.everything
@pytest.mark.timeout(1_500)
def test_every_filter_highlight_chart_and_page_is_set_in_the_window(made):
    desk = made.desk
    made.card(word(made, "Whole", "chan"))
    made.card(word(made, "Whole", "reg"), only="Keep by")
    made.card(word(made, "Whole", "q"), only="Keep by")
    for id in ("rem", "rel"):
        made.card(word(made, "Cut", id), only="Keep by")

    def highlight():
        word(made, "Whole", "net")()
        desk.view.highlight = "h"
        made.driver.workspace.card.again()

    def chart():
        desk.show_fold("Drawn")
        desk.show_chart()

    def pages():
        desk.show_fold("Drawn")
        desk.show_pages()

    def other_highlight():
        word(made, "Whole", "qty")()
        desk.view.highlight = "h2"
        made.driver.workspace.card.again()

    made.card(highlight, only="Highlights")
    made.card(other_highlight, only="Highlights", control="When it is")
    made.card(word(made, "Whole", None))
    made.card(word(made, "One", None), only="Layout")
    made.card(chart)
    made.card(pages)
    desk.show_pages(False)
    structs = (Fold, Layout, ReportLook, Chart, Page, Highlight)
    missing = wanted(structs, LOOKS, filters=True) - made.changed - {(ReportLook, "widths"), (Fold, "totals_cover")}
    assert told(missing) == ""
    assert made.worked > 150


def _by_hand(made):
    """What is done on the report itself, noted and undone in the same way."""
    desk, space = made.desk, made.driver.workspace
    word(made, "Whole", "region")()
    made.settle()

    def gesture(act):
        before, position = desk.basket, desk.history.position
        act()
        made.settle()
        made.note(differences(before, desk.basket))
        made.back(before, position)

    def fold_up():
        space.grid.show_cell(0, 0)
        made.driver.press(space.grid, Qt.Key.Key_Minus)

    def widen():
        set_width(desk, Held("net", 0.0, 80.0, 120.0), 1.0)

    def drill():
        word(made, "Whole", "site")()
        made.settle()
        made.driver.act("Into the report")
        desk.members.drill(_first(space.grid), FieldRef("Lines", "Channel"), None)

    for act in (fold_up, widen, drill):
        gesture(act)


def _first(grid):
    grid.show_cell(0, 0)
    grid.hands.enter(True, 0)
    return grid.hands.chosen.current


def test_what_no_control_sets_is_found():
    """The test itself: a parameter that nothing changes would be told."""

    class Unset(msgspec.Struct, Kind):
        nothing: int = 0

    assert (Unset, "nothing") not in differences(Unset(), Unset())
    assert (Unset, "nothing") in differences(Unset(), Unset(3))
