"""The sheet: which heading stands where and spans how much, for every shape of report."""

import pytest
from tests.folding.build import fold, measure, placed, source, table

from foldbasket.folding.lines.axis import Kind
from foldbasket.outputs.sheet import Sheet, Span

SOURCE = source(
    table("T", {"a": ["x", "x", "y"], "b": ["1", "2", "1"], "c": ["p", "q", "p"], "d": ["m", "m", "n"], "v": [1, 2, 4]})
)
V, N = measure("sum", "T.v"), measure("count", heading="Lines")


def sheet(measures, rows=(), columns=(), **more):
    return Sheet(
        fold(
            SOURCE, measures, [placed(f"T.{name}") for name in rows], [placed(f"T.{name}") for name in columns], **more
        )
    )


def test_one_measure_without_columns_has_its_heading_over_the_cells():
    of = sheet([V], "a")
    assert of.head_grid() == [["a", "v"]]
    assert [of.row_head(line, repeat=False) for line in range(3)] == [["x"], ["y"], ["Everything"]]


def test_one_measure_across_a_field_needs_no_row_of_measures():
    assert sheet([V], "a", "c").head_grid() == [["a", "p", "q", "All cs"]]


def test_several_measures_stand_below_each_member():
    assert sheet([V, N], "a", "c").head_grid() == [
        ["", "p", "", "q", "", "All cs", ""],
        ["a", "v", "Lines", "v", "Lines", "v", "Lines"],
    ]


def test_nested_columns_span_their_members_and_totals_stand_below_their_own():
    of = sheet([V], "a", "cd")
    spans = list(of.column_heads())
    assert Span(0, 0, 1, 3, "p") in spans
    assert Span(1, 2, 1, 1, "All ds", Kind.SUBTOTAL) in spans
    assert Span(0, 5, 2, 1, "Everything", Kind.GRAND) in spans
    assert of.head_grid() == [["", "p", "", "", "q", "", "Everything"], ["a", "m", "n", "All ds", "m", "All ds", ""]]


def test_totals_before_their_members_keep_their_headings():
    of = sheet([V], "a", "c", column_total="before", row_total="before")
    assert of.head_grid() == [["a", "All cs", "p", "q"]]
    assert of.row_head(0, repeat=False) == ["Everything"]


@pytest.mark.parametrize(
    ("repeat", "heads"),
    [
        (False, [["x", "1"], ["", "2"], ["", "x, all bs"], ["y", "1"], ["", "y, all bs"], ["Everything", ""]]),
        (True, [["x", "1"], ["x", "2"], ["x", "x, all bs"], ["y", "1"], ["y", "y, all bs"], ["Everything", ""]]),
    ],
)
def test_group_names_stand_once_or_on_every_line(repeat, heads):
    of = sheet([V], "ab")
    assert [of.row_head(line, repeat=repeat) for line in range(6)] == heads


@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize("shape", [{}, {"measures_on": "rows"}, {"row_total": "before"}])
@pytest.mark.parametrize("step", [2, 3, 5])
def test_rows_at_even_distances_are_named_as_they_are_one_by_one(repeat, shape, step):
    of = sheet([V, N], "abc", **shape)
    rows = range(0, of.report.height, step)
    assert of.row_heads(rows, repeat) == [of.row_head(row, repeat) for row in rows]


def test_a_report_without_rows_has_one_line_for_everything():
    of = sheet([V], "", "c")
    assert of.head_columns == 1
    assert of.row_head(0, repeat=False) == ["Everything"]
    assert of.report.height == 1


def test_rows_without_a_measure_have_lines_and_no_cells():
    of = sheet([], "ab")
    assert (of.report.height, of.report.width) == (6, 0)
    assert of.head_grid() == [["a", "b"]]
