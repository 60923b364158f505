"""Mends: each does what it says, counts what it changed, and never touches the table it was given."""

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from foldbasket import kinds
from foldbasket.baskets.placing import natural_strand
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import text_column
from foldbasket.tables.detection import retyped
from foldbasket.tables.mending.fields import GatherFields, HideFields, JoinFields, RenameField
from foldbasket.tables.mending.mend import AnyMend, mended
from foldbasket.tables.mending.natures import TakeFor
from foldbasket.tables.mending.rows import DropEmptyRows, DropMatching, DropRepeatedRows
from foldbasket.tables.mending.texts import BlankOut, FillDown, KeepPart, ReplaceValues, SplitField, TrimSpaces, Unify
from foldbasket.tables.mending.types import BlankMisfits, ReadAs, ScaleUnit
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType


def table_of(**columns):
    """A table of texts, each field in the type that its values have."""
    table = Table.of("Any", [text_column(name, values) for name, values in columns.items()])
    for name in columns:
        table = retyped(table, table.columns[name])
    return table


def values(table, field):
    return [table.columns[field].text(record) for record in range(table.count)]


def rows(table):
    return [[column.text(record) for column in table.columns.values()] for record in range(table.count)]


def do(table, *mends):
    made, outcomes = mended(table, mends)
    assert [outcome.problem for outcome in outcomes] == [None] * len(mends)
    return made, [outcome.changed for outcome in outcomes]


@pytest.mark.parametrize(
    ("before", "mend", "after", "changed"),
    [
        ([" a", "b  c", "d", "\u00a0e\u2009"], TrimSpaces(), ["a", "b c", "d", "e"], 3),
        (["Trade", "trade", "TRADE", "Web"], Unify("F", "Trade", ("trade", "TRADE")), ["Trade", "Trade", "Trade", "Web"], 2),
        (["x", "y", "x"], ReplaceValues("F", {"x": "z", "nowhere": "w"}), ["z", "y", "z"], 2),
        (["x", "y"], ReplaceValues("F", {"x": ""}), [None, "y"], 1),
        (["n/a", "y", "?"], BlankOut("F", ("n/a", "?")), [None, "y", None], 2),
        ([None, "a", None, None, "b"], FillDown("F"), [None, "a", "a", "a", "b"], 2),
        (["AB-12", "CD", "E-F-G"], KeepPart("F", "before", "-"), ["AB", "CD", "E"], 2),
        (["AB-x", "CD", "E-F-G"], KeepPart("F", "after", "-"), ["x", "CD", "F-G"], 2),
        (["abcdef", "ab", "a"], KeepPart("F", "letters", start=2, stop=3), ["bc", "b", None], 3),
    ],
)  # fmt: skip
def test_text_is_mended_value_by_value(before, mend, after, changed):
    table = table_of(F=before)
    made, counts = do(table, mend)
    assert (values(made, "F"), counts) == (after, [changed])
    assert values(table, "F") == before


def test_a_mended_field_takes_the_type_that_its_values_then_have():
    table = table_of(Net=["1.50", "2.25", "soon", "later"])
    assert table.columns["Net"].type is FieldType.TEXT
    made, _ = do(table, BlankOut("Net", ("soon", "later")))
    assert made.columns["Net"].type is FieldType.DECIMAL
    assert values(made, "Net") == ["1.50", "2.25", None, None]


def test_a_chosen_type_is_kept_by_later_mends():
    table = table_of(Code=["12", "13", " 14"])
    made, _ = do(table, ReadAs("Code", FieldType.TEXT), TrimSpaces())
    assert made.columns["Code"].type is FieldType.TEXT


def test_reading_as_keeps_what_does_not_fit_until_it_is_given_up():
    table = table_of(Day=["2026-04-02"] * 30 + ["3/4/26", "soon"])
    made, counts = do(table, ReadAs("Day", FieldType.DATE, "day month year"))
    assert (values(made, "Day")[-2:], counts) == (["2026-04-03", None], [1])
    assert made.texts["Day"].text(31) == "soon"
    made, counts = do(made, BlankMisfits("Day"))
    assert (made.texts, counts) == ({}, [1])


@pytest.mark.parametrize(
    ("before", "factor", "after"),
    [
        (["1.50", "2.25"], "1000", ["1500.00", "2250.00"]),
        (["150", "225"], "0.01", ["1.50", "2.25"]),
        (["100.00", "200.00"], "0.01", ["1.00", "2.00"]),
        (["1.123456", "2"], "0.001", ["0.001123456", "0.002"]),
        (["9007199254740993", "1"], "10", ["90071992547409930", "10"]),
    ],
)
def test_units_are_scaled_exactly_where_decimals_allow(before, factor, after):
    made, counts = do(table_of(Net=before), ScaleUnit("Net", factor))
    assert (values(made, "Net"), counts) == (after, [2])


def test_records_are_dropped_by_what_they_hold():
    table = table_of(A=["x", None, "x", "Total", None], B=["1.5", None, "1.5", "3", "2"])
    assert rows(do(table, DropEmptyRows())[0]) == [["x", "1.5"], ["x", "1.5"], ["Total", "3.0"], [None, "2.0"]]
    assert rows(do(table, DropRepeatedRows())[0])[0:3] == [["x", "1.5"], [None, None], ["Total", "3.0"]]
    made, counts = do(table, DropEmptyRows(), DropRepeatedRows(), DropMatching("A", ("Total", "")))
    assert (rows(made), counts) == ([["x", "1.5"]], [1, 1, 2])
    assert do(table, DropRepeatedRows(("A",)))[0].count == 3


