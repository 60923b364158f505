"""Random record and summary formulas, with NOT, DISTINCT, FILTER and keys without partner: PostgreSQL gives the same."""

import random
from decimal import Decimal

import psycopg
import pytest

from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.condition import Condition
from foldbasket.formulas.checking import checked, schema_of
from foldbasket.formulas.evaluation import calculated
from foldbasket.links.link import Link
from foldbasket.spec.fold import Fold, Measure
from tests.folding.build import measure, placed, source, table
from tests.formulas.test_evaluation import TODAY, plain
from tests.rounds import seeds
from tests.tables.reading.servers import NotHereError, postgresql

D = Decimal
PER_SEED = 30
COLUMNS = {
    "lines": {"Ord": "text", "Site": "text", "Qty": "int", "Net": "numeric(12,2)", "Note": "text"},
    "orders": {"No": "text", "Prio": "text", "Freight": "numeric(12,2)", "Fast": "boolean"},
}


@pytest.fixture(scope="module")
def postgres():
    try:
        with (
            postgresql() as port,
            psycopg.connect(
                f"host=127.0.0.1 port={port} user=seller password=carrots dbname=postgres", autocommit=True
            ) as connection,
        ):
            yield connection
    except NotHereError as reason:
        pytest.skip(f"left out: {reason}")


def tables(rng):
    keys = [f"o{n}" for n in range(8)]
    maybe = lambda value: value if rng.random() > 0.15 else None  # noqa: E731
    orders = {
        "No": keys,
        "Prio": [maybe(rng.choice(["high", "low", "a_b", "50%"])) for _ in keys],
        "Freight": [maybe(D(rng.randint(-300, 900)) / 100) for _ in keys],
        "Fast": [maybe(rng.random() > 0.5) for _ in keys],
    }
    many = rng.randint(20, 60)
    lines = {
        "Ord": [maybe(rng.choice([*keys, "x1", "x2"])) for _ in range(many)],
        "Site": [maybe(rng.choice(["East", "West", "east"])) for _ in range(many)],
        "Qty": [maybe(rng.randint(-5, 20)) for _ in range(many)],
        "Net": [maybe(D(rng.randint(-9999, 99999)) / 100) for _ in range(many)],
        "Note": [maybe(rng.choice(["", "Oak 12", "ash", "a_b", "Oakum"])) for _ in range(many)],
    }
    lines["Net"][0], orders["Freight"][0], orders["Fast"][0] = D("1.25"), D("2.50"), True
    lines["Qty"][0], orders["Prio"][0], lines["Note"][0] = 3, "low", "ash"
    return lines, orders


