"""A fold of a table that is not held is the same as of one that is, whatever is asked."""

import datetime as dt
import os
import random
from decimal import Decimal

import msgspec
import pyarrow.parquet as pq
import pytest

from foldbasket.errors import Cancelled, FoldError, ReadError
from foldbasket.folding import elsewhere
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative, Unit
from foldbasket.folding.filters.values import Between, Compare
from foldbasket.kinds import read
from foldbasket.links.source import Source
from foldbasket.spec.cut import Bands, Group, Groups
from foldbasket.spec.fold import FORMULA, Fold, Measure
from foldbasket.spec.page import Listing, Page
from foldbasket.styling.dates import Fiscal
from foldbasket.tables.conversion import to_arrow
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import parquetstream
from foldbasket.tables.reading.parquetstream import ParquetStream
from foldbasket.tables.table import Table
from foldbasket.tables.unread import bound, is_unread, unread_columns
from tests.folding.build import bands, keep, lines, measure, placed, ref, table
from tests.folding.statement.test_random_statements import LINKS, agree, random_tables
from tests.folding.streaming import answered, plain_schema, streamed
from tests.rounds import seeds

REFUSED = ("not held at once", "are not held")


def engines(tables, links, folder, rng, **more):
    """An engine with the first table held, and one with it as a stream; other tables are held."""
    held = {each.name: each for each in tables}
    first = tables[0]
    apart = {**held, first.name: streamed(first, folder, rng)}
    fiscal = Fiscal(4)
    return (
        Engine(Source(held, links, (), fiscal), **more),
        Engine(Source(apart, links, (), fiscal), memory=0, **more),
    )


def told(report):
    """Each line of both axes by its members, and every cell."""
    axes = [
        [(*(axis.token(line, field) for field in range(axis.depth)), int(axis.kind[line])) for line in range(len(axis))]
        for axis in (report.rows, report.columns)
    ]
    cells = [
        [[report.exact(at, row, column) for column in range(len(report.columns))] for row in range(len(report.rows))]
        for at in range(len(report.measures))
    ]
    return axes, cells


def assert_same(got, wanted, fold):
    """The same members and kinds of line, and the same cells, reals nearly."""
    assert told(got)[0] == told(wanted)[0], fold
    for one, two in zip(told(got)[1], told(wanted)[1], strict=True):
        for mine, theirs in zip(one, two, strict=True):
            assert all(agree(a, b) for a, b in zip(mine, theirs, strict=True)), fold


@pytest.mark.parametrize("seed", seeds(12))
def test_random_folds_streamed_from_seven_files_are_those_held(seed, tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    rng = random.Random(seed * 131 + 7)
    tables = random_tables(rng)
    held, apart = engines(tables, LINKS, tmp_path, rng)
    done = 0
    for fold, wanted in answered(held, rng, 25):
        got = apart.fold(fold)
        assert_same(got, wanted, fold)
        assert (got.kept, got.records, got.sentence) == (wanted.kept, wanted.records, wanted.sentence)
        done += 1
    assert done > 15
    assert all(
        is_unread(column) and not column.unread.has(name)
        for name, column in apart.source.tables["Lines"].columns.items()
    )


def sales(many=40, seed=3):
    draw = random.Random(seed)
    return table(
        "Lines",
        {
            "Site": [draw.choice(["Mill", "Yard", "Dock", None]) for _ in range(many)],
            "Net": [draw.choice([None, Decimal(draw.randrange(-999, 9999)) / 100]) for _ in range(many)],
            "Pieces": [draw.randrange(9) for _ in range(many)],
        },
    )


@pytest.fixture
def both(tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    return engines([sales()], (), tmp_path, random.Random(1))


@pytest.mark.parametrize(
    "aggregate",
    ["mode", "list", "percentile", "product", "standard deviation", "variance of all", "count different", "range"],
)
def test_aggregates_of_the_values_themselves(both, aggregate):
    field = "Lines.Site" if aggregate in ("list", "mode") else "Lines.Net"
    fold = Fold("f", (measure(aggregate, field),), (placed("Lines.Pieces"),))
    one, two = (lines(engine.fold(fold)) for engine in both)
    assert [line[:-1] for line in one] == [line[:-1] for line in two]
    assert all(agree(a[-1], b[-1]) for a, b in zip(one, two, strict=True))


def test_picked_gathered_and_grouped_members(both):
    groups = Groups((Group("Wet", ("Mill", "Dock")),))
    top = placed("Lines.Pieces", keep=keep("sum Lines.Net", "top", "2", rest="gathered"))
    fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site", groups=groups), top))
    one, two = (lines(engine.fold(fold)) for engine in both)
    assert one == two


def test_a_table_that_fits_is_held_and_read_once(tmp_path):
    _, apart = engines([sales()], (), tmp_path, random.Random(1))
    fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),))
    large = Engine(apart.source, memory=10**9)
    assert lines(large.fold(fold)) == lines(apart.fold(fold))
    columns = apart.source.tables["Lines"].columns
    assert {name for name, column in columns.items() if column.unread.has(name)} == {"Net", "Site"}