def test_fields_are_renamed_hidden_split_joined():
    table = table_of(Site=["Nord-7", "Süd"], Net=["1", "n/a"])
    made, counts = do(table, RenameField("Net", "Net sales"), SplitField("Site", "-", ("Region", "Plot")))
    assert list(made.columns) == ["Site", "Net sales", "Region", "Plot"]
    assert [values(made, "Region"), values(made, "Plot")] == [["Nord", "Süd"], ["7", None]]
    made, _ = do(made, JoinFields(("Region", "Plot"), " / ", "Place"), HideFields(("Site", "Region")))
    assert list(made.columns) == ["Net sales", "Plot", "Place"]
    assert values(made, "Place") == ["Nord / 7", "Süd"]
    assert counts == [1, 2]


def test_side_by_side_fields_become_records_line_by_line():
    table = table_of(Line=["Herbs", "Trees"], **{"Jan 2026": ["1.50", None], "Feb 2026": ["2", "3"]})
    made, counts = do(table, GatherFields(("Jan 2026", "Feb 2026"), "Month", "Net"))
    assert rows(made) == [["Herbs", "Jan 2026", "1.50"], ["Herbs", "Feb 2026", "2.00"], ["Trees", "Feb 2026", "3.00"]]
    assert counts == [3]


@pytest.mark.parametrize(
    ("mend", "what"),
    [
        (Unify("Nett", "a", ("b",)), "no field “Nett”"),
        (RenameField("Net", "Day"), "a field “Day” already"),
        (RenameField("Net", " "), "needs a name"),
        (HideFields(("Net", "Day")), "leave no field"),
        (SplitField("Day", "", ("a", "b")), "no sign"),
        (SplitField("Day", "-", ("a",)), "at least two"),
        (JoinFields(("Net",), "", "x"), "at least two"),
        (GatherFields(("Net", "Day"), "", "x"), "free name"),
        (ScaleUnit("Day", "10"), "holds no numbers"),
        (ScaleUnit("Net", "ten"), "not a factor"),
        (ScaleUnit("Net", "inf"), "not a factor"),
        (TakeFor("Day", Nature.AMOUNT), "cannot be taken for an amount"),
        (DropMatching("Net", ("1", "2")), "leave no record"),
    ],
)
def test_a_mend_that_does_not_fit_is_passed_over_and_says_why(mend, what):
    table = table_of(Net=["1", "2"], Day=["2026-01-01", "2026-01-02"])
    made, outcomes = mended(table, (mend, RenameField("Day", "Date")))
    assert what in str(outcomes[0].problem)
    assert outcomes[0].problem.where == mend.label
    assert list(made.columns) == ["Net", "Date"]


def test_every_mend_is_a_document_value_with_a_sentence():
    examples = (
        TrimSpaces(), Unify("F", "a", ("b",)), ReplaceValues("F", {"a": "b"}), BlankOut("F", ("n/a",)), FillDown("F"), KeepPart("F", "before", "-"),
        SplitField("F", "-", ("a", "b")), ReadAs("F", FieldType.DATE, "day month year"), BlankMisfits("F"), ScaleUnit("F", "100"), DropEmptyRows(),
        DropRepeatedRows(), DropMatching("F", ("",)), RenameField("F", "G"), HideFields(("F",)), JoinFields(("F", "G"), " ", "H"), GatherFields(("F", "G"), "N", "V"),
        TakeFor("F", Nature.PRICE),
    )  # fmt: skip
    assert {type(each) for each in examples} == set(AnyMend.kinds)
    for mend in examples:
        assert kinds.read(msgspec.to_builtins(mend), AnyMend) == mend
        assert mend.label[0].isupper()


def test_a_field_is_taken_for_what_it_was_said_to_be_as_long_as_its_type_is_the_same():
    table = table_of(Count=["1", "2", "2"], Pack=["1.5 ", "x", " y"])
    assert nature_of(table.column("Count")) is Nature.QUANTITY
    made, _ = mended(table, (TakeFor("Count", Nature.IDENTIFIER), TakeFor("Pack", Nature.IDENTIFIER), TrimSpaces(), RenameField("Count", "Amount"), DropRepeatedRows()))  # fmt: skip
    assert [nature_of(made.column(name)) for name in ("Amount", "Pack")] == [Nature.IDENTIFIER] * 2
    assert natural_strand(made.column("Amount"), Fold("f", ())) == "rows"
    made, _ = mended(made, (ReadAs("Amount", FieldType.TEXT),))
    assert nature_of(made.column("Amount")) is Nature.CATEGORY
    _, (again,) = mended(table, (TakeFor("Count", Nature.QUANTITY),))
    assert again.changed == 0, "it is that already"


TEXTS = st.lists(
    st.none() | st.sampled_from(["a", " a", "A", "b", "n/a", "1.50", "x-y", "", "2026-01-01"]), min_size=1, max_size=30
)


@settings(max_examples=150, deadline=None)
@given(TEXTS, st.sampled_from(["a", "b", "zz"]), st.sampled_from(["a", "c", ""]))
def test_replacing_agrees_with_plain_python(texts, old, new):
    blank = [None if text is None or not text.strip() else text for text in texts]
    table = Table.of("Any", [text_column("F", texts)])
    made, outcomes = mended(table, (ReadAs("F", FieldType.TEXT), ReplaceValues("F", {old: new})))
    assert values(made, "F") == [(new or None) if text == old else text for text in blank]
    assert outcomes[1].changed == (blank.count(old) if new != old else 0)


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(st.sampled_from("ab"), st.none() | st.sampled_from("xy")), min_size=1, max_size=40))
def test_repeated_records_agree_with_plain_python(pairs):
    table = table_of(F=[pair[0] for pair in pairs], G=[pair[1] for pair in pairs])
    assert rows(do(table, DropRepeatedRows())[0]) == [list(pair) for pair in dict.fromkeys(pairs)]
