"""A workbook that adds up itself: every sum, worked out again from the cells it names, is the report's own total."""

import random
import re
from decimal import Decimal

import openpyxl
import pytest
from openpyxl.utils import range_boundaries
from tests.folding.build import keep, measure, placed, source, table
from tests.rounds import seeds

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import OutputError
from foldbasket.folding.engine import Engine
from foldbasket.outputs.formats import save_report
from foldbasket.outputs.sheet import Sheet
from foldbasket.spec.fold import Fold, Where

TOP = 3


def sales(rng):
    names = {"R": "abcd", "S": "pqrst", "Y": "xyz", "M": "1234"}
    columns = {field: [rng.choice(members) for _ in range(400)] for field, members in names.items()}
    columns["Net"] = [
        Decimal(rng.randrange(-(10**6), 10**7)).scaleb(-2) if rng.random() > 0.1 else None for _ in range(400)
    ]
    columns["Real"] = [rng.uniform(-5, 100) for _ in range(400)]
    return source(table("T", columns))


def written(report, path):
    """The formulas and the values that a workbook holds, by cell of the report."""
    save_report(report, path, "sums", guard=OutputGuard())
    sheet = Sheet(report)
    first, left = TOP + sheet.head_rows + 1, sheet.head_columns + 1
    formulas, values = (openpyxl.load_workbook(path, data_only=only).worksheets[0] for only in (False, True))
    made = {}
    for row in range(report.height):
        for column in range(report.width):
            at = {"row": first + row, "column": left + column}
            made[row, column] = formulas.cell(**at).value, values.cell(**at).value
    return formulas, made


def worked_out(page, formula):
    """A plain evaluator of sums: numbers and sums of ranges of them."""
    if not (isinstance(formula, str) and formula.startswith("=")):
        return Decimal(repr(formula)) if formula is not None else Decimal(0)
    found = re.fullmatch(r"=SUM\(([A-Z0-9:,]+)\)", formula)
    assert found, formula
    total = Decimal(0)
    for part in found[1].split(","):
        left, top, right, bottom = range_boundaries(part)
        for line in page.iter_rows(top, bottom, left, right):
            total += sum(worked_out(page, cell.value) for cell in line)
    return total


@pytest.mark.parametrize("seed", seeds(24))
def test_every_sum_worked_out_again_is_the_total(tmp_path, seed):
    rng = random.Random(seed)
    of = sales(rng)
    fields = rng.sample(["T.R", "T.S", "T.Y", "T.M"], 4)
    rows = [placed(each, subtotal=Where(rng.choice(["before", "after", "off"]))) for each in fields[: rng.randrange(4)]]
    columns = [
        placed(each, subtotal=Where(rng.choice(["before", "after", "off"])))
        for each in fields[len(rows) :][: rng.randrange(3)]
    ]
    measures = tuple(
        rng.sample(
            [measure("sum", "T.Net"), measure("count"), measure("sum", "T.Real"), measure("average", "T.Net")],
            rng.randrange(1, 4),
        )
    )
    ways = {"measures_on": rng.choice(["rows", "columns"]), "measures_at": rng.choice([None, 0, 1])}
    report = Engine(of).fold(Fold("f", measures, tuple(rows), tuple(columns), **ways))
    page, cells = written(report, tmp_path / "r.xlsx")
    sums = 0
    for (row, column), (formula, value) in cells.items():
        which, _, _ = report.cell(row, column)
        total = bool(report.left.is_total[row] or report.top.is_total[column])
        is_sum = isinstance(formula, str) and formula.startswith("=")
        assert not is_sum or (total and report.measures[which].is_additive)
        exact = report.exact(which, *report.cell(row, column)[1:])
        if is_sum:
            sums += 1
            assert float(worked_out(page, formula)) == pytest.approx(float(exact), rel=1e-12)
            assert value == pytest.approx(float(exact), rel=1e-12)
        elif total and report.measures[which].is_additive:
            assert exact is None, "a total that adds up is a sum"
    assert (
        sums
        or not any(each.is_additive for each in report.measures)
        or not (report.left.is_total.any() or report.top.is_total.any())
    )


def test_a_total_of_which_members_are_not_shown_or_that_does_not_add_up_stays_a_number(tmp_path):
    of = sales(random.Random(1))
    best = placed("T.S", keep=keep("sum T.Net", "top", "2"))
    measures = (measure("sum", "T.Net"), measure("count different", "T.R"), measure("average", "T.Net"))
    report = Engine(of).fold(Fold("f", measures, (best,)))
    _, cells = written(report, tmp_path / "r.xlsx")
    assert not [formula for formula, _ in cells.values() if isinstance(formula, str)]
    gathered = placed("T.S", keep=keep("sum T.Net", "top", "2", rest="gathered"))
    report = Engine(of).fold(Fold("f", measures, (gathered,)))
    _, cells = written(report, tmp_path / "r.xlsx")
    assert [formula for formula, _ in cells.values() if isinstance(formula, str)] == ["=SUM(B5:B7)"]


def test_a_format_that_has_no_sums_says_which_has(tmp_path):
    report = Engine(sales(random.Random(1))).fold(Fold("f", (measure("count"),), (placed("T.S"),)))
    with pytest.raises(OutputError, match=r"Totals as sums are written as \.xlsx"):
        save_report(report, tmp_path / "r.csv", "sums", guard=OutputGuard())
