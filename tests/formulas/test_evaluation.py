"""Every operator and function on a table of cases: against written answers always, against PostgreSQL where there is one."""

import datetime as dt
from decimal import Decimal

import numpy as np
import psycopg
import pytest

from foldbasket.formulas.checking import checked, schema_of
from foldbasket.formulas.evaluation import calculated
from foldbasket.formulas.function import FUNCTIONS
from foldbasket.formulas.parsing import parsed
from foldbasket.formulas.tree import Apply
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import CodedColumn, NumberColumn, picked
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType, parse_canonical
from tests.folding.build import source, table
from tests.formulas.cases import CASES, KINDS, OURS_ONLY, RECORDS
from tests.tables.reading.servers import NotHereError, postgresql

TODAY = dt.date(2026, 9, 30)
T = source(table("T", RECORDS))


def values(formula, of=T, base="T"):
    made = checked(formula, schema_of(of), home=base, wants="field")
    column = calculated(made, of, base, "made", TODAY)
    return [plain(column, at) for at in range(len(column))], column


def plain(column, at):
    text = column.text(at)
    if text is None:
        return None
    value = parse_canonical(column.type, text)
    if column.type is FieldType.DATE:
        return dt.date(1970, 1, 1) + dt.timedelta(days=value)
    if column.type is FieldType.TIMESTAMP:
        return dt.datetime(1970, 1, 1) + dt.timedelta(microseconds=value)
    return float(value) if column.type is FieldType.REAL else value


def agrees(got, wanted):
    if isinstance(wanted, float) or isinstance(got, float):
        return got == pytest.approx(wanted, rel=1e-12, abs=1e-15)
    return got == wanted and isinstance(got, bool) == isinstance(wanted, bool)


@pytest.mark.parametrize(("formula", "wanted"), CASES, ids=[formula for formula, _ in CASES])
def test_each_operator_and_function_gives_what_is_written(formula, wanted):
    got, column = values(formula)
    assert [agrees(one, other) for one, other in zip(got, wanted, strict=True)] == [True] * 4, (got, wanted)
    decimals = [each for each in wanted if isinstance(each, Decimal)]
    if decimals and column.type is FieldType.DECIMAL:
        assert column.scale == max(-each.as_tuple().exponent for each in decimals)


def test_every_function_of_the_language_has_a_case_a_meaning_and_an_example_that_parses():
    used = set()
    for formula, _ in [*CASES, ("CURRENT_DATE - d", [])]:
        used |= {type(node.function) for node in parsed(formula).walk() if isinstance(node, Apply)}
    assert {type(each) for each in FUNCTIONS} == used
    for function in FUNCTIONS:
        assert function.meaning.endswith(".")
        assert parsed(function.example) is not None


def test_the_as_of_date_is_what_current_date_says():
    assert values("CURRENT_DATE")[0] == [TODAY] * 4
    assert values("CURRENT_DATE - d")[0] == [242, 944, None, 275]


@pytest.fixture(scope="module")
def postgres():
    try:
        with (
            postgresql() as port,
            psycopg.connect(f"host=127.0.0.1 port={port} user=seller password=carrots dbname=postgres") as connection,
        ):
            yield connection
    except NotHereError as reason:
        pytest.skip(f"left out: {reason}")


def test_postgresql_gives_the_same(postgres):
    with postgres.transaction():
        connection = postgres
        connection.execute(
            "create temp table t (n int, " + ", ".join(f"{name} {kind}" for name, kind in KINDS.items()) + ")"
        )
        for at in range(4):
            row = [at, *(RECORDS[name][at] for name in KINDS)]
            connection.execute(f"insert into t values ({', '.join(['%s'] * len(row))})", row)
        wrong = []
        for formula, wanted in CASES:
            if formula in OURS_ONLY:
                continue
            found = connection.execute(f"select {formula} from t order by n").fetchall()
            ours, _ = values(formula)
            for (theirs,), own in zip(found, ours, strict=True):
                if type(own) is dt.date and isinstance(theirs, dt.datetime):
                    theirs = theirs.date()  # a date and an interval are a date in the standard
                exact = isinstance(own, Decimal | int) and isinstance(theirs, Decimal | int)
                same = (
                    theirs == own
                    if exact or not isinstance(own, float)
                    else own == pytest.approx(float(theirs), rel=1e-12)
                )
                if not (same if theirs is not None and own is not None else theirs is own):
                    wrong.append((formula, theirs, own, wanted))
        assert not wrong, "\n".join(map(str, wrong))


