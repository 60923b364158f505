"""A kind of every sort, defined here alone, works from the document to the card, the sentence, the command line and the report."""

# ruff: noqa: F811 - the window's fixtures are asked for by their names
import csv
from typing import Annotated, ClassVar

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLabel, QLineEdit, QPushButton

from foldbasket import cli, kinds
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.edits.edit import Edit
from foldbasket.baskets.files import decode, encode
from foldbasket.desktop.actions.action import ACTIONS, ActionSpec
from foldbasket.desktop.actions.file import kinds_to_open, kinds_to_write
from foldbasket.desktop.shell.window import MainWindow
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.onefield import RecordFilter
from foldbasket.folding.members.parts.part import KINDS as PARTS
from foldbasket.folding.members.parts.part import Part, part
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES, NUMBERS, Aggregate, Block, State, aggregate
from foldbasket.formulas.function import FUNCTIONS, Function, listing
from foldbasket.formulas.function import NUMBERS as NUMBER_KINDS
from foldbasket.formulas.values import Kind as ValueKind
from foldbasket.kinds import Choice, entered, set_by
from foldbasket.outputs.formats import OUTPUTS, Output
from foldbasket.outputs.formats import entered as output_entered
from foldbasket.sayings import Saying, saying
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.cut import Bands, BandsStruct
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import Keep, KeepStruct
from foldbasket.tables.column import text_column
from foldbasket.tables.findings.finding import FINDERS, Finding, Offer, finder
from foldbasket.tables.mending.mend import AnyMend, Mend, Mended
from foldbasket.tables.mending.ways import AtOnce
from foldbasket.tables.reading.contract import READERS, Reader
from foldbasket.tables.table import Table
from tests.desktop.conftest import _collected_here, driver  # noqa: F401

NET = Measure("net", "sum", FieldRef("sales", "Net"))
FOLD = Fold("Toy", (NET,), (Placed("site", FieldRef("sales", "Site")),))


@pytest.fixture
def basket(tmp_path):
    """Writes a basket with one small source and some folds, and gives its path."""
    (tmp_path / "sales.csv").write_text("Site,Day,Net\na,2026-01-05,1.50\nb,2026-02-05,2.25\nb,2026-07-09,-4.00\n")

    def made(*folds, mends=()):
        document = Basket(sources=(SourceSpec("sales", "sales.csv", mends=mends),), folds=folds)
        path = tmp_path / "toy.basket"
        path.write_bytes(encode(document))
        assert decode(path.read_bytes(), "toy") == document
        return path

    return made


def rendered(path, tmp_path):
    """The cells that the command line writes for a basket's fold."""
    out = tmp_path / "out.csv"
    assert cli.main(["render", str(path), "--to", str(out)]) == 0
    return list(csv.reader(out.open(encoding="utf-8-sig")))


def type_into(driver, name, text):
    """Types into a line of the card, as its label names it."""
    line = next(each for each in driver.workspace.card.findChildren(QLineEdit) if each.accessibleName() == name)
    line.selectAll()
    driver.qtbot.keyClicks(line, text)
    driver.qtbot.keyClick(line, Qt.Key.Key_Return)
    driver.settle()


def button(driver, text):
    """The button of the card with a text; None where there is none."""
    found = driver.workspace.card.body.findChildren(QPushButton)
    return next((each for each in found if each.text() == text), None)


@pytest.fixture
def own():
    """Takes what a test entered out again."""
    before = {sort: set(sort.keys()) for sort in SORTS}
    yield
    for sort, keys in before.items():
        for key in set(sort.keys()) - keys:
            sort.leave(key)


SORTS = [
    Keep.kinds,
    Bands.kinds,
    Comparison.kinds,
    Filter.kinds,
    AGGREGATES,
    AnyMend.kinds,
    FINDERS,
    READERS,
    OUTPUTS,
    PARTS,
    FUNCTIONS,
    ACTIONS,
]


# --- comparison ---------------------------------------------------------------


def a_comparison():
    class Way(Choice):
        UP = "up", "multiplied"
        DOWN = "down", "divided"

    @entered
    class Times(msgspec.Struct, Comparison, frozen=True, tag_field="kind", tag="toy times"):
        """So many times the cell."""

        standing: ClassVar[int] = 99
        many: Annotated[int, set_by("Times", "How many times.", hint="2", least=1)] = 2
        way: Annotated[Way, set_by("Way", "Which way it goes.")] = Way.UP

        sayings: ClassVar[tuple[Saying, ...]] = (saying("toy, {way:choice} by {many:number}"),)

        def of(self, block, cells):
            data = block.data * self.many if self.way is Way.UP else block.data // self.many
            return replace(block, data=data)

    # What a document names is looked up where the class was defined.
    globals().update(Way=Way)
    return Times, Way


