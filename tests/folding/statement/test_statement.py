"""The SQL of a fold reads well, says tables of facts side by side, and refuses by name what a server would answer otherwise."""

import datetime as dt
import json
from decimal import Decimal

import pytest
import sqlglot
from sqlglot import exp

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.calculated import Calculated
from foldbasket.cli import main
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.members.parts.part import PARTS
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES
from foldbasket.formulas.function import FUNCTIONS, Function
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.opening.ready import made_ready
from foldbasket.spec.comparison import offered
from foldbasket.spec.field import FieldRef, Shared
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure
from foldbasket.sql.dialects import DIALECTS
from foldbasket.sql.pieces import NoSqlError
from tests.folding.build import keep, measure, placed, ref, source, table

from .loading import answered, connected, loaded, reported

D = Decimal
LINES = table("Lines", {"Order": ["a", "a", "b", "x"], "Site": ["Oak", "Elm", "Oak", None], "Net": [D("1.10"), D("2.20"), D("3.30"), D("4.40")],
                        "Sold": [dt.date(2026, 1, 5), dt.date(2026, 2, 5), dt.date(2026, 2, 6), None]})  # fmt: skip
ORDERS = table("Orders", {"Order": ["a", "b"], "Freight": [D("5.00"), D("7.00")], "Agent": ["Ann", None]})
BOTH = source(LINES, ORDERS, links=(Link("Lines", "Orders", (("Order", "Order"),)),))


def answer(engine, tables, fold):
    """What SQLite answers, and what the report says."""
    with connected("sqlite") as connection:
        loaded(connection, tables)
        return answered(connection, engine.statement(fold, "sqlite"), fold), reported(engine.fold(fold), fold)


def test_a_plain_fold_reads_like_one_written_by_hand():
    fold = Fold("F", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),), row_total="off")
    assert (
        Engine(BOTH).statement(fold, "table")
        == """\
-- Net, summed for each Site
-- Tables and fields are called as in the basket. A line without a member of a field is a total over it.
WITH "records" AS (
  SELECT
    "Lines"."Site" AS "Site",
    "Lines"."Net" AS "Net of records"
  FROM "Lines"
), "totals" AS (
  SELECT
    "Site",
    1 AS "row level",
    0 AS "column level",
    SUM("Net of records") AS "Net"
  FROM "records"
  GROUP BY
    "Site"
)
SELECT
  CASE WHEN "Site" IS NULL THEN '(blank)' ELSE "Site" END AS "Site",
  "Net"
FROM "totals"
ORDER BY
  "totals"."Site" ASC;
"""
    )


def test_blank_and_unmatched_members_are_told_apart_and_freight_counts_once_an_order():
    fold = Fold("F", (measure("sum", "Lines.Net"), measure("sum", "Orders.Freight")), (placed("Orders.Agent"),))
    got, wanted = answer(Engine(BOTH), [LINES, ORDERS], fold)
    assert set(got) == {(("Ann",), ()), (("(blank)",), ()), (("(no match)",), ()), ((None,), ())}
    assert {key: [float(each or 0) for each in values] for key, values in got.items()} == {
        key: [float(each or 0) for each in values] for key, values in wanted.items()
    }
    assert got[(None,), ()][1] == 12.0


def test_tables_of_facts_stand_side_by_side():
    plan = table("Plan", {"Where": ["Oak", "Ash"], "Aim": [D("10.00"), D("20.00")]})
    shared = (Shared((FieldRef("Lines", "Site"), FieldRef("Plan", "Where"))),)
    engine = Engine(Source({"Lines": LINES, "Plan": plan}, (), shared))
    fold = Fold("F", (measure("sum", "Lines.Net"), measure("sum", "Plan.Aim")), (placed("Lines.Site"),))
    got, wanted = answer(engine, [LINES, plan], fold)
    assert {key[0][0]: [None if each is None else float(each) for each in values] for key, values in got.items()} == {
        "Oak": [4.4, 10.0], "Elm": [2.2, None], "Ash": [None, 20.0], "(blank)": [4.4, None], None: [11.0, 30.0],
    }  # fmt: skip
    assert set(got) == set(wanted)


def test_a_calculated_field_is_said_by_its_formula():
    fields = (Calculated("Twice", "Net * 2", "Lines"), Calculated("More", "Twice + 1", "Lines"))
    basket = Basket(sources=(SourceSpec("Lines", "lines.csv"),), calculated=fields)
    ready = made_ready(basket, {"Lines": LINES})
    fold = Fold("F", (measure("sum", "Lines.More"),))
    statement = ready.engine.statement(fold, "table")
    assert '( "Lines"."Net" * 2 ) + 1' in " ".join(statement.split())
    got, _ = answer(ready.engine, [LINES], fold)
    assert got == {((), ()): (26.0,)}