class Writer:
    """Writes random formulas over the fields of some tables."""

    def __init__(self, rng, fields):
        self.rng = rng
        self.by_kind = {}
        for name, kind in fields.items():
            self.by_kind.setdefault({"int": "number", "numeric(12,2)": "number"}.get(kind, kind), []).append(name)

    def number(self, depth):
        rng = self.rng
        if depth <= 0 or rng.random() < 0.25 or not self.by_kind.get("number"):
            return rng.choice(
                [*self.by_kind.get("number", ()), str(rng.randint(0, 9)), f"{rng.randint(0, 900) / 100:.2f}"]
            )
        one, two = self.number(depth - 1), self.number(depth - 1)
        return rng.choice(
            [
                f"({one} + {two})", f"({one} - {two})", f"-({one})", f"ABS({one})", f"COALESCE({one}, {two})", f"NULLIF({one}, {two})",
                f"CASE WHEN {self.condition(depth - 1)} THEN {one} ELSE {two} END", f"CASE WHEN {self.condition(depth - 1)} THEN {one} END",
                f"CHAR_LENGTH({self.text(depth - 1)})", f"ROUND({one}, 1)",
            ]
        )  # fmt: skip

    def text(self, depth):
        rng = self.rng
        if depth <= 0 or rng.random() < 0.5 or not self.by_kind.get("text"):
            return rng.choice([*self.by_kind.get("text", ()), "'low'", "'a_b'"])
        one, two = self.text(depth - 1), self.text(depth - 1)
        return rng.choice(
            [
                f"UPPER({one})",
                f"({one} || {two})",
                f"COALESCE({one}, {two})",
                f"NULLIF({one}, {two})",
                f"SUBSTRING({one} FROM 2)",
            ]
        )

    def condition(self, depth):
        rng = self.rng
        if depth <= 0 and self.by_kind.get("boolean") and rng.random() < 0.3:
            return rng.choice(self.by_kind["boolean"])
        one, two, three = (self.number(depth - 1) for _ in range(3))
        text, other = self.text(depth - 1), self.text(depth - 1)
        plain = [
            f"{one} {rng.choice(['=', '<>', '<', '<=', '>', '>='])} {two}", f"{text} {rng.choice(['=', '<>'])} {other}",
            f"{one} BETWEEN {two} AND {three}", f"{one} NOT BETWEEN {two} AND {three}", f"{one} BETWEEN SYMMETRIC {two} AND {three}",
            f"{one} NOT BETWEEN SYMMETRIC {two} AND {three}", f"{text} LIKE '%a%'", f"{text} NOT LIKE 'O_k%'",
            f"{text} NOT LIKE 'a!_b' ESCAPE '!'", f"{text} IN ('low', 'ash', {other})", f"{text} NOT IN ('low', 'ash')",
            f"{one} NOT IN (1, 2, {two})", f"{one} IS NULL", f"{text} IS NOT NULL", f"{one} IS NOT NULL",
        ]  # fmt: skip
        if depth > 0:
            left, right = self.condition(depth - 1), self.condition(depth - 1)
            plain += [
                f"({left} AND {right})",
                f"({left} OR {right})",
                f"NOT ({left})",
                f"({left}) IS NOT TRUE",
                f"({left}) IS FALSE",
            ] * 2
        return rng.choice(plain)


def laid(connection, rng):
    """Random tables here and on the server: (our source, the names of the joined records)."""
    lines, orders = tables(rng)
    connection.execute("drop table if exists joined, lines, orders")
    for name, columns in (("lines", lines), ("orders", orders)):
        kinds = COLUMNS[name]
        connection.execute(f"create table {name} (n int, {', '.join(f'{key} {kind}' for key, kind in kinds.items())})")
        rows = [(at, *row) for at, row in enumerate(zip(*columns.values(), strict=True))]
        with connection.cursor() as cursor:
            cursor.executemany(f"insert into {name} values ({', '.join(['%s'] * (len(kinds) + 1))})", rows)
    connection.execute(
        "create table joined as select l.n as line, l.ord, l.site, l.qty, l.net, l.note, o.n as m, o.no, o.prio, o.freight, o.fast"
        " from lines l left join orders o on l.ord = o.no"
    )
    text = {"Note", "Site", "Ord", "No", "Prio"}
    cleaned = {
        key: [None if key in text and value == "" else value for value in values] for key, values in lines.items()
    }
    connection.execute("update joined set note = null where note = ''")
    return source(table("Lines", cleaned), table("Orders", orders), links=[Link("Lines", "Orders", (("Ord", "No"),))])


def same(theirs, own):
    theirs = None if theirs == "" else theirs  # a field holds no empty text: it is a blank
    if theirs is None or own is None:
        return theirs is own
    if isinstance(own, float) or isinstance(theirs, float):
        return float(theirs) == pytest.approx(float(own), rel=1e-12, abs=1e-12)
    return theirs == own


ALL_FIELDS = {**COLUMNS["lines"], **COLUMNS["orders"]}


