"""Mends of a table that is not held: every part is mended as the whole would be."""

import random
from decimal import Decimal
from functools import cache

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.errors import ReadError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.links.source import Source
from foldbasket.opening.mending import Mending
from foldbasket.opening.sources import read_source
from foldbasket.spec.fold import Fold
from foldbasket.tables.mending.fields import HideFields, JoinFields, RenameField
from foldbasket.tables.mending.mend import AnyMend
from foldbasket.tables.mending.natures import TakeFor
from foldbasket.tables.mending.texts import (
    BlankOut,
    KeepPart,
    ReplaceValues,
    SplitField,
    TrimSpaces,
    Unify,
)
from foldbasket.tables.mending.types import BlankMisfits, ReadAs, ScaleUnit
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.parquetstream import ParquetStream
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.survey import survey
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import is_unread
from tests.folding.build import lines, measure, placed, ref

LARGE = 10**12
MENDS = [
    (TrimSpaces(),),
    (TrimSpaces(("Site",)), Unify("Site", "Ash", ("ash", "ASH"))),
    (ReplaceValues("Site", {"Elm": "Elms", "Oak": ""}),),
    (BlankOut("Paid", ("n/a",)), ReadAs("Paid", FieldType.DECIMAL)),
    (KeepPart("Order", "before", "-"), RenameField("Order", "Line of trade")),
    (SplitField("Order", "-", ("Trade", "Number")),),
    (JoinFields(("Site", "Order"), " / ", "Both"), HideFields(("Order",))),
    (RenameField("Net", "Amount"), ScaleUnit("Amount", "100")),
    (ReadAs("Paid", FieldType.DECIMAL), BlankMisfits("Paid")),
    (ReadAs("Day", FieldType.DATE, "day month year"), RenameField("Day", "Ordered on")),
    (TakeFor("Pieces", Nature.IDENTIFIER),),
    (RenameField("File", "Month"), ReplaceValues("Month", {"m0.parquet": "January"})),
]
"""Of every kind that looks at one record at a time."""


@pytest.fixture(scope="module")
def months(tmp_path_factory):
    """Seven files of a table, with text as exports have it."""
    folder, draw = tmp_path_factory.mktemp("months"), random.Random(8)
    for at in range(7):
        many = draw.randrange(0, 60) if at else 40
        pq.write_table(
            pa.table(
                {
                    "Site": pa.array([draw.choice([" Ash", "ash", "ASH", "Elm ", "Oak", None]) for _ in range(many)], pa.string()),
                    "Order": pa.array([f"{draw.choice('AB')}-{draw.randrange(9):03d}" for _ in range(many)], pa.string()),
                    "Paid": pa.array([draw.choice(["1.50", "2.25", "n/a", None]) for _ in range(many)], pa.string()),
                    "Day": pa.array([f"{draw.randrange(1, 29):02d}/{draw.randrange(1, 13):02d}/2026" for _ in range(many)], pa.string()),
                    "Net": pa.array([Decimal(draw.randrange(-999, 9999)) / 100 for _ in range(many)], pa.decimal128(12, 2)),
                    "Pieces": pa.array([draw.randrange(50) for _ in range(many)], pa.int64()),
                }
            ),
            folder / f"m{at}.parquet", store_schema=False, row_group_size=15,
        )  # fmt: skip
    return folder


@cache
def _read(place, most):
    return read_source(SourceSpec("T", place.name), place.parent, Agreed(), most=most)


def both(place, mends):
    """The mended table, held and not."""
    found = []
    for read in (_read(place, LARGE), _read(place, 10)):
        table, outcomes = Mending().table(read, SourceSpec("T", place.name, mends=tuple(mends)))
        assert all(each.problem is None for each in outcomes), outcomes
        found.append(table)
    held, apart = found
    assert is_sampled(apart)
    assert not is_sampled(held)
    return held, apart


def texts(column):
    coded = column.coded()
    return [coded.text(at) for at in range(len(coded))]


