"""What of the language of SQL a formula may use: aggregates, keywords, and which arguments of every node of its tree we read."""

from __future__ import annotations

from foldbasket.formulas.function import FUNCTIONS, Function, function_at
from foldbasket.later import exp

LONGEST = 20_000


DEEPEST = 30


MOST_PARTS = 2_000


AGGREGATES: dict[str, str] = {
    "Sum": "sum",
    "Avg": "average",
    "Min": "smallest",
    "Max": "largest",
    "Count": "count values",
    "Median": "median",
    "Stddev": "standard deviation",
    "StddevSamp": "standard deviation",
    "StddevPop": "standard deviation of all",
    "Variance": "variance",
    "VariancePop": "variance of all",
    "PercentileCont": "percentile",
}


FEWER = {"count values": "count different", "sum": "sum different", "average": "average different",
         "smallest": "smallest", "largest": "largest"}  # fmt: skip
"""What DISTINCT makes of an aggregate, where it can stand; the smallest and the largest are the same with it."""


ACCOUNTED: dict[str, frozenset[str]] = {
    **{kind: frozenset({"this"}) for kind in AGGREGATES},
    "Count": frozenset({"this", "big_int"}),  # how wide the count is held is no part of the language
    "Paren": frozenset({"this"}),
    "Literal": frozenset({"this", "is_string"}),
    "Boolean": frozenset({"this"}),
    "Null": frozenset(),
    "Interval": frozenset({"this", "unit"}),
    "Column": frozenset({"this", "table"}),
    "Identifier": frozenset({"this", "quoted"}),
    "Star": frozenset(),
    "Var": frozenset({"this"}),
    "Filter": frozenset({"this", "expression"}),
    "Where": frozenset({"this"}),
    "Distinct": frozenset({"expressions"}),
    "WithinGroup": frozenset({"this", "expression"}),
    "Order": frozenset({"expressions"}),
    "Ordered": frozenset({"this", "desc", "nulls_first"}),  # blanks are left out, so their place means nothing
    "If": frozenset({"this", "true"}),
    "DataType": frozenset({"this", "expressions"}),
    "DataTypeParam": frozenset({"this"}),
}
"""The arguments that are read of each of the parser's nodes which are no functions of their own. Whatever else a node carries is
refused by name, so that nothing which the parser understands is passed over in silence."""


AGGREGATE_NAMES = {
    "SUM": "All values added up, exactly.",
    "AVG": "The average of the values.",
    "COUNT": "COUNT(*) counts records, COUNT(x) values, COUNT(DISTINCT x) different ones.",
    "MIN": "The smallest value.",
    "MAX": "The largest value.",
    "MEDIAN": "The value in the middle.",
    "PERCENTILE_CONT": "PERCENTILE_CONT(0.9) WITHIN GROUP (ORDER BY x): the value that so great a share lies below.",
    "STDDEV_SAMP": "The standard deviation of a sample.",
    "STDDEV_POP": "The standard deviation of all there is.",
    "VAR_SAMP": "The variance of a sample.",
    "VAR_POP": "The variance of all there is.",
}
"""The aggregates as the standard names them, with their meaning."""


KEYWORDS = ("AND", "OR", "NOT", "IN", "BETWEEN", "LIKE", "IS", "NULL", "CASE", "WHEN", "THEN", "ELSE", "END", "DISTINCT",
            "FILTER", "WHERE", "DATE", "INTERVAL", "TRUE", "FALSE")  # fmt: skip


def accounted(kind: type[exp.Expression]) -> frozenset[str] | None:
    """The arguments that are read of a kind of the parser's nodes; None where the language does not have it."""
    function = function_at(kind)
    return function.reads if function is not None else ACCOUNTED.get(kind.__name__)


def named(kind: type[exp.Expression]) -> Function:
    found = function_at(kind)
    assert found is not None
    return found


def function_names() -> list[str]:
    """Every function that is called by name, aggregates included."""
    named = {each.name for each in FUNCTIONS if not each.is_operator}
    return sorted(named | set(AGGREGATE_NAMES))


SYNONYMS = {
    "CEIL": "CEILING", "CHARACTER_LENGTH": "CHAR_LENGTH", "LENGTH": "CHAR_LENGTH", "POW": "POWER", "SUBSTR": "SUBSTRING",
    "STDDEV": "STDDEV_SAMP", "VARIANCE": "VAR_SAMP", "IFNULL": "COALESCE",
}  # fmt: skip
"""Other names that many programs know, and what they stand for here."""
