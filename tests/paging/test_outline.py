"""The outline of a report: every field but the innermost, in the order of the rows."""

from foldbasket.folding.engine import Engine
from foldbasket.paging.outline import MOST, outline
from foldbasket.spec.fold import Fold
from tests.folding.build import measure, placed, source, table

COLUMNS = {
    "A": ["b", "a", "a", None],
    "B": ["x", "y", "x", "z"],
    "C": ["1", "2", "3", "4"],
    "N": [1, 2, 3, 4],
}


def report(*fields):
    return Engine(source(table("T", COLUMNS))).fold(
        Fold("F", (measure("sum", "T.N"),), tuple(placed(f"T.{each}", id=each.lower()) for each in fields))
    )


def said(made):
    return [(mark.depth, mark.name) for mark in outline(made)]


def test_the_only_field_is_in_it():
    assert [name for _, name in said(report("A"))][:2] == ["a", "b"]


def test_inner_groups_stand_under_outer_ones():
    made = report("A", "B", "C")
    found = said(made)
    at = found.index((0, "a"))
    assert found[at : at + 4] == [(0, "a"), (1, "x"), (1, "y"), (0, "b")]
    assert (1, "1") not in found, "the innermost are the lines themselves"
    rows = [mark.row for mark in outline(made)]
    assert rows == sorted(rows)
    assert found[-1] == (0, "Everything")


def test_a_report_without_fields_has_none():
    assert outline(report()) == []


def test_too_many_groups_are_no_help():
    many = {"A": [f"m{at:05}" for at in range(MOST + 1)], "N": [1] * (MOST + 1)}
    made = Engine(source(table("T", many))).fold(Fold("F", (measure("sum", "T.N"),), (placed("T.A"),)))
    assert outline(made) == []
