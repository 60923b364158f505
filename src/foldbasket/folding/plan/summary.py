"""Summary formulas: measures made of aggregates, conditional ones too, and of other measures.

Each aggregate in a formula becomes a measure of its own that the report does not show, so that it is grouped, totalled and
counted once per coarser record like any other; the formula is then worked out on the aggregates of every cell and every total.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import msgspec

from foldbasket.errors import FormulaError
from foldbasket.folding.filters.about import Compute, on_table
from foldbasket.folding.plan.bases import Base
from foldbasket.formulas.checking import Checked, checked, schema_of
from foldbasket.formulas.function import function_at
from foldbasket.formulas.tree import Aggregated, Apply, Constant, Name, Node, names_in, valued_names
from foldbasket.formulas.values import KIND_OF, Kind, constant, nothing
from foldbasket.later import exp
from foldbasket.links.source import Source
from foldbasket.sentence.phrases import headings_of, measure_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import FORMULA, Fold, Measure
from foldbasket.tables.types import FieldType


class Ready(msgspec.Struct, frozen=True, eq=False):
    """A summary formula made ready: which measure, shown or hidden, each of its aggregates and names stands for."""

    measure: Measure
    formula: Checked
    stands_for: dict[Node, str] = msgspec.field(default_factory=dict)


class Hidden(msgspec.Struct, frozen=True, eq=False):
    """One aggregate of a formula as a measure that no one sees. `made` is what it runs over where that is about the records of
    the fold, whichever table they turn out to be of; None where the measure has a field, whose table it then is about."""

    measure: Measure
    made: Checked | None = None


class Expanded(msgspec.Struct, frozen=True, eq=False):
    """The measures that are aggregated, those that no one sees last, and the formulas by their place in the fold. `about` holds, by
    the measure's id, what is worked out on the records of the fold."""

    measures: tuple[Measure, ...]
    formulas: dict[int, Ready]
    about: dict[str, Checked] = msgspec.field(default_factory=dict)

    def fields_of(self, measure: Measure) -> list[FieldRef]:
        """The fields that decide which table a measure is aggregated over."""
        made = self.about.get(measure.id)
        return measure.fields() if made is None else made.refs()

    def on(self, measure: Measure, table: str, source: Source, compute: Compute) -> Measure:
        """The measure over the records of a table."""
        made = self.about.get(measure.id)
        return (
            measure if made is None else msgspec.structs.replace(measure, field=on_table(made, table, source, compute))
        )


class Based(NamedTuple):
    """A fold with its conditions checked, its measures with those that formulas are made of, and what each is aggregated over."""

    fold: Fold
    filters: tuple[Filter, ...]
    made: Expanded
    measures: list[Measure]
    bases: list[Base]


def by_heading(measures: Sequence[Measure]) -> dict[str, Measure]:
    """Measures by the names that formulas call them by: their headings, and those that the report shows; of two alike the first."""
    found: dict[str, Measure] = {}
    for measure in measures:
        found.setdefault(measure_heading(measure), measure)
    shown = headings_of(Fold("", tuple(measures)))
    for measure in measures:
        found.setdefault(shown[measure.id], measure)
    return found


def check_measure(measure: Measure, measures: Sequence[Measure], source: Source, path: tuple[str, ...] = ()) -> Checked:
    """A summary formula, checked against the fields and the other measures. Raises FormulaError, also for a circle."""
    name = measure_heading(measure)
    others = {heading: each for heading, each in by_heading(measures).items() if each.id != measure.id}
    known = _Kinds(others, measures, source, (*path, name))
    return checked(measure.formula, schema_of(source), measures=known, wants="measure")


class _Kinds(Mapping[str, Kind]):
    """The kinds of measures by heading, each worked out when it is asked for."""

    def __init__(
        self, others: dict[str, Measure], measures: Sequence[Measure], source: Source, path: tuple[str, ...]
    ) -> None:
        self.others, self.measures, self.source, self.path = others, measures, source, path

    def __iter__(self):  # type: ignore[no-untyped-def]
        return iter([*self.others, self.path[-1]])

    def __len__(self) -> int:
        return len(self.others) + 1

    def __getitem__(self, heading: str) -> Kind:
        if heading in self.path:
            said = " → ".join(f"“{one}”" for one in (*self.path[self.path.index(heading) :], heading))
            raise FormulaError(
                f"this measure is made of itself: {said}.", 0, 1, where=heading, todo="Take one of the names out."
            )
        measure = self.others[heading]
        if measure.aggregate == FORMULA:
            return check_measure(measure, self.measures, self.source, self.path).kind
        if measure.field is None or measure.aggregate not in ("smallest", "largest", "first", "last", "mode"):
            return Kind.TEXT if measure.aggregate == "list" else Kind.NUMBER
        return KIND_OF[self.source.column(measure.field).type]