def test_a_comparison(own, basket, tmp_path, driver):
    Times, Way = a_comparison()
    compared = replace(FOLD, measures=(replace(NET, compare=Times(3)),))
    path = basket(compared)
    assert rendered(path, tmp_path)[1:3] == [["a", "4.50"], ["b", "-5.25"]]
    with pytest.raises(Exception, match=r"\$\.folds\[0\]\.measures\[0\]\.compare\.way"):
        decode(path.read_bytes().replace(b'"up"', b'"across"'), "toy")
    driver.open(path)
    assert driver.words()[0][1] == "Net, summed, as toy, multiplied by 3"
    driver.desk.select_word("net")
    card = driver.workspace.card.at_once()
    choosers = {each.accessibleName(): each for each in card.findChildren(QComboBox)}
    assert choosers["Show"].currentText() == "toy, multiplied by 2"  # the form in which it is offered
    choosers["Way"].setCurrentIndex(1)
    choosers["Way"].activated.emit(1)
    driver.settle()
    assert driver.desk.fold.measures[0].compare == Times(3, Way.DOWN)
    type_into(driver, "Times", "30")
    assert driver.desk.fold.measures[0].compare.many == 30


# --- filter -------------------------------------------------------------------


def a_filter():
    @entered
    class Ending(RecordFilter, frozen=True, tag="toy ending"):
        """Keeps members that end with a letter."""

        standing: ClassVar[int] = 99
        label: ClassVar[str] = "Ending, a toy"
        meaning: ClassVar[str] = "Keep what ends so."
        letter: Annotated[str, set_by("Letter", "The last one.", hint="b")] = ""

        def keeps_codes(self, domain):
            kept = np.zeros(domain.size, np.bool_)
            kept[: domain.blank] = [text.endswith(self.letter) for text in domain.dictionary.texts]
            return kept

        sayings: ClassVar[tuple[Saying, ...]] = (saying("ends toyishly with {letter:value}"),)

    return Ending


def test_a_filter(own, basket, tmp_path, driver):
    Ending = a_filter()
    path = basket(replace(FOLD, filters=(Ending("f", FieldRef("sales", "Site"), letter="b"),)))
    assert rendered(path, tmp_path)[1:] == [["b", "-1.75"], ["Everything", "-1.75"]]
    either = Either("e", (Ending("g", FieldRef("sales", "Site"), letter="a"),))
    assert kinds.read(msgspec.to_builtins(either), Filter) == either
    driver.open(path)
    assert driver.words()[-1] == ("filters", "Site: ends toyishly with b")
    driver.desk.select_word("f")
    chosen = [each for each in driver.workspace.card.body.findChildren(QPushButton) if each.isChecked()]
    assert [each.text() for each in chosen if each.text()] == ["Ending, a toy"]
    type_into(driver, "Letter", "a")
    assert driver.table() == [["a", "", "1.50"], ["", "Everything", "1.50"]]


# --- picking and bands --------------------------------------------------------


def test_a_picking(own, basket, tmp_path, driver):
    @entered
    class EveryOther(KeepStruct, frozen=True, tag="toy every other"):
        """Every so many members, whatever their values."""

        step: Annotated[int, set_by("Step", "One in so many.", hint="2", least=1)] = 2
        standing: ClassVar[int] = 99
        label: ClassVar[str] = "every other, a toy"

        sayings: ClassVar[tuple[Saying, ...]] = (saying("every {step:number} of them, a toy by {measure:measure}"),)

        def kept(self, values, parents):
            return np.arange(len(parents)) % self.step == self.step - 1

    site = replace(FOLD.rows[0], keep=EveryOther("net"))
    path = basket(replace(FOLD, rows=(site,)))
    assert rendered(path, tmp_path)[1:] == [["b", "-1.75"], ["Everything", "-0.25"]]
    driver.open(path)
    assert driver.words()[1] == ("rows", "Site (every 2 of them, a toy by Net)")
    driver.desk.select_word("site")
    card = driver.workspace.card.at_once()
    choosers = {each.accessibleName(): each for each in card.findChildren(QComboBox)}
    assert choosers["Members"].currentText() == "every other, a toy"
    type_into(driver, "Step", "1")
    assert driver.table() == [["a", "", "1.50"], ["b", "", "-1.75"], ["", "Everything", "-0.25"]]


