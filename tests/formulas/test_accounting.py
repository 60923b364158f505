"""Whatever the parser understands of a formula is read or refused by name: a walk over every node and every argument it can carry."""

import pytest
import sqlglot
from sqlglot import exp

from foldbasket.errors import FormulaError
from foldbasket.formulas.function import FUNCTIONS
from foldbasket.formulas.language import ACCOUNTED, accounted
from foldbasket.formulas.parsing import parsed, read_tree
from tests.formulas.cases import CASES

FORMS = [
    *(text for text, _ in CASES),
    "COUNT(*) FILTER (WHERE y)",
    "COUNT(DISTINCT t)",
    "SUM(DISTINCT a)",
    "MIN(DISTINCT a)",
    "AVG(p)",
    "MAX(d)",
    "MEDIAN(a)",
    "STDDEV(a)",
    "STDDEV_SAMP(a)",
    "STDDEV_POP(a)",
    "VAR_SAMP(a)",
    "VARIANCE(a)",
    "VAR_POP(a)",
    "PERCENTILE_CONT(0.9) WITHIN GROUP (ORDER BY a)",
    "d + INTERVAL '3' DAY",
    "CAST(a AS DECIMAL(10, 2))",
    "CURRENT_DATE - d",
    'Lines."Order date" IS NULL',
    "CASE a WHEN 1 THEN TRUE ELSE y END",
]
STRANGE = [True, "XYZ", exp.Var(this="XYZ"), exp.column("zzz"), [exp.column("zzz")], exp.Literal.number(3)]

NODES = {getattr(exp, name) for function in FUNCTIONS for name in function.nodes} | {
    getattr(exp, name) for name in ACCOUNTED
}


def trees():
    return [(text, sqlglot.parse_one(text, into=exp.Condition)) for text in FORMS]


def test_the_forms_hold_every_node_of_the_language():
    seen = {type(node) for _, tree in trees() for node in tree.walk()}
    assert {each for each in seen if accounted(each) is not None} == NODES


def test_an_argument_that_is_not_read_is_refused_on_every_node_that_can_carry_it():
    tried = set()
    for text, tree in trees():
        for at, node in enumerate(tree.walk()):
            reads = accounted(type(node))
            assert reads is not None, f"{text}: {type(node).__name__}"
            for key in [*node.arg_types, "something_new"]:
                if key in reads or node.args.get(key):
                    continue
                for value in STRANGE:
                    copy = tree.copy()
                    carrier = list(copy.walk())[at]
                    carrier.args[key] = value
                    with pytest.raises(FormulaError):
                        pytest.fail(
                            f"{text}: {type(node).__name__}.{key} = {value!r} is passed over: {read_tree(text, copy)}"
                        )
                tried.add((type(node), key))
    missed = {
        (kind, key)
        for kind in NODES
        for key in kind.arg_types
        if key not in (accounted(kind) or ()) and (kind, key) not in tried
    }
    assert not missed


def test_every_argument_that_is_said_to_be_read_changes_what_is_read_or_is_written_by_the_parser_itself():
    """`reads` is no way around the rule: an argument on it that is never met in any form would be read by nobody."""
    met = {
        (type(node), key) for _, tree in trees() for node in tree.walk() for key, given in node.args.items() if given
    }
    listed = {(kind, key) for kind in NODES for key in accounted(kind) or ()}
    unmet = {(kind.__name__, key) for kind, key in listed - met if key in kind.arg_types}
    # IS … NOT comes as a NOT of its own today, and rising order is written by leaving it out.
    assert unmet <= {("Is", "negate"), ("Ordered", "desc"), ("Like", "negate")}


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("MEDIAN(DISTINCT a)", "MEDIAN has no DISTINCT"),
        ("STDDEV(DISTINCT a)", "STDDEV has no DISTINCT"),
        ("VAR_POP(DISTINCT a)", "VAR_POP has no DISTINCT"),
        ("MAX(a, b)", "MAX takes one field"),
        ("FLOOR(d TO DAY)", "TO cannot stand here"),
        ("POSITION('x', t, 2)", "POSITION cannot stand here"),
        ("CAST(t AS VARCHAR(5, 2))", "VARCHAR takes no such size"),
        ("CAST(a AS INTEGER(3))", "INT takes no such size"),
        ("CAST(t AS CHAR)", "CHAR takes a length"),
        ("CAST(a AS DECIMAL(3, 4))", "no more of them than digits"),
        ("SUM(a ORDER BY b)", "cannot stand here"),
        ("a IN (SELECT 1)", "a formula has no queries"),
        ("one.two.three.a", "a name has at most a table before it"),
    ],
)
def test_what_cannot_be_said_is_named(text, said):
    from foldbasket.formulas.checking import checked
    from tests.formulas.test_parsing import SCHEMA

    with pytest.raises(FormulaError) as raised:
        checked(text, SCHEMA)
    assert said in str(raised.value)


def test_the_reader_leaves_the_parsers_tree_of_a_good_formula_alone():
    for text in FORMS:
        assert parsed(text) is parsed(text)
