"""Names and types of a formula, checked before anything runs: every name becomes a field or a measure, every argument fits."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

import msgspec
from msgspec.structs import replace

from foldbasket.errors import FormulaError
from foldbasket.formulas.function import Function, Misfit
from foldbasket.formulas.functions.casting import Cast
from foldbasket.formulas.parsing import parsed, written
from foldbasket.formulas.tree import Aggregated, Apply, Constant, Name, Node, is_summary, names_in
from foldbasket.formulas.values import KIND_OF, Kind
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.tables.types import FieldType
from foldbasket.typed import near


class Schema(dict[str, Mapping[str, FieldType]]):
    """The fields of every table, with their types, by the key of its source. Formulas say what a table is `called`."""

    def __init__(self, fields: Mapping[str, Mapping[str, FieldType]], called: Mapping[str, str]) -> None:
        super().__init__(fields)
        self.called = called

    def table(self, name: str) -> str | None:
        """The key of the table of that name."""
        found = _match(name, list(self.called.values()), False)
        return next((key for key, called in self.called.items() if called == found), None)


NUMERIC = ("sum", "average", "median", "percentile", "standard deviation", "standard deviation of all", "variance",
           "variance of all", "sum different", "average different")  # fmt: skip


def schema_of(source: Source) -> Schema:
    """The fields of every table of a source, with their types."""
    return Schema(
        {key: {field: column.type for field, column in table.columns.items()} for key, table in source.tables.items()},
        {key: table.name for key, table in source.tables.items()},
    )


class Checked(msgspec.Struct, eq=False):
    """A formula that is sound: its tree, the kind it gives, and what its names stand for."""

    text: str
    tree: Node
    kind: Kind
    fields: dict[Name, FieldRef] = msgspec.field(default_factory=dict)
    measures: dict[Name, str] = msgspec.field(default_factory=dict)

    @property
    def is_summary(self) -> bool:
        """Whether it gives a measure; otherwise it gives a field."""
        return is_summary(self.tree) or bool(self.measures)

    def moved(self, to: Callable[[FieldRef], FieldRef]) -> Checked:
        """The formula on the fields that `to` gives for its own."""
        return replace(self, fields={name: to(ref) for name, ref in self.fields.items()})

    def refs(self) -> list[FieldRef]:
        """Every field it looks at, each once."""
        return list(dict.fromkeys(self.fields.values()))


def checked(
    text: str,
    schema: Schema,
    *,
    home: str | None = None,
    measures: Mapping[str, Kind] | None = None,
    wants: str = "either",
) -> Checked:
    """A formula, checked. `home` is the table whose fields come first where two share a name, `measures` the kinds of the measures
    it may name, `wants` says whether it must give a `field` or a `measure`. Raises FormulaError."""
    tree = parsed(text)
    made = Checked(text, tree, Kind.NOTHING)
    finder = _Finder(schema, home, measures or {})
    summary = is_summary(tree)
    if not (summary and wants == "field"):
        for name in names_in(tree):
            _place(name, tree, made, finder, summary, wants)
    if (made.measures or summary) and wants == "field":
        first = next((each for each in tree.walk() if isinstance(each, Aggregated)), tree)
        raise FormulaError(
            "an aggregate sums records up, so it cannot be part of a field of each record.",
            first.start, first.stop, todo="Make it a measure, or take the aggregate out.",
        )  # fmt: skip
    if wants == "measure" and not (summary or made.measures):
        first = names_in(tree)[0] if names_in(tree) else tree
        said = (
            f"“{first.name}” is a field of each record"
            if isinstance(first, Name)
            else "this is the same for each record"
        )
        todo = (
            f"Sum it up, such as SUM({written(first.name)})."
            if isinstance(first, Name)
            else "Use an aggregate, such as SUM."
        )
        raise FormulaError(f"{said}, not a summary.", first.start, first.stop, todo=todo)
    made.kind = _kind(tree, made, finder, inside=False)
    if made.kind is Kind.SPAN:
        raise FormulaError("an interval is no value by itself.", tree.start, tree.stop, todo="Add it to a date.")
    return made


def checked_condition(text: str, schema: Schema) -> Checked:
    """A formula that must hold or not for each record, checked. Raises FormulaError."""
    made = checked(text, schema, wants="field")
    if made.kind is not Kind.YESNO:
        raise FormulaError(
            f"a filter needs a condition, and this is {made.kind.value}.", 0, len(text), todo="Compare it: … > 500."
        )
    return made


def _place(name: Name, tree: Node, made: Checked, finder: _Finder, summary: bool, wants: str) -> None:
    """Decides what a name stands for: within an aggregate a field, outside one a measure, in a record formula a field."""
    inside = any(isinstance(each, Aggregated) and any(below is name for below in each.walk()) for each in tree.walk())
    measure = finder.measure(name) if not inside else None
    if measure is not None and (summary or wants == "measure" or finder.field(name) is None):
        made.measures[name] = measure
        return
    ref = finder.field(name)
    if ref is None:
        raise finder.unknown(name)
    if summary and not inside:
        raise FormulaError(
            f"“{name.name}” is a field of each record, and here records are summed up.",
            name.start, name.stop, todo=f"Sum it up, such as SUM({written(name.name, name.table)}).",
        )  # fmt: skip
    made.fields[name] = ref


class _Finder:
    def __init__(self, schema: Schema, home: str | None, measures: Mapping[str, Kind]) -> None:
        self.schema, self.home, self.measures = schema, home, measures

    def measure(self, name: Name) -> str | None:
        if name.table is not None:
            return None
        return _match(name.name, list(self.measures), name.quoted)

    def field(self, name: Name) -> FieldRef | None:
        """The field of that name. Raises FormulaError when several tables have one and none is at home."""
        if name.table is not None:
            table = self.schema.table(name.table)
            if table is None:
                hint = near(name.table, list(self.schema.called.values()), 0.5)
                raise FormulaError(
                    f"there is no table “{name.table}”.", name.start, name.stop, todo=f"Did you mean {written(hint)}?" if hint else ""
                )  # fmt: skip
            found = _match(name.name, list(self.schema[table]), name.quoted)
            return FieldRef(table, found) if found is not None else None
        hits = [
            FieldRef(table, found)
            for table, fields in self.schema.items()
            if (found := _match(name.name, list(fields), name.quoted)) is not None
        ]
        own = [ref for ref in hits if ref.table == self.home]
        if len(hits) > 1 and not own:
            tables = ", ".join(self.schema.called[ref.table] for ref in hits)
            raise FormulaError(
                f"“{name.name}” is a field of several tables: {tables}.",
                name.start, name.stop, todo=f"Say which, such as {written(hits[0].field, self.schema.called[hits[0].table])}.",
            )  # fmt: skip
        return next(iter(own or hits), None)

    def unknown(self, name: Name) -> FormulaError:
        fields = (
            list(self.schema.get(self.schema.table(name.table) or "", ()))
            if name.table is not None
            else [each for table in self.schema.values() for each in table]
        )
        known = list(dict.fromkeys([*self.measures, *fields]))
        hint = near(name.name, known, 0.5)
        where = f"“{name.table}” has no field" if name.table is not None else "there is no field or measure"
        return FormulaError(
            f"{where} “{name.name}”.", name.start, name.stop, todo=f"Did you mean {written(hint)}?" if hint else "Fields are listed as you type."
        )  # fmt: skip


def _match(name: str, known: list[str], quoted: bool) -> str | None:
    """The name itself; unquoted also one that differs only in case, as the standard reads it."""
    if name in known:
        return name
    alike = [] if quoted else [each for each in known if each.casefold() == name.casefold()]
    return alike[0] if len(alike) == 1 else None


def _kind(node: Node, made: Checked, finder: _Finder, inside: bool) -> Kind:
    if isinstance(node, Constant):
        return node.value.kind
    if isinstance(node, Name):
        if node in made.measures:
            return finder.measures[made.measures[node]]
        ref = made.fields[node]
        return KIND_OF[finder.schema[ref.table][ref.field]]
    if isinstance(node, Aggregated):
        return _aggregate_kind(node, made, finder, inside)
    assert isinstance(node, Apply)
    kinds = [_kind(each, made, finder, inside) for each in node.arguments]
    try:
        if isinstance(node.function, Cast):
            into, sizes = (str(each.value.data[0]) for each in node.arguments[1:] if isinstance(each, Constant))
            return node.function.check(kinds[0], into, sizes)
        return node.function.kind(kinds)
    except Misfit as misfit:
        raise _misfit(node, node.function, kinds, misfit) from None


def _misfit(node: Apply, function: Function, kinds: list[Kind], misfit: Misfit) -> FormulaError:
    if misfit.at is None:
        said = misfit.expected
        return FormulaError(
            f"{said}.", node.start, node.stop, todo=f"For example: {function.example}" if function.example else ""
        )
    wrong = node.arguments[misfit.at]
    todo = f"For example: {function.example}"
    if (
        isinstance(wrong, Constant)
        and kinds[misfit.at] is Kind.TEXT
        and re.fullmatch(r"\d{4}-\d\d-\d\d", str(wrong.value.data[0]))
    ):
        todo = f"Write DATE '{wrong.value.data[0]}'."
    return FormulaError(
        f"{function.name} expects {misfit.expected} here, and this is {kinds[misfit.at].value}.", wrong.start, wrong.stop, todo=todo
    )  # fmt: skip


def _aggregate_kind(node: Aggregated, made: Checked, finder: _Finder, inside: bool) -> Kind:
    if inside:
        raise FormulaError(
            "an aggregate cannot stand inside another.",
            node.start,
            node.stop,
            todo="Make the inner one a measure or a field.",
        )
    if node.where is not None:
        kind = _kind(node.where, made, finder, inside=True)
        if kind not in (Kind.YESNO, Kind.NOTHING):
            raise FormulaError(
                f"FILTER expects a condition here, and this is {kind.value}.", node.where.start, node.where.stop
            )
    if node.argument is None:
        return Kind.NUMBER
    kind = _kind(node.argument, made, finder, inside=True)
    if node.aggregate in NUMERIC and kind not in (Kind.NUMBER, Kind.NOTHING):
        raise FormulaError(
            f"a {node.aggregate.split(' ')[0]} expects a number here, and this is {kind.value}.",
            node.argument.start, node.argument.stop, todo="Count its values instead: COUNT(…).",
        )  # fmt: skip
    return Kind.NUMBER if node.aggregate in (*NUMERIC, "count values", "count different") else kind