def test_bands(own, basket, tmp_path, driver):
    @entered
    class AroundZero(BandsStruct, frozen=True, tag="toy zero"):
        """Below zero and above."""

        reach: Annotated[str, set_by("Reach", hint="100")] = "100"
        standing: ClassVar[int] = 99
        label: ClassVar[str] = "around zero, a toy"
        meaning: ClassVar[str] = "Losses and gains."

        sayings: ClassVar[tuple[Saying, ...]] = (saying("around zero up to {reach:number}"),)

        def between(self, numbers):
            reach = numbers.size(self.reach, "reach")
            return [-reach, reach * 0, reach]

    word = Placed("net by", FieldRef("sales", "Net"), bands=AroundZero("10"))
    path = basket(Fold("Toy", (NET,), (word,)))
    assert rendered(path, tmp_path)[1:] == [["'-10 to below 0", "-4.00"], ["0 to 10", "3.75"], ["Everything", "-0.25"]]
    driver.open(path)
    assert driver.words()[1] == ("rows", "Net around zero up to 10")
    driver.desk.select_word("net by")
    chosen = [each.text() for each in driver.workspace.card.body.findChildren(QPushButton) if each.isChecked()]
    assert "around zero, a toy" in chosen
    type_into(driver, "Reach", "2")
    assert driver.table()[-2:] == [["(outside)", "", "-1.75"], ["", "Everything", "-0.25"]]


# --- aggregate ----------------------------------------------------------------


