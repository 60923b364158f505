"""Names are found by what is typed of them, the best first."""

import pytest

from foldbasket.typed import fitting, meant, near, number_typed

NAMES = [
    "Undo",
    "Add a filter…",
    "Filter by it",
    "Net",
    "Net sales",
    "Gross net",
    "Network",
    "Unit price",
    "Net of tax, in %",
]


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("net", ["Net", "Net sales", "Net of tax, in %", "Network", "Gross net"]),
        ("filter", ["Filter by it", "Add a filter…"]),
        ("add a filter", ["Add a filter…"]),
        ("sa ne", ["Net sales"]),
        ("tw", ["Network"]),
        ("NET  sales", ["Net sales"]),
        ("%", ["Net of tax, in %"]),
        ("zebra", []),
        ("", NAMES),
    ],
)
def test_the_best_comes_first(typed, found):
    assert fitting(typed, NAMES, str) == found


def test_what_else_a_thing_is_found_by_comes_last():
    things = [("Customer", "Orders"), ("Order date", "Lines")]
    assert fitting("order", things, lambda each: each[0], lambda each: each[1]) == [things[1], things[0]]
    assert fitting("order customer", things, lambda each: each[0], lambda each: each[1]) == [things[0]]


@pytest.mark.parametrize(
    ("name", "found"),
    [
        ("net ", "Net"),
        ("NET", "Net"),
        ("Nett", "Net"),
        ("Gros net", "Gross net"),
        ("zebra", None),
        ("Net", "Network"),
        ("", None),
    ],
)
def test_a_near_name_is_offered_and_never_the_name_itself(name, found):
    assert near(name, NAMES) == found
    assert meant(name, NAMES) == (f"Did you mean “{found}”?" if found else "")


@pytest.mark.parametrize(
    ("said", "meant"),
    [
        ("1,000", "1000"), ("-1,234,567.50", "-1234567.50"), ("−3", "-3"), ("10%", "0.1"), ("12.5 %", "0.125"), ("-5%", "-0.05"), (" 7 ", "7"),
        ("1,5", "1,5"), ("1,00", "1,00"), ("ten", "ten"), ("", ""), ("%", "%"), ("1e5", "1e5"),
    ],
)  # fmt: skip
def test_a_number_is_meant_however_it_is_typed_and_anything_else_is_left(said, meant):
    assert number_typed(said) == meant
