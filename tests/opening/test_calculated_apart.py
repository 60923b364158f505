"""Calculated fields of a table that is not held are worked out part by part, with the numbers of one that is."""

import random

import pytest

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.calculated import Calculated
from foldbasket.errors import FormulaError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.folding.listed import Wanted, list_records, usual_fields
from foldbasket.folding.proof import proof_of
from foldbasket.opening.ready import Keeping
from foldbasket.spec.fold import Fold, Placed
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import parquetstream
from foldbasket.tables.sample import in_view, records_of, stream_behind, unread_of
from foldbasket.tables.survey import survey
from tests.folding.build import lines, measure, ref
from tests.folding.statement.test_random_statements import LINKS, random_tables
from tests.folding.streaming import streamed
from tests.rounds import seeds

FIELDS = (
    Calculated("Gross", "Net * 1.2", "Lines"),
    Calculated("Twice", "Gross + Gross", "Lines"),
    Calculated("Where", "COALESCE(Region, 'nowhere') || ' ' || COALESCE(Site, '?')", "Lines"),
    Calculated("Big", "Gross > 100", "Lines"),
    Calculated("Due", "Sold + INTERVAL '30' DAY", "Lines"),
)


@pytest.fixture(params=seeds(8))
def both(request, tmp_path, monkeypatch):
    """Engines over a random source with calculated fields, of which one does not hold the first table."""
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    monkeypatch.setenv("FOLD_BASKET_MEMORY", "0")
    rng = random.Random(request.param)
    tables = {each.name: each for each in random_tables(rng)}
    basket = Basket(sources=tuple(SourceSpec(name, name) for name in tables), links=LINKS, calculated=FIELDS)
    made = []
    for each in (tables, {**tables, "Lines": streamed(tables["Lines"], tmp_path, rng)}):
        found = Keeping().calculated(basket, each)
        assert found.problems == {}
        made.append(Engine(basket.joined(found.tables)))
    return made


def texts(column):
    return [column.text(record) for record in range(len(column))]


FOLDS = [
    Fold("f", (measure("sum", "Lines.Gross"), measure("sum", "Lines.Twice")), (Placed("w", ref("Lines.Where")),)),
    Fold("f", (measure("count"), measure("largest", "Lines.Due")), (Placed("w", ref("Lines.Due"), part="quarter"),)),
    Fold("f", (measure("median", "Lines.Twice"),), filters=(Members("x", ref("Lines.Big"), members=("yes",)),)),
    Fold("f", (measure("average", "Lines.Net"),), (Placed("w", ref("Lines.Big")),), filters=(Compare("y", ref("Lines.Twice"), None, ">", "50"),)),
    Fold("f", (measure("count different", "Lines.Where"),), (Placed("w", ref("Customers.Region")),)),
]  # fmt: skip


@pytest.mark.parametrize("fold", FOLDS)
def test_folds_of_calculated_fields_are_those_held(both, fold):
    held, apart = both
    assert lines(apart.fold(fold)) == lines(held.fold(fold))
    columns = apart.source.tables["Lines"].columns
    assert not any(unread.has(name) for unread in unread_of(apart.source.tables["Lines"]) for name in columns)


def test_they_are_looked_at_proved_and_surveyed_as_fields_of_the_file_are(both):
    held, apart = both
    whole, table = held.source.tables["Lines"], apart.source.tables["Lines"]
    block = records_of(table, 3, 9)
    for name in ("Gross", "Twice", "Where", "Big", "Due"):
        assert table.columns[name].type is whole.columns[name].type
        assert texts(block.columns[name]) == texts(whole.columns[name])[3:9]
        assert len(in_view(table).columns[name]) == in_view(table).count
    found = survey(table, stream_behind(table), Progress())
    assert found["Where"].profile.different == len(set(texts(whole.columns["Where"])) - {None})
    assert found["Gross"].profile.blanks == whole.columns["Gross"].blank_count
    fold = Fold("f", (measure("sum", "Lines.Twice"),), (Placed("w", ref("Lines.Where")),))
    report = apart.fold(fold)
    for row in range(report.height):
        proof, wanted = (proof_of(engine, fold, report, row, 0) for engine in (apart, held))
        assert proof.agrees
        assert proof.behind.many == wanted.behind.many
        mine, theirs = (
            [
                [each.column.text(int(at)) if at >= 0 else None for at in each.at]
                for each in list_records(proved, Wanted(tuple(sorted(usual_fields(fold, proved))))).fields
            ]
            for proved in (proof, wanted)
        )
        assert mine == theirs


def test_a_wrong_formula_is_told_when_it_is_made(both, tmp_path):
    _, apart = both
    basket = Basket(
        sources=tuple(SourceSpec(name, name) for name in apart.source.tables),
        links=LINKS,
        calculated=(Calculated("Bad", "Site * 2", "Lines"), Calculated("Good", "Net + 1", "Lines")),
    )
    found = Keeping().calculated(
        basket, {"Lines": streamed(random_tables(random.Random(1))[0], tmp_path, random.Random(1))}
    )
    assert list(found.problems) == [("Lines", "Bad")]
    assert isinstance(found.problems["Lines", "Bad"], FormulaError)
    assert "Good" in found.tables["Lines"].columns
