"""The tree of a sentence written in full, read as the fold that it asks for."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import msgspec
from lark import Tree

from foldbasket.errors import SentenceError, bare
from foldbasket.folding.compare.shares import Index
from foldbasket.folding.usual import usual_aggregate
from foldbasket.sayings import Saying, Slot
from foldbasket.sentence.grammar import is_whole, options
from foldbasket.sentence.naming import names_of_measures, names_on_axes
from foldbasket.sentence.scanning import Named, Scanner
from foldbasket.sentence.trees import leaves, sub
from foldbasket.sentence.values import Values
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import FORMULA, Covers, Fold, Measure, MeasuresOn, Placed, TotalOf, Where
from foldbasket.spec.order import ByValue, Rest
from foldbasket.tables.types import FieldType
from foldbasket.typed import meant

replace = msgspec.structs.replace


PENDING = Index()
"""Stands for a comparison until every word is there that it may name: what measures are called goes by which are compared."""


@dataclass
class Reader:
    """Reads the tree of one sentence written in full, with one field chosen for each name."""

    scanner: Scanner
    words: Vocabulary
    chosen: dict[int, FieldRef]

    def __post_init__(self) -> None:
        self.made = Fold("")
        self.values = Values(self.words)

    def fold(self, tree: Tree, name: str = "") -> Fold:
        """The fold that a tree asks for. Raises SentenceError."""
        self.made = Fold(name)
        later: list[Callable[[], None]] = []
        for each in sub(tree, "measures"):
            for one in sub(each, "measure"):
                self._measure(one, later)
        clauses = sub(tree, "rows", "columns", "kept")
        for each in clauses:
            if each.data != "kept":
                self._axis(each, later)
        for act in later:
            act()
        for each in clauses:
            if each.data == "kept":
                self._filters(each)
        for each in sub(tree):
            if each.data in SETTINGS:
                self.made = SETTINGS[each.data](self.made, each)
        return self.made

    # --- names --------------------------------------------------------------------

    def error(self, leaf: Named, what: str, todo: str = "") -> SentenceError:
        """An error at the place of a leaf."""
        return SentenceError(f"{what} (at {leaf.start + 1}).", place=(leaf.start, leaf.stop), todo=todo)

    def unknown(self, leaf: Named) -> SentenceError:
        """The error of a name that is no field's."""
        known = self.words.known
        todo = meant(str(leaf), known) or "Write the name of a field, in quotes where it has odd signs."
        what = f"there is no field “{leaf}” (at {leaf.start + 1})."
        return SentenceError(what, place=(leaf.start, leaf.stop), could=known, todo=todo)

    def field(self, leaf: Named) -> FieldRef:
        """The field that was chosen for a name."""
        return self.chosen[leaf.start]

    def id_of(self, leaf: Named, names: dict[str, str], what: str) -> str:
        """The id of a word of the fold, by its name. Raises SentenceError where there is none."""
        name = str(leaf)
        for fold in (str, str.casefold):
            found = [id for id, each in names.items() if fold(each) == fold(name)]
            if found:
                return found[0]
        found = [id for id, each in names.items() if self.words.alike(each, name)]
        if len(found) == 1:
            return found[0]
        listed = ", ".join(f"“{each}”" for each in names.values()) or "none"
        raise self.error(
            leaf,
            f"“{name}” is no {what} of this sentence",
            f"{meant(name, names.values())} There are: {listed}.".strip(),
        )

    def measure_named(self, leaf: Named) -> str:
        """The id of a measure."""
        return self.id_of(leaf, names_of_measures(self.made, self.words.source), "measure")

    def placed_named(self, leaf: Named) -> str:
        """The id of a field on an axis."""
        return self.id_of(leaf, names_on_axes(self.made), "field on rows or columns")

    # --- measures -------------------------------------------------------------------

    def _measure(self, tree: Tree, later: list[Callable[[], None]]) -> None:
        what = sub(tree)[0]
        at = len(self.made.measures)
        made = replace(self._what(what), id=f"m{at + 1}")
        for suffix in sub(tree)[1:]:
            if suffix.data == "called":
                made = replace(made, heading=str(leaves(suffix)[0]))
            elif suffix.data == "totals":
                made = replace(made, total=self.choice(suffix, TotalOf))
            elif suffix.data == "compared":
                made = replace(made, compare=PENDING)
                later.append(lambda suffix=suffix: self._compare(at, sub(suffix)[0]))  # type: ignore[misc]
        self.made = replace(self.made, measures=(*self.made.measures, made))

    def _what(self, tree: Tree) -> Measure:
        if tree.data == "recorded":
            return Measure("", "count")
        if tree.data == "formula":
            named = leaves(tree)
            heading = str(named[0]) if len(named) > 1 else None
            return Measure("", FORMULA, heading=heading, formula=str(named[-1]))
        leaf = leaves(tree)[0]
        if tree.data == "there":
            known = self.words.measure_there(str(leaf))
            if known is None:
                raise self.unknown(leaf)
            return known
        ref = self.field(leaf)
        if tree.data == "usual":
            if str(leaf).casefold() != ref.field.casefold() and self.words.source.column(ref).type is FieldType.WHOLE:
                raise self.error(leaf, f"“{leaf}” may be counted or summed up", "Say which.")  # the short form tells
            return Measure("", usual_aggregate(self.words.source.column(ref)), ref)
        return self.aggregated(sub(tree, *self._rules("aggregated"))[0], ref)

    def aggregated(self, tree: Tree, ref: FieldRef) -> Measure:
        """A measure of a field by what is said behind it."""
        aggregate, settings = self.kind(tree, ref=ref)[0]
        return Measure("", aggregate.name, ref, **settings)

    def _rules(self, name: str) -> list[str]:
        return [each for each in self.scanner.made.meant if each.startswith(f"{name}_")]

    def _compare(self, at: int, tree: Tree) -> None:
        compare = self.first(tree)
        measures = self.made.measures
        self.made = replace(
            self.made, measures=(*measures[:at], replace(measures[at], compare=compare), *measures[at + 1 :])
        )

    # --- kinds ------------------------------------------------------------------------

    def choice(self, tree: Tree, kind: Any) -> Any:
        """The choice of a kind that a phrase in a tree stands for."""
        for leaf in tree.children:
            if isinstance(leaf, Named):
                for each in self.scanner.made.choices.get(leaf.type, ()):
                    if isinstance(each, kind):
                        return each
        raise AssertionError(tree)

    def first(self, tree: Tree, ref: FieldRef | None = None, part: str | None = None) -> Any:
        """The kind that a branch says, of those that it may say the first that makes sense."""
        faults: list[SentenceError] = []
        for kind, settings in self.kind(tree, ref, part, faults):
            return (
                kind("", ref, part, **settings) if ref is not None and issubclass(kind, OneField) else kind(**settings)
            )
        raise faults[0]

    def kind(
        self,
        tree: Tree,
        ref: FieldRef | None = None,
        part: str | None = None,
        faults: list[SentenceError] | None = None,
    ) -> list[tuple[Any, dict[str, Any]]]:
        """The kinds that a branch may say, each with its settings."""
        found = []
        for kind, saying, places in self.scanner.made.meant[tree.data]:
            try:
                found.append((kind, self._settings(tree, kind, saying, places, ref, part)))
            except SentenceError as error:
                if faults is None:
                    raise
                faults.append(bare(error))
        return found

    def _settings(
        self,
        tree: Tree,
        kind: Any,
        saying: Saying,
        places: Sequence[Slot | str],
        ref: FieldRef | None,
        part: str | None,
    ) -> dict[str, Any]:
        settings = dict(saying.fixed)
        pending: list[tuple[Slot, Any]] = []
        for place, node in zip(places, tree.children, strict=True):
            if not isinstance(place, Slot) or place.name.startswith("_"):
                continue
            if place.sort == "member":
                pending.append((place, node))
            elif place.sort == "values":
                settings |= self.values.listed(self, node, ref, part)
            else:
                settings[place.name] = self._slot(place, node, kind, ref, part)
        for place, node in pending:
            settings[place.name] = self._member(node, settings.get("along"))
        return settings

    def _slot(self, slot: Slot, node: Any, kind: Any, ref: FieldRef | None, part: str | None) -> Any:
        match slot.sort:
            case "measure":
                return self.measure_named(node)
            case "word":
                return self.placed_named(node)
            case "field":
                return self.field(node)
            case "number":
                return self._whole(node) if is_whole(kind, slot) else str(node)
            case "ordinal":
                return float(re.sub(r"[a-z]+", "", str(node).casefold()))
            case "numbers":
                return tuple(str(leaf) for leaf in node.children if leaf.type in ("NUMBER", "QUOTED"))
            case "choice" | "units":
                wanted = options(kind, slot)
                return next(each for each in self.scanner.made.choices[node.type] if any(each is one for one in wanted))
            case "value" if ref is not None:
                return self.values.one(self, node, ref, part)
        return str(node)

    def _whole(self, leaf: Named) -> int:
        try:
            return int(str(leaf))
        except ValueError:
            raise self.error(leaf, f"“{leaf}” is no whole number", "Write one such as 3.") from None

    def _member(self, leaf: Named, along: str | None) -> str:
        for word in (*self.made.columns, *self.made.rows):
            if along in (None, word.id):
                found = self.words.token(
                    word.field, word.cut, str(leaf), is_quoted=along is not None and leaf.is_quoted
                )
                if found is not None:
                    return found
        if leaf.is_quoted:
            return str(leaf)
        raise self.error(
            leaf, f"“{leaf}” is no member to compare with", "Name a member, or a measure of this sentence."
        )

    # --- axes ---------------------------------------------------------------------------

    def _axis(self, tree: Tree, later: list[Callable[[], None]]) -> None:
        strand = tree.data
        if (
            strand == "rows" and self.made.rows and not self.made.columns
        ):  # a time field after a second “by” goes across
            first = self._placed(sub(sub(tree, "axis")[0], "placed")[0], "r")
            strand = "columns" if self.words.source.column(first.field).type.is_time else strand
        for axis in sub(tree, "axis"):
            for each in sub(axis, "placed"):
                at = len(getattr(self.made, strand))
                placed = self._placed(each, f"{strand[0]}{at + 1}")
                self.made = replace(self.made, **{strand: (*getattr(self.made, strand), placed)})
                for wishes in sub(each, "wishes"):
                    later += [lambda wish=wish, at=at: self._wish(strand, at, wish) for wish in sub(wishes)]  # type: ignore[misc]

    def _placed(self, tree: Tree, id: str) -> Placed:
        branch = sub(tree)[0]
        ref, part = self.part_of(branch)
        made = Placed(id, ref, part)
        if branch.data == "there":
            there = self.words.placed_there(str(leaves(branch)[0]))
            made = replace(there, id=id) if there is not None else made
        for each in sub(tree, *self._rules("bands")):
            made = replace(made, bands=self.first(each))
        if leaves(tree):
            made = replace(made, heading=str(leaves(tree)[-1]))
        groups = [wish for wishes in sub(tree, "wishes") for wish in sub(wishes, "group", "others")]
        if groups:
            made = replace(made, groups=self._groups(groups, ref, part))
        return made

    def part_of(self, tree: Tree) -> tuple[FieldRef, str | None]:
        """A field, or the part of its dates, from a branch that says it."""
        leaf = leaves(tree)[-1]
        if tree.data == "there":
            there = self.words.placed_there(str(leaf))
            if there is None:
                raise self.unknown(leaf)
            return there.field, there.part
        part = next((self.choice(each, str) for each in sub(tree, "part")), None)
        return self.field(leaf), part

    def _groups(self, wishes: Sequence[Tree], ref: FieldRef, part: str | None) -> Groups:
        made: list[Group] = []
        rest = None
        for wish in wishes:
            name = str(leaves(wish)[0])
            if wish.data == "others":
                rest = name
            else:
                listed = [self.values.one(self, each, ref, part) for each in sub(sub(wish)[0])]
                made.append(Group(name, tuple(listed)))
        return Groups(tuple(made), rest)

    def _wish(self, strand: str, at: int, wish: Tree) -> None:
        words = getattr(self.made, strand)
        placed = words[at]
        if wish.data == "picked":
            keep = self.first(sub(wish)[0])
            made = replace(placed, keep=replace(keep, rest=Rest.GATHERED) if sub(wish, "rest") else keep)
        elif wish.data in ("falling", "rising"):
            other = self.made.columns if strand == "rows" else self.made.rows
            among = tuple(token for path in sub(wish, "path") for token in self.values.path(self, path, other))
            by = ByValue(self.measure_named(leaves(wish)[0]), among)
            made = replace(placed, by=by, descending=wish.data == "falling")
        elif wish.data == "first":
            listed = sub(sub(wish, "values")[0])
            made = replace(
                placed, first=tuple(self.values.one(self, each, placed.field, placed.cut) for each in listed)
            )
        elif wish.data in ("closed", "turned"):
            paths = [path for each in sub(wish, "paths") for path in sub(each, "path")]
            turned = tuple(self.values.path(self, path, words) for path in paths)
            made = replace(placed, closed=wish.data == "closed", turned=turned)
        else:
            made = replace(placed, **WISHES.get(wish.data, {}))
        self.made = replace(self.made, **{strand: (*words[:at], made, *words[at + 1 :])})

    # --- filters --------------------------------------------------------------------------

    def _filters(self, tree: Tree) -> None:
        for filters in sub(tree, "filters"):
            for each in sub(filters):
                rule = self._filter(each)
                picker = next((str(leaves(offered)[0]) for offered in sub(each, "offered")), "")
                self.made = replace(
                    self.made, filters=(*self.made.filters, rule.as_word(f"f{len(self.made.filters) + 1}", picker))
                )

    def _filter(self, tree: Tree) -> Filter:
        if tree.data == "where":
            return Filter.kinds["formula"]("", formula=str(leaves(tree)[0]))  # type: ignore[call-arg]
        plain = [self._plain(each) for each in sub(tree, "plain")]
        return plain[0] if len(plain) == 1 else Filter.kinds["either"]("", tuple(plain))  # type: ignore[call-arg]

    def _plain(self, tree: Tree) -> OneField:
        field, condition = sub(tree)
        ref, part = self.part_of(field)
        made: OneField = self.first(condition, ref, part)
        return made


def _along(fold: Fold, tree: Tree, where: MeasuresOn) -> Fold:
    at = next((int(str(leaves(each)[0])) for each in sub(tree, "after")), None)
    return replace(fold, measures_on=where, measures_at=at)


SETTINGS: dict[str, Callable[[Fold, Tree], Fold]] = {
    "no_row_total": lambda fold, _: replace(fold, row_total=Where.OFF),
    "row_total_before": lambda fold, _: replace(fold, row_total=Where.BEFORE),
    "no_column_total": lambda fold, _: replace(fold, column_total=Where.OFF),
    "column_total_before": lambda fold, _: replace(fold, column_total=Where.BEFORE),
    "shown": lambda fold, _: replace(fold, totals_cover=Covers.SHOWN),
    "along_rows": lambda fold, tree: _along(fold, tree, MeasuresOn.ROWS),
    "along_columns": lambda fold, tree: _along(fold, tree, MeasuresOn.COLUMNS),
}
WISHES: dict[str, dict[str, Any]] = {
    "reversed": {"descending": True},
    "before": {"subtotal": Where.BEFORE},
    "off": {"subtotal": Where.OFF},
    "empty": {"empty": True},
}