def expanded(fold: Fold, source: Source, compute: Compute) -> Expanded:
    """The fold's measures with the aggregates of its formulas. Raises FormulaError where a formula is wrong."""
    by_key: dict[str, Measure] = {}
    formulas: dict[int, Ready] = {}
    about: dict[str, Checked] = {}
    for at, measure in enumerate(fold.measures):
        if measure.aggregate != FORMULA:
            continue
        made = check_measure(measure, fold.measures, source)
        ready = Ready(measure, made)
        for name, heading in made.measures.items():
            ready.stands_for[name] = by_heading(fold.measures)[heading].id
        for node in made.tree.walk():
            if isinstance(node, Aggregated):
                hidden = _hidden(node, made, source, compute)
                ready.stands_for[node] = by_key.setdefault(hidden.measure.id, hidden.measure).id
                if hidden.made is not None:
                    about[hidden.measure.id] = hidden.made
        formulas[at] = ready
    return Expanded((*fold.measures, *by_key.values()), formulas, about)


def about(formula: Checked, source: Source) -> list[tuple[str, str | None]]:
    """Each aggregate of a summary formula as it is written, and the table whose records it is about; None: those of the fold.
    Raises FormulaError where a condition would make amounts of one record count many times."""
    found = [(each, _home(each, formula, source)) for each in formula.tree.walk() if isinstance(each, Aggregated)]
    for node, home in found:
        if home is not None:
            _check_conditions(node, formula, source, home)
    return [(said_of(formula.text, node), home) for node, home in sorted(found, key=lambda each: each[0].start)]


def _home(node: Aggregated, formula: Checked, source: Source) -> str | None:
    tables = [formula.fields[name].table for name in valued_names(node.argument)] if node.argument is not None else []
    return source.base_for(tables) if tables else None


def said_of(text: str, node: Node) -> str:
    """A part of a formula as it is written, with the brackets that belong to it."""
    stop = node.stop
    while text[node.start : stop].count("(") > text[node.start : stop].count(")") and ")" in text[stop:]:
        stop = text.index(")", stop) + 1
    return text[node.start : stop]


def _hidden(node: Aggregated, formula: Checked, source: Source, compute: Compute) -> Hidden:
    """The measure that one aggregate of a formula is.

    It is about the records of the table whose fields its value is made of, each once; where its value is made of no field (records
    counted, a constant summed) it is about the records of the fold. Raises FormulaError where a condition would make amounts of
    one record count many times.
    """
    said = said_of(formula.text, node)
    if node.argument is None and node.where is None:
        return Hidden(Measure(f"={said}", "count"))
    argument = node.argument
    if argument is None:
        argument = Constant(node.start, node.stop, constant(FieldType.WHOLE, 1))
    aggregate = "count values" if node.aggregate == "count" else node.aggregate
    home = _home(node, formula, source)
    if home is not None:
        _check_conditions(node, formula, source, home)
    if node.where is not None:
        case = function_at(exp.Case)
        assert case is not None
        argument = Apply(
            node.start, node.stop, case, (node.where, argument, Constant(node.start, node.stop, nothing()))
        )
    if isinstance(argument, Name):
        ref = formula.fields[argument]
    else:
        fields = {name: formula.fields[name] for name in names_in(argument)}
        made = Checked(said, argument, Kind.NOTHING, fields)
        if home is None:
            names = "·".join(f"{each.table}.{each.field}" for each in made.refs())
            return Hidden(Measure(f"={said}·{aggregate}·{names}", aggregate, None, node.percent), made)
        ref = compute(made, home)
    return Hidden(
        Measure(f"={said}·{aggregate}·{node.percent:g}·{ref.table}·{ref.field}", aggregate, ref, node.percent)
    )


def _check_conditions(node: Aggregated, formula: Checked, source: Source, home: str) -> None:
    """Refuses a condition that looks at a table of which each record of `home` has many."""
    valued = set(valued_names(node.argument)) if node.argument is not None else set()
    for name in names_in(node):
        table = formula.fields[name].table
        if name not in valued and source.base_for([home, table]) != home:
            where = node.where if node.where is not None and name in names_in(node.where) else name
            raise FormulaError(
                f"the condition looks at {table}, of which each record of {home} has many, so its amounts would count many times.",
                where.start, where.stop, todo=f"Let the condition look at {home}.",
            )  # fmt: skip
