"""Every mend and conversion keeps the number of records, each value on its own record, or says how many it drops."""

import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from foldbasket.errors import ReadError
from foldbasket.tables.column import NumberColumn, text_column
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.mending import fields, natures, rows, texts, types
from foldbasket.tables.mending.mend import AnyMend, Mend, mended
from foldbasket.tables.nature import Nature
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType

WORDS = st.one_of(st.none(), st.sampled_from(["x", "y z", " x ", "12", "1.5", "2026-01-02", "-", "Ä", "", "x-1"]))
MENDS = [
    texts.TrimSpaces(("A", "B")), texts.Unify("A", "x", (" x ", "Ä")), texts.ReplaceValues("A", {"x": "", "12": "13"}), texts.BlankOut("A", ("-",)),
    texts.FillDown("A"), texts.KeepPart("A", "before", "-"), texts.KeepPart("A", "letters", start=2), texts.SplitField("A", "-", ("A", "D")),
    types.ReadAs("A", FieldType.WHOLE), types.ReadAs("A", FieldType.TEXT), types.BlankMisfits("A"), types.ScaleUnit("N", "0.01"),
    rows.DropEmptyRows(), rows.DropRepeatedRows(), rows.DropRepeatedRows(("A",)), rows.DropMatching("A", ("x", "")),
    fields.RenameField("A", "Z"), fields.HideFields(("B",)), fields.JoinFields(("A", "B"), " ", "J"), fields.JoinFields(("A", "B", "C"), "", "A"),
    fields.GatherFields(("A", "B"), "Name", "Value"), natures.TakeFor("N", Nature.IDENTIFIER), natures.TakeFor("A", Nature.TEXT),
]  # fmt: skip


def test_every_kind_of_mend_is_tried():
    assert {type(mend) for mend in MENDS} == set(AnyMend.kinds)


def table_of(records):
    columns = [text_column(name, [record[at] for record in records]) for at, name in enumerate("ABC")]
    number = pa.chunked_array([pa.array(range(len(records)), pa.int64())])
    return Table.of("T", [*columns, from_arrow("N", number)])


@settings(max_examples=40, suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(st.lists(st.tuples(WORDS, WORDS, WORDS), min_size=1, max_size=12))
def test_records_are_kept_or_their_loss_is_told(records):
    table = table_of(records)
    for mend in MENDS:
        made, (outcome,) = mended(table, (mend,))
        if outcome.problem is not None:
            assert made is table
            continue
        if not isinstance(mend, fields.GatherFields):
            assert table.count - made.count == outcome.dropped
        numbers = made.columns["N"]
        if isinstance(mend, fields.GatherFields):
            assert made.count == sum(value is not None for record in records for value in map(blank, record[:2]))
        elif not isinstance(mend, types.ScaleUnit):
            # Whatever the mend did to others, each record that is left has the fields it had.
            left = [int(value) for value in numbers.values]
            assert [made.columns["C"].text(at) for at in range(made.count)] == [
                blank(records[number][2]) for number in left
            ]


def blank(value):
    return value if value is not None and value.strip() else None


def test_joining_keeps_a_record_that_is_blank_in_all_fields():
    table = table_of([("x", "1", None), (None, None, None), ("y", None, None)])
    made, _ = mended(table, (fields.JoinFields(("A", "B"), " ", "J"),))
    assert [made.columns["J"].text(at) for at in range(3)] == ["x 1", None, "y"]


def test_columns_of_different_length_are_never_a_table():
    import numpy as np

    with pytest.raises(ReadError, match="came out with 2 values where the other fields have 3"):
        Table.of(
            "T",
            [
                text_column("A", ["x"] * 3),
                text_column("B", ["x"] * 3),
                NumberColumn("N", FieldType.WHOLE, np.arange(2)),
            ],
        )


def test_a_mend_that_loses_records_without_meaning_to_is_passed_over():
    class Loses(Mend, frozen=True):
        label = "Lose the last"

        def apply(self, table):
            from foldbasket.tables.mending.mend import Mended, with_records

            return Mended(with_records(table, table.columns["N"].values < table.count - 1), 0)

    table = table_of([("x", "1", None), ("y", "2", None)])
    made, (outcome,) = mended(table, (Loses(),))
    assert made.count == 2
    assert "it would lose 1 record without" in str(outcome.problem)


def test_whole_numbers_past_64_bits_with_a_sign_stay_what_they_are():
    values = pa.chunked_array([pa.array([2**64 - 1, None, 5], pa.uint64())])
    column = from_arrow("n", values)
    assert [column.text(at) for at in range(3)] == ["18446744073709551615", None, "5"]
    small = from_arrow("n", pa.chunked_array([pa.array([2**63 - 1, 0], pa.uint64())]))
    assert small.type is FieldType.WHOLE
    assert small.text(0) == str(2**63 - 1)
