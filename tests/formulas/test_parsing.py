"""What is no formula is one error at the right place; nothing but values can be reached; no text makes the parser run long."""

import contextlib
import random
import time
from pathlib import Path

import pytest
import sqlglot
from hypothesis import given, settings
from hypothesis import strategies as st

from foldbasket.errors import FormulaError
from foldbasket.formulas.checking import checked, schema_of
from foldbasket.formulas.language import KEYWORDS, SYNONYMS, function_names
from foldbasket.formulas.parsing import parsed, written
from foldbasket.formulas.values import Kind
from tests.folding.build import source, table
from tests.formulas.cases import CASES, RECORDS
from tests.rounds import seeds

SCHEMA = schema_of(
    source(
        table("Lines", {**RECORDS, "Order date": [None] * 4, "Net": [1.0] * 4, "No": ["x"] * 4}),
        table("Orders", {"No": ["x"], "Freight": [1], "Order": [1]}),
    )
)


def refusal(text):
    """The error for a text; None when it is a formula."""
    try:
        checked(text, SCHEMA)
    except FormulaError as found:
        return found
    return None


def error(text, **more):
    with pytest.raises(FormulaError) as raised:
        checked(text, SCHEMA, **more)
    found = raised.value
    assert found.what[0] != " "
    return text[found.start : found.stop], str(found)


@pytest.mark.parametrize(
    ("text", "at", "said"),
    [
        ("a + nett", "nett", "there is no field or measure “nett”. Did you mean Net?"),
        ("Order_date - d", "Order_date", 'Did you mean "Order date"?'),
        ("Line.a", "Line.a", "there is no table “Line”. Did you mean Lines?"),
        ("Lines.zzz", "Lines.zzz", "“Lines” has no field “zzz”"),
        ("No || t", "No", "“No” is a field of several tables: Lines, Orders. Say which, such as Lines.No."),
        ("a + t", "t", "+ expects a number here, and this is text."),
        ("UPPER(a)", "a", "UPPER expects text here, and this is a number."),
        ("d > '2026-01-01'", "'2026-01-01'", "Write DATE '2026-01-01'."),
        ("a AND y", "a", "AND expects yes or no here"),
        ("CASE WHEN a THEN 1 ELSE 2 END", "a", "CASE expects a condition here"),
        ("CASE WHEN y THEN 1 ELSE 'x' END", "'x'", "CASE expects a number here, and this is text."),
        ("d + 3", "3", "+ expects an interval, such as INTERVAL '3' DAY here"),
        ("INTERVAL '3' DAY", "'3'", "an interval is no value by itself"),
        ("d + INTERVAL '3' MOON", "'3'", "there is no interval of 3 moon"),
        ("SUBSTRING(t)", "t", "SUBSTRING takes 2 to 3 arguments, not 1"),
        ("FROB(a)", "FROB", "there is no function “FROB”"),
        ("UPER(t)", "UPER", "Did you mean UPPER?"),
        ("a +", "+", "something is missing after “+”"),
        ("(a + b", "(", "this bracket is not closed"),
        ("a + b)", ")", "this bracket closes nothing"),
        ("t = 'ash", "'ash", "this quote is not closed. Type ' where it ends."),
        ('a + "Order', '"Order', "this quote is not closed"),
        ("a b", "b", "“b” cannot stand here"),
        ("99999999999999999999", "99999999999999999999", "is past the exact range"),
        ("1e999", "1e999", "beyond every number that can be held"),
        ("DATE '2026-02-30'", "'2026-02-30'", "is not a date"),
        ("EXTRACT(MOON FROM d)", "d", "there is no part “MOON” of a date"),
        ("CAST(a AS BLOB)", "a", "CAST knows INTEGER"),
        ("CAST(a AS DECIMAL(20, 9))", "a AS DECIMAL(20, 9", "up to 6 fraction digits"),
        ("ROUND(p, a)", "ROUND", "ROUND takes its digits as a whole number"),
        ("", "", "there is no formula"),
        ("SUM(SUM(a))", "SUM(a", "an aggregate cannot stand inside another"),
        ("SUM(a) + b", "b", "“b” is a field of each record, and here records are summed up. Sum it up, such as SUM(b)."),
        ("SUM(t)", "t", "a sum expects a number here, and this is text"),
        ("SUM(a) FILTER (WHERE b)", "b", "FILTER expects a condition here"),
        ("a FILTER (WHERE y)", "FILTER", "cannot stand here"),
    ],
)  # fmt: skip
def test_an_error_names_the_word_what_was_expected_and_what_to_do(text, at, said):
    where, told = error(text)
    assert said in told
    if at:
        assert where.startswith(at[: max(1, len(where))]) or at.startswith(where)


def test_what_a_formula_must_give_is_checked():
    assert "so it cannot be part of a field of each record" in error("a + SUM(b)", wants="field")[1]
    assert error("a + 1", wants="measure")[1].startswith(
        "“a” is a field of each record, not a summary. Sum it up, such as SUM(a)."
    )
    assert checked("Profit / 2", SCHEMA, measures={"Profit": Kind.NUMBER}, wants="measure").measures
    assert checked("a / 2", SCHEMA).is_summary is False
    assert checked("SUM(a) / COUNT(*)", SCHEMA).is_summary is True