def test_names_are_each_another_one_and_none_is_too_long_for_a_server():
    long = "A field whose name goes on and on, further than any server takes, up to here and"
    wide = table("Wide", {f"{long} one": ["a"], f"{long} two": ["b"], "Net": [1]})
    words = tuple(placed(f"Wide.{long} {end}", id=end) for end in ("one", "two"))
    fold = Fold("F", (measure("sum", "Wide.Net"), measure("largest", "Wide.Net", heading="NET")), words)
    engine = Engine(source(wide))
    assert answer(engine, [wide], fold)[0][("a", "b"), ()] == (1, 1)
    statement = engine.statement(fold, "mariadb")
    named = [line.rpartition(" AS `")[2].rstrip("`,") for line in statement.splitlines() if " AS `" in line]
    assert all(len(each.encode()) <= 64 for each in named)


def test_text_in_a_sentence_cannot_end_its_comment():
    odd = table("Odd", {"a\nDROP TABLE x; --": ["y"], "Net": [1]})
    fold = Fold("F\n; DROP TABLE z", (measure("sum", "Odd.Net"),), (placed("Odd.a\nDROP TABLE x; --"),))
    statement = Engine(source(odd)).statement(fold, "postgresql")
    assert [type(each) for each in sqlglot.parse(statement, dialect="postgres") if each is not None] == [exp.Select]
    assert answer(Engine(source(odd)), [odd], fold)[0] == {(("y",), ()): (1,), ((None,), ()): (1,)}


@pytest.mark.parametrize(
    ("fold", "named"),
    [
        (Fold("F", (measure("sum", "Lines.Net"),), (placed("Lines.Site", keep=keep("sum Lines.Net")),)), "“Site”, of which only some"),
        (Fold("F", (measure("sum", "Lines.Net", total="average"),), (placed("Lines.Site"),)), "average of the lines"),
        (Fold("F", (measure("list", "Lines.Site"),)), "aggregation “List”"),
        (Fold("F", (measure("product", "Lines.Net"),)), "aggregation “Product”"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("dialect", list(DIALECTS))
def test_what_sql_does_not_say_is_refused_by_name(fold, named, dialect):
    with pytest.raises(NoSqlError, match=named) as told:
        Engine(BOTH).statement(fold, dialect)
    assert "cannot be said in SQL" in str(told.value)
    assert "Take it out" in str(told.value)


def every_kind():
    """A fold for each aggregate, part of a date and comparison."""
    net, sold = ref("Lines.Net"), ref("Lines.Sold")
    for each in AGGREGATES:
        yield Fold(each.name, (Measure("m", each.name, net if each.needs_field else None, weight=net, order=sold),))
    for name, part in PARTS.items():
        if not part.by_time:
            yield Fold(name, (measure("sum", "Lines.Net"),), (placed("Lines.Sold", part=name),))
    words = (placed("Lines.Sold", part="month"),)
    for form, label in offered():
        plain = Fold(label, (measure("count"), measure("sum", "Lines.Net")), words)
        compare = form.started(plain, "sum Lines.Net", lambda word: ["2026-01"])
        yield Fold(label, (measure("count"), measure("sum", "Lines.Net", compare=compare)), words)


@pytest.mark.parametrize("dialect", list(DIALECTS))
def test_every_kind_says_its_sql_or_is_refused_by_name(dialect):
    """Nothing of a fold makes a statement that lacks it, and nothing ends in another error."""
    engine, said, refused = Engine(BOTH), 0, []
    for fold in every_kind():
        try:
            assert engine.statement(fold, dialect).endswith(";\n")
            said += 1
        except NoSqlError as error:
            refused.append(str(error))
    assert said > len(refused)
    assert all("cannot be said in SQL" in each for each in refused)
    silent = {kind for kind in Filter.kinds if kind.in_sql is Filter.in_sql}
    assert silent == {Condition}  # which says it once its formula is checked
    without = {each.name for each in FUNCTIONS if type(each).in_sql is Function.in_sql}
    assert without == {"CURRENT_DATE"}  # which is said where the as-of date is known


def test_the_command_writes_sql_for_a_server_and_tells_what_has_none(tmp_path, capsys):
    (tmp_path / "lines.csv").write_text("Site,Net\nOak,1.10\nElm,2.20\n")
    fold = {
        "name": "F",
        "measures": [{"id": "m", "aggregate": "sum", "field": {"table": "Lines", "field": "Net"}}],
        "rows": [{"id": "r", "field": {"table": "Lines", "field": "Site"}}],
    }
    listed = {"name": "L", "measures": [{"id": "m", "aggregate": "list", "field": {"table": "Lines", "field": "Site"}}]}
    basket = {
        "format": "fold-basket",
        "version": 1,
        "name": "b",
        "sources": [{"name": "Lines", "path": "lines.csv"}],
        "folds": [fold, listed],
    }
    (tmp_path / "b.json").write_text(json.dumps(basket))
    code = main(
        ["render", str(tmp_path / "b.json"), "--to", str(tmp_path / "{fold}.sql"), "--shape", "mariadb", "--quiet"]
    )
    assert code == 1
    assert "`Lines`.`Net`" in (tmp_path / "F.sql").read_text()
    assert not (tmp_path / "L.sql").exists()
    assert "the aggregation “List” cannot be said in SQL" in capsys.readouterr().err