def test_an_aggregate(own, basket, tmp_path, driver):
    @aggregate
    class Halves(Aggregate):
        name, label, said, sql = "toy halves", "Halves, a toy", "halved by a toy", "SUM(x) / 2"
        meaning = "Half of what is there."
        standing = 999
        states = (State.SUM, State.VALUES)
        takes = NUMBERS

        def result_type(self, operand):
            return operand.type

        def finish(self, states, present, operand):
            return Block(operand.type, states[State.SUM] // 2, states[State.VALUES] == 0, operand.scale)

    path = basket(replace(FOLD, measures=(replace(NET, aggregate="toy halves"),)))
    assert rendered(path, tmp_path)[1:] == [["a", "0.75"], ["b", "-0.88"], ["Everything", "-0.13"]]
    driver.open(path)
    assert driver.words()[0] == ("measures", "Net, halved by a toy")
    driver.desk.select_word("net")
    driver.desk.words.change("net", "back", aggregate="sum")
    driver.settle()
    others = next(
        each for each in driver.workspace.card.body.findChildren(QComboBox) if each.accessibleName() == "Another way"
    )
    at = others.findText("Halves, a toy")
    others.setCurrentIndex(at)
    others.activated.emit(at)
    driver.settle()
    assert driver.desk.fold.measures[0].aggregate == "toy halves"


# --- mend and finding ---------------------------------------------------------


def test_a_mend_and_a_finding(own, basket, tmp_path, driver):
    @entered
    class Reverse(Mend, frozen=True):
        """Turns the records round."""

        @property
        def label(self):
            return "Turn the records round, a toy"

        def apply(self, table):
            count = table.count
            turned = {
                name: text_column(name, [column.text(count - 1 - at) for at in range(count)])
                for name, column in table.columns.items()
            }
            return Mended(Table.of(table.name, list(turned.values())), count)

        @classmethod
        def ways(cls, place):
            if not place.field:
                yield AtOnce("Turn them round, a toy", cls())

    @finder("toy", 99)
    def toyish(table):
        yield Finding(
            "toy", "", "", "There are records, says a toy", "toy", table.count, (Offer("Turn", (Reverse(),)),), lambda: np.arange(1)
        )  # fmt: skip

    path = basket(FOLD, mends=(Reverse(),))
    text = path.read_text("utf-8")
    assert '"mend": "reverse"' in text
    driver.open(path)
    assert [driver.desk.tables["sales"].columns["Site"].text(at) for at in range(3)] == ["b", "b", "a"]
    driver.desk.show_source("sales")
    driver.qtbot.waitUntil(lambda: len(driver.desk.supply.findings("sales")) > 0, timeout=20_000)
    driver.settle()
    said = "There are records, says a toy"
    driver.qtbot.waitUntil(
        lambda: said in [each.text() for each in driver.workspace.card.body.findChildren(QLabel)], timeout=20_000
    )
    offered = "Turn them round, a toy"
    driver.qtbot.waitUntil(lambda: button(driver, offered) is not None, timeout=20_000)
    button(driver, offered).click()
    driver.settle()
    assert driver.desk.basket.sources[0].mends == (Reverse(), Reverse())
    assert [driver.desk.tables["sales"].columns["Site"].text(at) for at in range(3)] == ["a", "b", "b"]


# --- reader and output --------------------------------------------------------


def test_a_reader(own, tmp_path, driver):
    def read(path, name, reading, progress):
        words = path.read_text("utf-8").split()
        return Table.of(name, [text_column("Word", words)])

    READERS.enter("Words, a toy", Reader("Words, a toy", (".toywords",), read))
    (tmp_path / "some.toywords").write_text("one two two")
    driver.open(tmp_path / "some.toywords")
    driver.double_click_field(FieldRef("Some", "Word"))
    assert [line[0] for line in driver.table()[:2]] == ["one", "two"]
    assert "*.toywords" in kinds_to_open()


def test_an_output(own, basket, tmp_path, driver):
    def save(report, path, shape):
        path.write_text(f"{report.height} lines, says a toy")

    output_entered(Output(".toy", "Toy", save))
    path = basket(FOLD)
    assert cli.main(["render", str(path), "--to", str(tmp_path / "out.toy")]) == 0
    assert (tmp_path / "out.toy").read_text() == "3 lines, says a toy"
    assert "Toy (*.toy)" in kinds_to_write()
    driver.open(path)
    driver.desk.output.write_report(tmp_path / "window.toy")
    driver.settle()
    assert (tmp_path / "window.toy").read_text() == "3 lines, says a toy"


# --- part and function --------------------------------------------------------


def test_a_part_of_a_date(own, basket, tmp_path, driver):
    @part
    class HalfMonth(Part):
        name, label, is_period, key_form = "toy half month", "Half month, a toy,", True, r"(\d{4})-(\d{2})-([12])"
        standing = 999
        fineness = 4

        def of(self, days):
            dates = days.astype("M8[D]")
            months = dates.astype("M8[M]")
            return months.astype(np.int64) * 2 + ((dates - months).astype(np.int64) >= 15)

        def key(self, number):
            return f"{1970 + number // 24:04d}-{number // 2 % 12 + 1:02d}-{number % 2 + 1}"

        def number(self, *groups):
            return ((groups[0] - 1970) * 12 + groups[1] - 1) * 2 + groups[2] - 1

        def text(self, number, locale):
            return self.key(number)

        def _example(self):
            return (2026, 2, 1)

    rows = (Placed("day", FieldRef("sales", "Day"), part="toy half month"),)
    kept = Members("f", FieldRef("sales", "Day"), "toy half month", ("2026-01-1", "2026-07-1"))
    path = basket(replace(FOLD, rows=rows, filters=(kept,)))
    assert [line[0] for line in rendered(path, tmp_path)[1:]] == ["2026-01-1", "2026-07-1", "Everything"]
    driver.open(path)
    assert driver.words()[1:] == [
        ("rows", "Half month, a toy, of day"),
        ("filters", "Half month, a toy, of day: 2026-01-1, 2026-07-1"),
    ]
    driver.desk.select_word("day")
    assert button(driver, "Half month, a toy,").isChecked()


def test_a_function(own, basket, tmp_path, driver):
    @listing
    class Twice(Function):
        name = "TOYTWICE"
        takes = (NUMBER_KINDS,)
        gives = ValueKind.NUMBER
        meaning = "Twice the number, by a toy."
        example = "TOYTWICE(2) is 4."

        def evaluate(self, *vecs):
            (number,) = vecs
            return replace(number, data=number.data * 2)

    formula = Measure("twice", "formula", heading="Twice", formula="TOYTWICE(SUM(Net))")
    path = basket(replace(FOLD, measures=(NET, formula)))
    assert [line[2] for line in rendered(path, tmp_path)[1:]] == ["3.00", "-3.50", "-0.50"]
    driver.open(path)
    assert any(
        each.shown == "TOYTWICE" and "by a toy" in each.meaning for each in driver.desk.formulas.offers(None, None)
    )
    assert cli.main(["check", str(path)]) == 0


# --- edit and action ----------------------------------------------------------


def test_an_edit_and_an_action(own, basket, driver, monkeypatch):
    class Shout(Edit, frozen=True):
        def label(self, basket):
            return "Shout, a toy"

        def apply(self, basket):
            return replace(basket, name=basket.name.upper())

    ACTIONS.enter(
        "Shout toyishly", ActionSpec("Shout toyishly", "Edit", lambda window: window.desk.do(Shout()), "Ctrl+Alt+9")
    )
    window = MainWindow()
    driver.qtbot.addWidget(window)
    window.open_paths([basket(FOLD)])
    driver.qtbot.waitUntil(lambda: window.desk.report is not None, timeout=20_000)
    window.actions_by_name["Shout toyishly"].trigger()
    assert window.desk.basket.name == "UNTITLED"
    assert window.desk.history.undoable == "Shout, a toy"
    window.desk.undo()
    assert window.desk.basket.name == "Untitled"
    driver.qtbot.waitUntil(lambda: not window.desk.busy, timeout=20_000)
    window.desk.close()
