"""What the editor offers: words in a sensible order, members within quotes, brackets that belong together; and the manual."""

from pathlib import Path

import pytest

from foldbasket.formulas.function import FUNCTIONS
from foldbasket.formulas.help import (
    PATTERNS,
    brackets_at,
    inside_aggregate,
    matching,
    member_before,
    offers,
    word_before,
)
from foldbasket.formulas.language import AGGREGATE_NAMES
from foldbasket.formulas.parsing import parsed
from foldbasket.formulas.renaming import renamed

OFFERED = offers([("Net", "Lines", "amount"), ("Order date", "Orders", "date"), ("No", "Lines", "id"), ("No", "Orders", "id")], ["Margin"], frozenset({"No"}))  # fmt: skip


@pytest.mark.parametrize(
    ("typed", "first", "text"),
    [("ne", "Net · Lines", "Net"), ("dat", "DATE", "DATE"), ("ord", "Order date · Orders", '"Order date"'), ("su", "SUM", "SUM("), ("mar", "Margin · measure", "Margin"), ("no", "No · Lines", "Lines.No")],
)  # fmt: skip
def test_words_that_begin_so_come_first_and_are_written_as_the_language_needs(typed, first, text):
    found = matching(OFFERED, typed)
    assert (found[0].shown, found[0].text) == (first, text)
    assert found[0].meaning


def test_the_word_at_the_cursor_may_be_in_quotes():
    assert word_before("SUM(Ne", 6) == (4, "Ne")
    assert word_before('SUM("Order d', 12) == (4, "Order d")
    assert word_before("a + ", 4) == (4, "")


def test_members_are_offered_where_a_field_is_compared_with_text():
    assert member_before("Channel = 'W", 12) == ("Channel", 11, "W")
    assert member_before("\"Pot size\" IN ('P9', 'C", 23) == ("Pot size", 22, "C")
    assert member_before("Channel = 'Web' ", 16) is None
    assert member_before("UPPER('x", 8) is None


def test_inside_an_aggregate_only_fields_can_stand():
    assert inside_aggregate("SUM(CASE WHEN (a", 16)
    assert not inside_aggregate("SUM(a) + b", 10)
    assert not inside_aggregate("UPPER(a", 7)


def test_brackets_that_belong_together_are_found_from_either_side():
    assert brackets_at("(a + (b))", 1) == (0, 8)
    assert brackets_at("(a + (b))", 8) == (7, 5)
    assert brackets_at("'(' || x", 2) is None


def test_names_are_renamed_and_every_other_sign_stays():
    text = "net  + \"Net\"*Lines.NET - 'net' || SUM( Net )"
    assert renamed(text, lambda name: ("Net amount", name.table) if name.name.casefold() == "net" else None) == (
        '"Net amount"  + "Net amount"*Lines."Net amount" - \'net\' || SUM( "Net amount" )'
    )
    assert renamed("not a ( formula", lambda _: ("x", None)) == "not a ( formula"


def test_the_manual_tells_every_function_and_its_patterns_parse():
    manual = (Path(__file__).parents[2] / "docs" / "formulas.md").read_text("utf-8").replace("&#124;", "|")
    for function in FUNCTIONS:
        assert f"| `{function.name}` | {function.meaning}" in manual
    for name, meaning in AGGREGATE_NAMES.items():
        assert f"| `{name}` | {meaning}" in manual
    for line in manual[manual.index("## Patterns") :].splitlines():
        if line.startswith("| ") and "`" in line:
            assert parsed(line.split("`")[1])
    for pattern in PATTERNS:
        assert parsed(pattern.text.replace("«", '"').replace("»", '"'))