@pytest.mark.parametrize("seed", seeds(8))
def test_records_listed_under_their_groups_are_those_held(seed, tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    rng = random.Random(seed * 61 + 3)
    held, apart = engines(random_tables(rng), LINKS, tmp_path, rng)
    done = 0
    for fold, _ in answered(held, rng, 25):
        by = ref("Lines.Net") if rng.random() < 0.5 else None
        fields = rng.choice([(), (ref("Lines.Net"), ref("Lines.Sold"), ref("Lines.Site"), ref("Customers.Region"))])
        rows = tuple(msgspec.structs.replace(word, empty=False) for word in fold.rows)
        asked = msgspec.structs.replace(fold, rows=rows, page=Page(listing=Listing(fields, by, rng.random() < 0.5)))
        try:
            wanted = held.listing(asked)
        except FoldError:
            continue
        got = apart.listing(asked)
        assert_same(got, wanted, asked)
        assert (got.sentence, got.counted[0].kept, got.records) == (wanted.sentence, wanted.kept, wanted.records)
        assert [head.heading for head in got.measures] == [head.heading for head in wanted.measures]
        assert got.rows.captions == wanted.rows.captions
        done += 1
    assert done > 12


def test_what_relative_dates_go_by_is_that_of_all_records_where_some_are_listed(tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    rng = random.Random(4)
    days = [dt.date(2026, 1, 1) + dt.timedelta(at) for at in range(50)]
    of = table("Lines", {"Site": ["Mill", "Yard"] * 25, "Day": days, "Net": [Decimal(at) for at in range(50)]})
    held, apart = engines([of], (), tmp_path, rng)
    old = "SUM(CASE WHEN CURRENT_DATE - Day > 20 THEN Net ELSE 0 END)"
    fold = Fold(
        "f",
        (measure("sum", "Lines.Net"), Measure("old", FORMULA, formula=old)),
        (placed("Lines.Site"),),
        filters=(
            Compare("c", ref("Lines.Net"), None, "<", "30"),
            Relative("r", ref("Lines.Day"), unit=Unit.DAY, count=40),
        ),
        page=Page(listing=Listing((ref("Lines.Net"), ref("Lines.Day")))),
    )
    one, two = (engine.listing(fold) for engine in (held, apart))
    assert lines(one) == lines(two)
    assert 5 < one.kept < 30
    assert one.origin.as_of() == two.origin.as_of() == "19 Feb 2026"


def test_more_records_than_can_be_listed_are_refused_before_they_are_gathered(both, monkeypatch):
    _, apart = both
    monkeypatch.setattr(elsewhere, "MOST_GATHERED", 12)
    fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),))
    with pytest.raises(FoldError, match="more than 12 records of “Lines” would be listed one by one") as refused:
        apart.listing(fold)
    assert "Filter the fold" in str(refused.value)
    few = msgspec.structs.replace(fold, filters=(Compare("f", ref("Lines.Pieces"), None, ">", "7"),))
    assert 0 < apart.listing(few).counted[0].kept <= 12
    stopped = Progress()
    stopped.cancel()
    with pytest.raises(Cancelled):
        apart.listing(few, stopped)


ORDERS = ["Lines.Sold", "Lines.Qty", "Lines.Net", "Lines.Rate", "Lines.Site", "Lines.Paid"]


