"""The records behind a proof as a list: against lists put in order and looked through by plain Python."""

import datetime as dt
import random
from decimal import Decimal

import pytest

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import OutputError
from foldbasket.folding.engine import Engine
from foldbasket.folding.listed import LISTED, NO_PARTNER, Wanted, all_fields, list_records, usual_fields
from foldbasket.folding.proof import proof_of
from foldbasket.links.link import Link
from foldbasket.outputs.records import lines_of, save_records
from foldbasket.spec.fold import Fold
from foldbasket.tables.progress import Progress
from tests.folding.build import measure, placed, ref, source, table

COUNT = 1_400
FIELDS = ("No", "Day", "Net", "Weight", "Paid")


@pytest.fixture(scope="module")
def behind():
    """The proof of a report's grand total, and its records as dictionaries."""
    draw = random.Random(7)
    lines = {
        "No": [draw.choice(["a1", "a2", "a10", "gone", None]) for _ in range(COUNT)],
        "Day": [draw.choice([None, dt.date(2026, 1, 1) + dt.timedelta(days=draw.randrange(90))]) for _ in range(COUNT)],
        "Net": [Decimal(draw.randrange(-900, 900)).scaleb(-2) for _ in range(COUNT)],
        "Weight": [draw.choice([None, draw.random()]) for _ in range(COUNT)],
        "Paid": [draw.choice([True, False, None]) for _ in range(COUNT)],
    }
    orders = table("Orders", {"No": ["a1", "a2", "a10"], "Seller": ["Ember", "Rill", "=HYPERLINK(1)"]})
    of = source(table("Lines", lines), orders, links=[Link("Lines", "Orders", (("No", "No"),))])
    engine = Engine(of)
    fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Orders.Seller"),))
    report = engine.fold(fold)
    rows = [{name: lines[name][at] for name in lines} for at in range(COUNT)]
    return proof_of(engine, fold, report, report.height - 1, 0), rows, fold


def fields(*names):
    return tuple(ref(name if "." in name else f"Lines.{name}") for name in names)


def column(records, name):
    listed = next(each for each in records.fields if each.ref.field == name)
    return [listed.text(place) for place in range(len(listed.at))]


def test_the_usual_fields_and_all_that_are_linked(behind):
    proof, _, fold = behind
    assert [each.field for each in usual_fields(fold, proof)] == [*FIELDS, "Seller"]
    assert [(each.table, each.field) for each in all_fields(proof)] == [
        *(("Lines", name) for name in FIELDS),
        ("Orders", "No"),
        ("Orders", "Seller"),
    ]


@pytest.mark.parametrize("descending", [False, True])
@pytest.mark.parametrize("name", ["Day", "Net", "Weight", "Paid"])
def test_records_stand_in_the_order_of_a_field_and_blanks_last(behind, name, descending):
    proof, rows, _ = behind
    found = list_records(proof, Wanted(fields(*FIELDS), by=fields(name)[0], descending=descending), most=None)
    known = sorted((row[name] for row in rows if row[name] is not None), reverse=descending)
    blank = sum(row[name] is None for row in rows)
    listed = next(each for each in found.fields if each.ref.field == name)
    wanted = [rows[int(at)][name] for at in listed.at]
    assert wanted == known + [None] * blank
    assert found.many == COUNT


def test_text_stands_in_the_order_of_labels(behind):
    proof, _, _ = behind
    found = list_records(proof, Wanted(fields("No"), by=fields("No")[0]), most=None)
    assert list(dict.fromkeys(column(found, "No"))) == ["a1", "a2", "a10", "gone", ""], "a10 behind a2, blanks last"
    partner = list_records(proof, Wanted(fields("Orders.Seller"), by=fields("Orders.Seller")[0]), most=None)
    assert column(partner, "Seller")[-1] == NO_PARTNER


@pytest.mark.parametrize("text", ["A1", "gone", "2026-02", "-3.", "yes", "Rill", "nothing has this"])
def test_records_that_hold_a_text_in_any_field(behind, text):
    proof, rows, _ = behind
    sellers = {"a1": "Ember", "a2": "Rill", "a10": "=HYPERLINK(1)"}

    def said(row):
        for name in FIELDS:
            value = row[name]
            if isinstance(value, bool):
                yield "yes" if value else "no"
            elif value is not None:
                yield str(value)
        yield sellers.get(row["No"], "")

    wanted = sum(any(text.casefold() in each.casefold() for each in said(row)) for row in rows)
    found = list_records(proof, Wanted((*fields(*FIELDS), *fields("Orders.Seller")), text=text))
    assert found.many == wanted
    assert all(len(each.at) == min(LISTED, wanted) for each in found.fields)


def test_all_of_them_are_written_and_nothing_that_a_spreadsheet_would_run(behind, tmp_path):
    proof, _, _ = behind
    found = list_records(proof, Wanted(fields("No", "Net", "Orders.Seller")), most=None)
    path = tmp_path / "records.csv"
    assert save_records(found, path, Progress(), OutputGuard()) == COUNT
    lines = path.read_text(encoding="utf-8").splitlines()
    assert lines[0] == "No,Net,Seller"
    assert len(lines) == COUNT + 1
    assert not any(line.endswith(",=HYPERLINK(1)") for line in lines)
    assert any(line.endswith(",'=HYPERLINK(1)") for line in lines)
    assert lines_of(found, [0]).splitlines()[0] == "No\tNet\tSeller"
    with pytest.raises(OutputError, match="cannot be written"):
        save_records(found, tmp_path / "nowhere" / "records.csv", Progress(), OutputGuard())