def test_products_past_six_digits_or_past_the_range_are_real():
    assert values("q * q * q")[1].type is FieldType.REAL
    big = source(table("T", {"n": [9 * 10**18, 2], "p": [Decimal("1.01"), Decimal("2.00")]}))
    got, column = values("n * 4", big)
    assert column.type is FieldType.REAL
    assert got == [pytest.approx(3.6e19), 8.0]
    assert values("n + n", big)[1].type is FieldType.REAL
    assert values("n - 1", big)[0][0] == 9 * 10**18 - 1


def test_many_records_on_all_cores_equal_numpy_and_blanks_stay_blank():
    rng = np.random.default_rng(4)
    count = 700_000
    net, cost = rng.integers(-(10**6), 10**6, count), rng.integers(0, 10**6, count)
    valid = rng.random(count) > 0.1
    channel = CodedColumn(
        "Channel", rng.integers(0, 4, count).astype(np.uint8), T.column(FieldRef("T", "t")).dictionary
    )
    many = source(
        Table.of(
            "T",
            [
                NumberColumn("Net", FieldType.DECIMAL, np.where(valid, net, 0), valid, 2),
                NumberColumn("Cost", FieldType.DECIMAL, cost, None, 2),
                channel,
            ],
        )
    )
    formula = checked("(Net - Cost) * 3 + CASE WHEN Channel = 'ash' THEN Net ELSE 0 END", schema_of(many))
    column = calculated(formula, many, "T", "m", TODAY)
    ash = np.array([*many.column(FieldRef("T", "Channel")).dictionary.texts, ""]) == "ash"
    wanted = (net - cost) * 3 + np.where(ash[channel.codes], net, 0)
    assert (column.type, column.scale) == (FieldType.DECIMAL, 2)
    assert (column.values[valid] == wanted[valid]).all()
    assert (column.valid == valid).all()


def test_text_fields_are_worked_out_on_their_members_and_across_links():
    orders = table("Orders", {"No": ["a", "b"], "Day": [dt.date(2026, 1, 1), None], "Freight": [Decimal("4.00"), None]})
    near = table(
        "Lines", {"No": ["a", "a", "b", "z"], "Net": [Decimal("1.00")] * 4, "Code": ["R-1", "H-22", None, "R-1"]}
    )
    of = source(near, orders, links=[Link("Lines", "Orders", (("No", "No"),))])
    assert values("Net + Freight", of, "Lines")[0] == [Decimal("5.00"), Decimal("5.00"), None, None]
    assert values("EXTRACT(YEAR FROM Day)", of, "Lines")[0] == [2026, 2026, None, None]
    cut, column = values("SUBSTRING(Code FROM 1 FOR POSITION('-' IN Code) - 1)", of, "Lines")
    assert cut == ["R", "H", None, "R"]
    assert isinstance(column, CodedColumn)
    assert len(column.dictionary) == 2
    assert values("Code || ' ' || Lines.No", of, "Lines")[0] == ["R-1 a", "H-22 a", None, "R-1 z"]


def test_a_chunk_of_a_formula_takes_no_more_than_two_temporaries():
    import tracemalloc

    from foldbasket.formulas.evaluation import CHUNK, OnRecords

    count = 4 * CHUNK
    rng = np.random.default_rng(6)
    columns = [
        NumberColumn(name, FieldType.DECIMAL, rng.integers(0, 10**6, count), None, 2) for name in ("Net", "Cost")
    ]
    columns.append(NumberColumn("Quantity", FieldType.WHOLE, rng.integers(1, 50, count)))
    of = source(Table.of("T", columns))
    rows = OnRecords(checked("(Net - Cost) * 3 + Quantity", schema_of(of)), of, "T", TODAY)
    rows.chunk(0, CHUNK)  # largest amounts are found on first use, and kept
    tracemalloc.start()
    rows.chunk(CHUNK, 2 * CHUNK)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 2.1 * CHUNK * 8


def test_a_pattern_of_many_anythings_takes_no_time_with_a_power_of_the_text():
    of = source(table("T", {"Text": ["a" * 3_000, "a" * 3_000 + "b", "xa" * 40 + "by"]}))
    made = calculated(checked("Text LIKE '" + "%a" * 30 + "%_b%'", schema_of(of)), of, "T", "f", TODAY)
    assert [made.text(at) for at in range(3)] == ["no", "yes", "yes"]


@pytest.mark.parametrize(
    "formula",
    ["CASE WHEN A = 'x' THEN 'y' ELSE 'z' END", "COALESCE(A, 'none')", "SUBSTRING(A, 1, 2) || '-'", "A LIKE 'x%'"],
)
def test_a_table_without_records_has_every_formula_without_records(formula):
    of = source(table("T", {"A": ["x"], "B": [1]}))
    none = Source(
        {"T": Table.of("T", [picked(column, np.zeros(0, np.int64)) for column in of.tables["T"].columns.values()])}
    )
    assert values(formula, none)[0] == []
