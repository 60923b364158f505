"""Mends of a table that is not held which look at several records: done in one pass, they are what they are where it is held."""

import datetime
import itertools
import random
from decimal import Decimal
from functools import cache

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.errors import Cancelled
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.opening.mending import Mending
from foldbasket.opening.sources import read_source
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import coded_from_arrow
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.detection import judged_as, put
from foldbasket.tables.mending import passes
from foldbasket.tables.mending.fields import GatherFields, RenameField
from foldbasket.tables.mending.mend import AnyMend
from foldbasket.tables.mending.natures import TakeFor
from foldbasket.tables.mending.rows import DropEmptyRows, DropMatching, DropRepeatedRows
from foldbasket.tables.mending.texts import BlankOut, FillDown, ReplaceValues, TrimSpaces
from foldbasket.tables.mending.types import BlankMisfits, ReadAs
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.repeats import repeated, repeated_in_order
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.store import STORE, state_of
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import bring
from tests.folding.build import lines, measure, placed
from tests.rounds import seeds

LARGE = 10**12
FIELDS = ("Site", "Day", "Paid", "Net", "Jan", "Feb", "Mar")
MENDS = [
    (DropEmptyRows(),),
    (DropRepeatedRows(),),
    (DropRepeatedRows(("Site", "Day")),),
    (DropMatching("Site", ("Total", "")),),
    (FillDown("Site"),),
    (FillDown("Day"), FillDown("Net")),
    (GatherFields(("Jan", "Feb", "Mar"), "Month", "Pieces"),),
    (GatherFields(("Site", "Paid", "Jan"), "What", "Said"),),
    (TrimSpaces(("Site",)), FillDown("Site"), DropMatching("Site", ("Total",)), RenameField("Site", "Yard")),
    (ReadAs("Paid", FieldType.DECIMAL), FillDown("Paid")),
    (ReadAs("Paid", FieldType.DECIMAL), FillDown("Site"), ReplaceValues("Paid", {"n/a": "0.25"})),
    (ReadAs("Paid", FieldType.DECIMAL), DropRepeatedRows(("Paid", "Site")), BlankMisfits("Paid")),
    (FillDown("Site"), GatherFields(("Jan", "Feb", "Mar"), "Month", "Pieces"), DropRepeatedRows(("Site", "Month"))),
    (DropRepeatedRows(), DropEmptyRows(), FillDown("Site"), BlankOut("Paid", ("n/a",))),
    (TakeFor("Net", Nature.IDENTIFIER), FillDown("Net")),
]


@pytest.fixture(autouse=True)
def cut_small(monkeypatch):
    """Pieces and groups of few records, so that everything spans several."""
    monkeypatch.setattr(passes, "PIECE", 7)
    monkeypatch.setattr(passes, "GROUP", 20)