@pytest.mark.parametrize("seed", seeds(8))
def test_first_and_last_by_any_field_are_those_held(seed, tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    rng = random.Random(seed * 7 + 1)
    held, apart = engines(random_tables(rng), LINKS, tmp_path, rng)
    for _ in range(20):
        made = [
            Measure(f"m{at}", rng.choice(["first", "last"]), ref(rng.choice(ORDERS)), order=ref(rng.choice(ORDERS)))
            for at in range(2)
        ]
        rows = [placed(name) for name in rng.sample(["Lines.Site", "Customers.Region", "Lines.Paid"], rng.randrange(3))]
        rules = (Compare("f", ref("Lines.Qty"), None, ">", "3"),) if rng.random() < 0.4 else ()
        fold = Fold("f", (*made, measure("sum", "Lines.Net")), tuple(rows), filters=rules)
        assert_same(apart.fold(fold), held.fold(fold), fold)


@pytest.mark.parametrize(("how", "size"), [("width", "5"), ("width", "0.5"), ("counts", "4")])
@pytest.mark.parametrize("name", ["Lines.Net", "Lines.Qty", "Lines.Rate"])
def test_bands_that_the_values_cut_are_those_held(tmp_path, monkeypatch, how, size, name):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    rng = random.Random(5)
    held, apart = engines(random_tables(rng), LINKS, tmp_path, rng)
    if how == "counts":  # which takes all of the field's values, held for it
        apart = Engine(apart.source, memory=70 * 8)
    field = bands(how, size) if how == "width" else read({"how": how, "size": size}, Bands)
    fold = Fold(
        "f",
        (measure("sum", "Lines.Net"), measure("count")),
        (placed(name, bands=field), placed("Lines.Site")),
        filters=(Compare("f", ref("Lines.Qty"), None, ">", "3"),),
    )
    wanted = held.fold(fold)
    got = apart.fold(fold)
    assert_same(got, wanted, fold)
    assert [got.rows.label(line, 0) for line in range(got.height)] == [
        wanted.rows.label(line, 0) for line in range(wanted.height)
    ]
    assert got.counted[0].place == "part by part"


def test_bands_of_equal_counts_of_more_values_than_can_be_held_are_refused_with_what_to_do(both):
    _, apart = both
    four = placed("Lines.Net", bands=read({"how": "counts", "size": "4"}, Bands))
    with pytest.raises(FoldError, match="the bands of “Net” depend on all of its values") as raised:
        apart.fold(Fold("f", (measure("count"), measure("sum", "Lines.Pieces")), (four,)))
    assert "edges" in str(raised.value)


def test_a_file_that_is_cut_off_or_replaced_is_told_and_a_fold_can_be_cancelled(both, tmp_path):
    _, apart = both
    fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),))
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        apart.fold(fold, progress)
    last = max(tmp_path.glob("*.parquet"))
    whole = last.read_bytes()
    times = last.stat()
    for other in (whole[: len(whole) // 2], whole + b"x"):
        last.write_bytes(other)
        with pytest.raises(ReadError, match="changed after it was opened"):
            apart.fold(fold)
    damaged = bytearray(whole)
    damaged[4:60] = b"\xff" * 56
    last.write_bytes(damaged)
    os.utime(last, ns=(times.st_atime_ns, times.st_mtime_ns))
    with pytest.raises(ReadError, match="cannot be read to its end"):
        apart.fold(fold)
    last.write_bytes(whole)
    os.utime(last, ns=(times.st_atime_ns, times.st_mtime_ns))
    assert apart.fold(fold).height


def test_parts_of_whole_numbers_past_64_bits_are_added_up_exactly(tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 2)
    huge = table("Lines", {"Site": ["a"] * 40, "Net": [2**62 + at for at in range(40)]})
    _, apart = engines([huge], (), tmp_path, random.Random(2))
    made = apart.fold(Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),)))
    assert made.value(0, 0) == sum(2**62 + at for at in range(40))


def test_groups_that_a_filter_rules_out_are_not_read(tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    first = dt.date(2025, 1, 1)
    many = 400
    made = table(
        "Lines",
        {
            "Day": [first + dt.timedelta(at) if at % 97 else None for at in range(many)],
            "Site": [["Mill", "Yard"][at // 200] for at in range(many)],
            "Net": [Decimal(at) / 100 for at in range(many)],
        },
    )
    whole, paths = to_arrow(made), []
    for at in range(8):
        paths.append(tmp_path / f"{at}.parquet")
        pq.write_table(
            whole.slice(at * 50, 50).cast(plain_schema(whole)), paths[-1], store_schema=False, row_group_size=10
        )
    kinds = {name: (column.type, column.scale) for name, column in made.columns.items()}
    table_ = Table("Lines", unread_columns(kinds, many))
    apart_ = bound(table_, lambda names: {}, ParquetStream("Lines", paths, [50] * 8, size=1))
    fold = Fold("f", (measure("sum", "Lines.Net"), measure("count")), (placed("Lines.Site"),))
    rules = [
        (Members("f", ref("Lines.Day"), "month", ("2025-03",)), 16),
        (Members("f", ref("Lines.Day"), "quarter", ("2025-Q1",), exclude=True), 64),
        (Between("f", ref("Lines.Day"), None, "2025-12-20", ""), 12),
        (Members("f", ref("Lines.Day"), blank=True), 14),
        (Compare("f", ref("Lines.Day"), "year", "=", "2026"), 10),
        (Members("f", ref("Lines.Site"), members=("Yard",)), 40),
        (Members("f", ref("Lines.Site"), members=("Yard",), exclude=True), 40),
        (Members("f", ref("Lines.Day"), "year", ("2031",)), 2),
        (Either("f", (Members("x", ref("Lines.Day"), "month", ("2025-03",)), Members("y", ref("Lines.Day"), "month", ("2025-05",)))), 24),
    ]  # fmt: skip
    for rule, most in rules:
        asked = msgspec.structs.replace(fold, filters=(rule,))
        held = Engine(Source({"Lines": made}))
        far = Engine(Source({"Lines": apart_}), memory=0)
        assert lines(far.fold(asked)) == lines(held.fold(asked)), rule
        assert far.ran["part"] <= most, (rule, far.ran["part"])