@pytest.mark.parametrize(
    "text",
    [
        "a.__class__", "a.b.c.d", "(SELECT 1)", "SELECT a", "a; DROP TABLE t", "a -- remark", "a /* remark */", "EXISTS(SELECT 1)",
        "a IN (SELECT b FROM t)", "load_extension('x')", "pg_read_file('/etc/passwd')", "readfile('x')", "open('x')", "lambda: 1", "__import__('os')",
        "a::text", "a[0]", "{a}", "@x", "$1", "?", ":x", "a -> 'b'", "SUM(a) OVER ()", "CAST(a AS BLOB)", "x'41'", "`a`", "INSERT INTO t VALUES (1)",
        "CALL f()", "a COLLATE x", "ARRAY(1)", "STRUCT(1)", "RAND()", "UUID()", "CURRENT_USER", "NEXTVAL('s')", "COUNT(DISTINCT a, b)", "*", "t.*", "a AS b",
        "a = ANY(b)", "TRY_CAST(a AS INT)", "IF(y, 1, 2)", "JSON_EXTRACT(t, '$')", "REGEXP_LIKE(t, 'x')", "INTERVAL a DAY", "COUNT(*) + *",
    ],
)  # fmt: skip
def test_nothing_is_reachable_but_values(text):
    with pytest.raises(FormulaError):
        checked(text, SCHEMA)


@pytest.mark.parametrize(
    "text",
    [
        "(" * 20_000 + "a" + ")" * 20_000, "(" * 5_000, "a" * 1_000_000, "a + " * 250_000 + "a", "NOT " * 900 + "y", "-" * 1_500 + "a",
        "CASE WHEN y THEN " * 400 + "1" + " END" * 400, "'" * 19_999, "a+" * 900 + "a", "UPPER(" * 59 + "t" + ")" * 59, "a.b" * 500, "𝕏" * 9_000, "||" * 900,
    ],
)  # fmt: skip
def test_long_and_deep_texts_are_answered_at_once(text):
    began = time.process_time()
    found = refusal(text)
    assert found is None or 0 <= found.start < max(1, len(text))
    assert time.process_time() - began < 3  # a bound on hanging; alone each takes less than a fifth of a second


PIECES = st.sampled_from(
    [formula for formula, _ in CASES]
    + ["a", "t", "(", ")", ",", "'", '"', "+", "||", "NOT", "CASE", "WHEN", "END", "NULL", "SUM(", "FILTER (WHERE", "DISTINCT", "INTERVAL '1'", "DAY", ".", "*", "1e9", "0", "é", "\n", "\x00", "OVER", "SELECT"]
)  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(st.one_of(st.text(max_size=60), st.lists(PIECES, max_size=9).map(" ".join)))
def test_no_text_makes_anything_but_a_formula_error(text):
    found = refusal(text)  # whatever else is raised fails the test
    assert found is None or found.start < found.stop


@pytest.mark.parametrize(
    "name",
    ["Net", "Order date", "Order", "Date", 'a"b', "select", "No.", "é", "1st", "case", "x y", "SUM", "current_date"],
)
def test_a_written_name_reads_back_as_itself(name):
    tree = parsed(written(name))
    assert (tree.name, tree.table) == (name, None)
    both = parsed(written(name, "Order lines"))
    assert (both.name, both.table) == (name, "Order lines")


@pytest.mark.parametrize("name", sorted(sqlglot.Parser.FUNCTIONS))
def test_a_function_is_taken_by_its_listed_names_alone(name):
    listed = {*function_names(), *SYNONYMS, *KEYWORDS}
    taken = []
    for values in ("", "a", "a, b", "a, b, c", "1, 2"):
        with contextlib.suppress(FormulaError):
            parsed(f"{name}({values})")
            taken.append(values)
    assert not taken or name in listed


def test_every_name_that_is_taken_is_in_the_document():
    told = (Path(__file__).parents[2] / "docs" / "formulas.md").read_text("utf-8")
    assert [name for name in [*function_names(), *SYNONYMS] if f"`{name}`" not in told] == []


WORDS = (
    "Net", "'1'", "1", "-", "+", "(", ")", ",", "INTERVAL", "MONTH", "DATE", "TIMESTAMP", "CAST", "AS", "DECIMAL", "CASE", "WHEN", "THEN", "ELSE", "END",
    "SUM", "FILTER", "WHERE", "DISTINCT", "EXTRACT", "FROM", "YEAR", "IN", "BETWEEN", "AND", "NOT", "NULL", "IS", "LIKE", "OVER", "||", "*", "::", "AT", "ZONE",
)  # fmt: skip


@pytest.mark.parametrize("seed", seeds(40))
def test_words_of_the_language_in_any_order_are_a_formula_or_a_formula_error(seed):
    rng = random.Random(seed)
    for _ in range(300):
        text = " ".join(rng.choice(WORDS) for _ in range(rng.randint(1, 7)))
        if rng.random() < 0.5:
            text = f"{rng.choice(['Net +', 'SUM(Net) -', 'D +', ''])} {text}"
        with contextlib.suppress(FormulaError):
            parsed(text)


@pytest.mark.parametrize("text", ["interval month '1'", "D + interval day '3'", "interval year '1' + D"])
def test_an_interval_whose_words_are_the_wrong_way_round_is_refused_with_how_to_write_it(text):
    with pytest.raises(FormulaError, match=r"wrong order|INTERVAL '3' DAY"):
        parsed(text)