@pytest.mark.parametrize("seed", seeds(5))
def test_record_formulas_and_filters_equal_postgresql(postgres, seed):
    rng = random.Random(seed)
    of = laid(postgres, rng)
    writer = Writer(rng, ALL_FIELDS)
    for _ in range(PER_SEED):
        kind = rng.choice(["number", "text", "condition", "condition"])
        text = (
            f"COALESCE({getattr(writer, kind)(3)}, {getattr(writer, kind)(0)})"
            if rng.random() < 0.3
            else getattr(writer, kind)(3)
        )
        theirs = [value for (value,) in postgres.execute(f"select {text} from joined order by line").fetchall()]
        if all(value is None for value in theirs):
            continue
        made = checked(text, schema_of(of), home="Lines", wants="field")
        column = calculated(made, of, "Lines", "made", TODAY)
        own = [plain(column, at) for at in range(len(column))]
        assert [at for at, pair in enumerate(zip(theirs, own, strict=True)) if not same(*pair)] == [], (
            text,
            theirs,
            own,
        )
        if kind == "condition":
            report = Engine(of).fold(
                Fold("f", (measure("count"), measure("count values", "Lines.Qty")), filters=(Condition("w", text),))
            )
            (kept,) = postgres.execute(f"select count(*) from joined where {text}").fetchone()
            assert (report.value(0, 0) if report.height else 0) == kept, text


@pytest.mark.parametrize("seed", seeds(5))
def test_summary_formulas_equal_postgresql(postgres, seed):
    rng = random.Random(1000 + seed)
    of = laid(postgres, rng)
    for _ in range(PER_SEED):
        text, on = summary(rng)
        records = (
            "joined"
            if on == "fold"
            else "(select distinct site, no, prio, freight, fast from joined where no is not null) as each_once"
        )
        grouped = dict(
            postgres.execute(f"select coalesce(site, '(blank)'), {text} from {records} group by 1").fetchall()
        )
        (total,) = postgres.execute(f"select {text} from " + records.replace("site, ", "")).fetchone()
        fold = Fold(
            "f",
            (Measure("f", "formula", heading="F", formula=text), measure("count values", "Lines.Qty")),
            (placed("Lines.Site"),),
        )
        report = Engine(of).fold(fold)
        for row in range(report.height):
            label = report.rows.caption(row) if report.rows.kind[row] else report.rows.label(row, 0)
            theirs = total if report.rows.kind[row] else grouped.get(label)
            own = report.value(row, 0)
            if own == 0 and theirs is None and label not in grouped:
                continue  # a count over none of the records there are, where the server has no group at all
            assert same(theirs, own), (text, label, theirs, own)


def summary(rng):
    """A random summary formula, and whether it is about the fold's records or those of orders."""
    on = rng.choice(["fold", "fold", "orders"])
    writer = Writer(rng, ALL_FIELDS if on == "fold" else COLUMNS["orders"])
    own = ["Qty", "Net"] if on == "fold" else ["Freight"]

    def amount():
        value = rng.choice(own)
        return rng.choice(
            [value, f"{value} * 2", f"COALESCE({value}, 1)", f"CASE WHEN {writer.condition(1)} THEN {value} ELSE 0 END"]
        )

    def one():
        where = f" FILTER (WHERE {writer.condition(2)})" if rng.random() < 0.6 else ""
        if on == "fold" and rng.random() < 0.4:
            counted = rng.choice(["COUNT(*)", "SUM(1)", f"SUM(CASE WHEN {writer.condition(2)} THEN 1 ELSE 0 END)"])
            return counted + where
        name = rng.choice(["SUM", "AVG", "COUNT", "MIN", "MAX"])
        return f"{name}({rng.choice(['', 'DISTINCT '])}{amount()}){where}"

    made = rng.choice(
        [
            "{0}",
            "{0}",
            "COALESCE({0}, 0) - COALESCE({1}, 0)",
            "{0} / NULLIF({1}, 0)",
            "CASE WHEN NOT ({0} > 3) THEN {1} ELSE 0 END",
        ]
    )
    text = made.format(one(), one())
    return text.replace(" / ", " * 1.0 / "), on