def made(folder, seed, many=90):
    """Files as a report leaves them: groups named once, total lines, empty lines, repeated lines, months side by side."""
    draw = random.Random(seed)
    rows = []
    for _ in range(many):
        if rows and draw.random() < 0.15:
            rows.append(draw.choice(rows[-30:]))
        elif draw.random() < 0.1:
            rows.append((None,) * 7)
        else:
            rows.append(
                (
                    draw.choice([None, None, None, "Ash", " Elm", "Oak", "Total"]),
                    draw.choice([None, datetime.date(2026, draw.randrange(1, 4), 1)]),
                    draw.choice(["1.50", "2.25", "n/a", None]),
                    draw.choice([None, Decimal(draw.randrange(-500, 500)) / 100]),
                    *(draw.choice([None, draw.randrange(5)]) for _ in range(3)),
                )
            )
    kinds = (pa.string(), pa.date32(), pa.string(), pa.decimal128(12, 2), pa.int64(), pa.int64(), pa.int64())
    for at in range(3):
        part = rows[at * many // 3 : (at + 1) * many // 3]
        table = pa.table({name: pa.array([row[place] for row in part], kind) for place, (name, kind) in enumerate(zip(FIELDS, kinds, strict=True))})  # fmt: skip
        pq.write_table(table, folder / f"m{at}.parquet", store_schema=False, row_group_size=11)
    return folder


@pytest.fixture(scope="module", params=range(2))
def months(tmp_path_factory, request):
    return made(tmp_path_factory.mktemp("months"), request.param)


def source(place, mends):
    return SourceSpec("T", place.name, mends=tuple(mends))


@cache
def read_as(place, most, state):
    return read_source(source(place, ()), place.parent, Agreed(), most=most)


def apart_and_held(place, mends):
    """The mended table, not held and held, with what became of its mends."""
    found = []
    for most in (10, LARGE):
        read = read_as(place, most, state_of(place))
        assert is_sampled(read) == (most == 10)
        table, told = Mending().table(read, source(place, mends))
        bring(table, table.columns)
        found.append((table, told))
    return found


def texts(column):
    coded = column.coded()
    return [coded.text(at) for at in range(len(coded))]


def named(mends):
    return ", ".join(type(each).__name__ for each in mends)


@pytest.mark.parametrize("mends", MENDS, ids=named)
def test_every_field_and_every_count_is_as_it_is_when_the_table_is_held(months, mends):
    (apart, told), (held, expected) = apart_and_held(months, mends)
    assert [each.problem for each in told] == [None] * len(mends)
    assert list(apart.columns) == list(held.columns)
    for name, column in held.columns.items():
        assert texts(apart.columns[name]) == texts(column), name
        assert apart.columns[name].type in (column.type, FieldType.TEXT), name
    last = max(at for at, mend in enumerate(mends) if not mend.by_record)
    for each, other in list(zip(told, expected, strict=True))[: last + 1]:
        assert (each.changed, each.dropped) == (other.changed, other.dropped), each.mend.label
        assert not each.sampled


def test_all_kinds_that_go_through_in_order_are_tried_here_and_no_others_are_left():
    tried = {type(each) for mends in MENDS for each in mends}
    assert tried >= {kind for kind in AnyMend.kinds if kind.in_order}
    assert all(kind.by_record or kind.in_order for kind in AnyMend.kinds)


def test_it_is_folded_part_by_part_and_its_natures_stay(months):
    mends = (TakeFor("Net", Nature.IDENTIFIER), FillDown("Site"), DropMatching("Site", ("Total",)))
    apart, _ = Mending().table(read_as(months, 10, state_of(months)), source(months, mends))
    _, (held, _) = apart_and_held(months, mends)
    assert is_sampled(apart)
    assert nature_of(apart.columns["Net"]) is Nature.IDENTIFIER
    fold = Fold("F", (measure("sum", "T.Jan"), measure("count")), (placed("T.Site"),))
    engine = Engine(Source({"T": apart}, []), memory=0)
    assert lines(engine.fold(fold)) == lines(Engine(Source({"T": held}, [])).fold(fold))
    assert engine.ran["part"] > 1


def test_the_pass_is_made_once_and_anew_when_a_file_changes(tmp_path, monkeypatch):
    (tmp_path / "months").mkdir()
    place = made(tmp_path / "months", 5)
    ran, write = [], passes.write_pass
    monkeypatch.setattr("foldbasket.opening.mending.write_pass", lambda *given: (ran.append(1), write(*given)))
    mends = (FillDown("Site"),)
    first, again = (apart_and_held(place, mends)[0] for _ in range(2))
    assert len(ran) == 1
    assert first[1] == again[1]
    made(place, 6)
    (apart, _), (held, _) = apart_and_held(place, mends)
    assert len(ran) == 2
    assert texts(apart.columns["Site"]) == texts(held.columns["Site"])


def test_delimited_text_that_is_not_held_is_mended_so_too(tmp_path):
    place = tmp_path / "report.csv"
    body = [f"{'Ash' if at % 9 == 0 else ''},{at % 7},{at % 3}.50" for at in range(400)]
    place.write_text("\n".join(["Site,Jan,Feb", *body, *body[-3:]]) + "\n")
    mends = (FillDown("Site"), DropRepeatedRows(), GatherFields(("Jan", "Feb"), "Month", "Amount"))
    (apart, told), (held, _) = apart_and_held(place, mends)
    assert all(each.problem is None for each in told)
    for name, column in held.columns.items():
        assert texts(apart.columns[name]) == texts(column), name


def test_a_mend_that_would_leave_no_record_is_passed_over_and_the_others_are_done(months):
    every = ("Ash", " Elm", "Oak", "Total", "")
    (apart, told), (held, expected) = apart_and_held(months, (DropMatching("Site", every), FillDown("Day")))
    assert told[0].problem.what == expected[0].problem.what == "it would leave no record."
    assert told[1].problem is None
    assert texts(apart.columns["Day"]) == texts(held.columns["Day"])
    (apart, told), _ = apart_and_held(months, (RenameField("Day", "On"), DropMatching("Site", every)))
    assert told[0].problem is None
    assert "On" in apart.columns
    assert told[1].problem.what == "it would leave no record."


def test_a_field_that_is_not_there_costs_no_pass(months, monkeypatch):
    monkeypatch.setattr("foldbasket.opening.mending.write_pass", None)
    read = read_source(source(months, ()), months.parent, Agreed(), most=10)
    table, told = Mending().table(read, source(months, (FillDown("Sites"), TrimSpaces())))
    assert "no field “Sites”" in told[0].problem.what
    assert told[1].problem is None
    assert table.count == read.count


def test_a_source_with_such_mends_is_not_held_either(months):
    read = read_source(source(months, (FillDown("Site"),)), months.parent, Agreed(), most=10)
    assert is_sampled(read)


def test_without_leave_to_keep_anything_it_is_passed_over_with_the_reason(months):
    read = read_source(source(months, ()), months.parent, Agreed(), most=10)
    before = STORE.size()
    table, told = Mending().table(read, source(months, (TrimSpaces(), FillDown("Site"))), keep=False)
    assert told[0].problem is None
    assert told[0].sampled == read.count
    assert "looks at more than one record at a time" in told[1].problem.what
    assert is_sampled(table)
    assert STORE.size() == before
    held = read_source(source(months, (FillDown("Site"),)), months.parent, Agreed(), most=10, keep=False)
    assert not is_sampled(held)


def test_a_full_disk_passes_it_over_and_keeps_nothing(months, monkeypatch):
    read = read_source(source(months, ()), months.parent, Agreed(), most=10)

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("foldbasket.opening.mending.write_pass", full)
    table, told = Mending().table(
        read, source(months, (RenameField("Site", "Yard"), FillDown("Yard"), FillDown("Days")))
    )
    assert "could not be kept on the disk: No space left on device" in told[1].problem.what
    assert "no field “Days”" in told[2].problem.what
    assert told[0].problem is None
    assert "Yard" in table.columns
    assert not list(STORE.folder.glob("*.parquet")) + list(STORE.folder.glob(".*.new"))


def test_it_can_be_cancelled_and_leaves_nothing_behind(months):
    read = read_source(source(months, ()), months.parent, Agreed(), most=10)
    progress = Progress(lambda what, share: progress.cancel() if share > 0.4 else None)
    with pytest.raises(Cancelled):
        Mending().table(read, source(months, (FillDown("Site"),)), progress)
    assert not list(STORE.folder.glob("*.parquet")) + list(STORE.folder.glob(".*.new"))


@pytest.mark.parametrize("mends", MENDS, ids=named)
def test_parts_without_records_do_no_harm(months, mends):
    whole = read_as(months, LARGE, state_of(months))
    nothing = whole.picked(np.zeros(0, np.int64))
    for mend in mends:
        parts = [nothing, whole, nothing]
        step = mend.through(lambda parts=parts: iter(parts))
        made = [step(part).table for part in parts]
        assert made[0].count == made[2].count == 0
        nothing, whole = made[0], made[1]


@pytest.mark.parametrize("seed", seeds(30))
def test_repeated_records_are_found_part_by_part_as_in_one(seed, tmp_path):
    draw = random.Random(seed)
    many = draw.randrange(1, 300)
    rows = [(draw.choice([None, "a", "b", ""]), draw.choice([None, 0, 1, -1]), draw.choice([None, 0.0, 2.5]), draw.choice([None, True])) for _ in range(many)]  # fmt: skip

    def table(some):
        kinds = (pa.string(), pa.int64(), pa.float64(), pa.bool_())
        arrays = [pa.chunked_array([pa.array([row[at] for row in some], kind)]) for at, kind in enumerate(kinds)]

        return Table.of("T", [from_arrow(str(at), array) for at, array in enumerate(arrays)])

    whole = table(rows)
    edges = sorted({0, many, *(draw.randrange(many + 1) for _ in range(4))})
    parts = [table(rows[start:stop]) for start, stop in itertools.pairwise(edges)]
    for fields in ((), ("0",), ("1", "2")):
        found = np.concatenate(list(repeated_in_order(iter(parts), fields, tmp_path / "cache")))
        assert found.tolist() == repeated(whole, fields).tolist()


def test_what_did_not_fit_its_type_tells_records_apart_by_its_text():
    text = coded_from_arrow("Paid", pa.chunked_array([pa.array(["1.5", "1.50", "n/a", "?", "n/a"])]))

    found = judged_as(text, FieldType.DECIMAL)
    table = put(Table.of("T", [found.column]), found.column, found.text)
    assert repeated(table).tolist() == [False, True, False, False, True]