@pytest.mark.parametrize("mends", MENDS, ids=lambda mends: ", ".join(type(each).__name__ for each in mends))
def test_every_field_is_as_it_is_when_the_table_is_held(months, mends):
    held, apart = both(months, mends)
    assert list(apart.columns) == list(held.columns)
    assert apart.count == held.count
    for name, column in held.columns.items():
        assert texts(apart.columns[name]) == texts(column), name
    for name in apart.columns:
        # Of a file part by part only text that somebody reads as something else becomes it.
        assert apart.columns[name].type in (held.columns[name].type, FieldType.TEXT), name


@pytest.mark.parametrize("mends", MENDS, ids=lambda mends: ", ".join(type(each).__name__ for each in mends))
def test_folds_over_it_are_the_same(months, mends):
    held, apart = both(months, mends)
    site = "Site" if "Site" in held.columns else next(iter(held.columns))
    amount = "Amount" if "Amount" in held.columns else "Net"
    fold = Fold("F", (measure("sum", f"T.{amount}"), measure("count")), (placed(f"T.{site}"),), (), (Members("m", ref(f"T.{site}"), members=("Oak",), exclude=True),))  # fmt: skip
    engine = Engine(Source({"T": apart}, []), memory=0)
    assert lines(engine.fold(fold)) == lines(Engine(Source({"T": held}, [])).fold(fold))
    assert engine.ran["part"] > 1
    if site != "File":
        assert not any(column.unread.has(site) for column in apart.columns.values() if is_unread(column))


def test_kinds_that_look_at_one_record_at_a_time_are_those_tried_here():
    tried = {type(each) for mends in MENDS for each in mends}
    assert tried == {kind for kind in AnyMend.kinds if kind.by_record}


def test_a_value_that_the_sample_did_not_tell_of_is_an_error_that_names_the_field(months, tmp_path, monkeypatch):
    monkeypatch.setattr("foldbasket.tables.sample.RECORDS", 12)
    whole = pq.read_table(months / "m0.parquet")
    pq.write_table(whole, tmp_path / "m0.parquet", store_schema=False)
    text = pa.array(["1.50"] * (whole.num_rows - 1) + ["1.123"], pa.string())
    odd = whole.set_column(whole.column_names.index("Paid"), "Paid", text)
    pq.write_table(odd, tmp_path / "m9.parquet", store_schema=False)
    _, apart = both(tmp_path, (BlankOut("Paid", ("n/a",)), ReadAs("Paid", FieldType.DECIMAL)))
    with pytest.raises(ReadError, match="“Paid” has values that do not fit"):
        Engine(Source({"T": apart}, []), memory=0).fold(Fold("F", (measure("sum", "T.Paid"),)))


def test_only_fields_that_a_mend_is_made_of_are_read(months, monkeypatch):
    _, apart = both(months, (JoinFields(("Site", "Order"), " ", "Both"), RenameField("Net", "Amount"), TrimSpaces()))
    stream = apart.columns["Both"].unread.stream
    asked, plain = [], ParquetStream.parts
    monkeypatch.setattr(ParquetStream, "parts", lambda own, names: (asked.append(sorted(names)), plain(own, names))[1])
    for names in (["Both"], ["Amount"], ["Site"], ["File"]):
        list(stream.parts(names))
    assert asked[:3] == [["Order", "Site"], ["Net"], ["Site"]]
    assert len(asked[3]) == 1


def test_it_is_surveyed_and_taken_for_what_it_was_said_to_be(months):
    held, apart = both(months, (TrimSpaces(), TakeFor("Pieces", Nature.IDENTIFIER)))
    assert nature_of(apart.columns["Pieces"]) is Nature.IDENTIFIER
    found = survey(apart, apart.columns["Site"].unread.stream, Progress())
    members = found["Site"].members
    assert set(members.dictionary.texts) == set(held.columns["Site"].dictionary.texts)
    assert found["Net"].profile.blanks == 0
