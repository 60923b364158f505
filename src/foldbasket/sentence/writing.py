"""A fold written in full: the sentence that reads back as the same fold, its looks aside."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from foldbasket.folding.members.domain import BLANK, NO_MATCH
from foldbasket.folding.members.parts.part import PARTS
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES
from foldbasket.sayings import Saying, Slot, joined, plainly, saying, saying_of
from foldbasket.sentence.choosing import Choosing
from foldbasket.sentence.grammar import grammar
from foldbasket.sentence.naming import names_of_measures, names_on_axes
from foldbasket.sentence.scanning import following_trie, phrase_trie, walked
from foldbasket.sentence.tokens import Sort, quoted, tokens_of
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.cut import Cut, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import Covers, Fold, Measure, MeasuresOn, Placed, TotalOf, Where
from foldbasket.spec.order import Rest
from foldbasket.styling.words import placed_at


def written(fold: Fold, words: Vocabulary) -> str:
    """A fold as a sentence. Names stand as they are where they read back so, else in quotes."""
    return Writer(fold, words).sentence()


@dataclass
class Writer:
    """Writes one fold."""

    fold: Fold
    words: Vocabulary

    def __post_init__(self) -> None:
        self.measures = names_of_measures(self.fold, self.words.source)
        self.placed = names_on_axes(self.fold)
        self.choosing = Choosing(self.words.source)
        used = [each.field for each in self.fold.measures if each.field is not None]
        self.tables = list(dict.fromkeys(ref.table for ref in used))

    def sentence(self) -> str:
        """The whole sentence."""
        fold = self.fold
        parts = [" and ".join(self.measure(each) for each in fold.measures)]
        for lead, axis in (("for each", fold.rows), ("across", fold.columns)):
            if axis:
                parts.append(f"{lead} {' › '.join(self.on_axis(each) for each in axis)}")
        if fold.filters:
            parts.append(f"keeping {' and '.join(self.filter(each) for each in fold.filters)}")
        said = " ".join(part for part in parts if part)
        return "; ".join([said, *self.settings()])

    # --- names ----------------------------------------------------------------

    def name(self, name: str, *, alone: bool = False) -> str:
        """A name that may be any run of words; `alone` where nothing but a name can stand."""
        return name if is_plain(name, alone=alone) else quoted(name)

    def field(self, ref: FieldRef, *, is_measure: bool = False) -> str:
        """A field, with its table where its name alone may mean another."""
        name, alike = ref.field, self.words.named(ref.field)
        fitting = self.choosing.apart(alike) if is_measure else self.choosing.fitting(alike, self.tables)
        table = self.words.source.called(ref.table) if fitting != [ref] else None
        said = name if names_a_field(name, self.words) else quoted(name)
        return said if table is None else f"{said} of {self.name(table)}"

    def part_of(self, ref: FieldRef, part: str | None) -> str:
        """A field, or a part of its dates."""
        return self.field(ref) if part is None or part not in PARTS else f"{PARTS[part].label} of {self.field(ref)}"

    def value(self, ref: FieldRef, cut: Cut | None, token: str) -> str:
        """A member or value: as the reader sees it where that reads back, else by its token in quotes."""
        if token in (BLANK, NO_MATCH):
            return token
        label = self.words.label(ref, cut, token)
        for said in (label, token):
            if is_plain(said) and self.words.token(ref, cut, said) == token:
                return said
        return quoted(token)

    # --- measures ---------------------------------------------------------------

    def measure(self, measure: Measure) -> str:
        """A measure with all that is set on it."""
        said, named = self._what(measure)
        if measure.compare is not None:
            said += f", as {self.said(measure.compare)}"
        if measure.total != TotalOf.RECORDS:
            said += f", {TotalOf(measure.total).said}"
        return f"{said} called {quoted(measure.heading)}" if measure.heading and not named else said

    def _what(self, measure: Measure) -> tuple[str, bool]:
        if measure.formula:
            return (
                (f"{self.name(measure.heading)} = [{measure.formula}]", True)
                if measure.heading
                else (f"[{measure.formula}]", False)
            )
        aggregate = AGGREGATES.get(measure.aggregate)
        if measure.field is None or aggregate is None:
            return "Records, counted", False
        how = aggregate.saying or saying(aggregate.said)
        return f"{self.field(measure.field, is_measure=True)}, {joined(list(self._pieces(how, measure)))}", False

    # --- kinds --------------------------------------------------------------------

    def said(self, kind: Any, ref: FieldRef | None = None, cut: Cut | None = None) -> str:
        """A kind by its saying; `ref` and `cut` are those whose values it names."""
        is_mistaken = getattr(kind, "member", None) in self.measures.values()  # a member that is called like a measure
        return joined(list(self._pieces(saying_of(kind, careful=is_mistaken), kind, ref, cut)))

    def _pieces(self, how: Saying, kind: Any, ref: FieldRef | None = None, cut: Cut | None = None) -> Iterator[str]:
        for piece in how.pieces(kind):
            yield self._slot(piece, kind, ref, cut) if isinstance(piece, Slot) else piece

    def _slot(self, slot: Slot, kind: Any, ref: FieldRef | None, cut: Cut | None) -> str:
        value = getattr(kind, slot.name)
        match slot.sort:
            case "measure":
                return self.name(self.measures.get(value, value))
            case "word":
                return self.name(self.placed.get(value, value), alone=True)
            case "member":
                return self._member(kind, value or "")
            case "field":
                return "…" if value is None else self.field(value)  # one that is still to be chosen
            case "ordinal":
                return placed_at(value)
            case "number":
                return _number(str(value))
            case "numbers":
                return ", ".join(_number(each) for each in value)
            case "text":
                return quoted(value)
            case "formula":
                return f"[{value}]"
            case "value" if ref is not None:
                return self.value(ref, cut, value)
            case "values" if ref is not None:
                listed = [self.value(ref, cut, _token(each)) for each in value]
                return ", ".join([*listed, *[BLANK] * kind.blank, *[NO_MATCH] * kind.no_match])
        return plainly(slot, value, kind)

    def _member(self, kind: Any, token: str) -> str:
        word = self._along(kind)
        if word is not None:
            return self.value(word.field, word.cut, token)
        # One that nobody knows stands in quotes, or it would be taken for a measure.
        axes = (*self.fold.rows, *self.fold.columns)
        known = any(self.words.token(each.field, each.cut, token) is not None for each in axes)
        return self.name(token) if known else quoted(token)

    def _along(self, compare: Any) -> Placed | None:
        """The field that a comparison goes along, where it is said."""
        return next((each for each in (*self.fold.rows, *self.fold.columns) if each.id == compare.along), None)

    # --- axes ---------------------------------------------------------------------

    def on_axis(self, placed: Placed) -> str:
        """A field on an axis with all that is set on it."""
        said = self.part_of(placed.field, placed.part)
        if placed.bands is not None:
            said += f" {self.said(placed.bands)}"
        if placed.groups is not None:
            said += " in groups"
        wishes = "; ".join(self._wishes(placed))
        said += f" ({wishes})" if wishes else ""
        return f"{said} called {quoted(placed.heading)}" if placed.heading else said

    def _wishes(self, placed: Placed) -> Iterator[str]:
        if placed.groups is not None:
            yield from self._groups(placed.field, placed.part, placed.groups)
        if placed.keep is not None:
            yield self.said(placed.keep) + (", the rest as one" if placed.keep.rest == Rest.GATHERED else "")
        if placed.by is not None:
            among = self._path(self._other(placed), placed.by.among)
            where = f" in {among}" if among else ""
            name = self.name(self.measures.get(placed.by.measure, placed.by.measure), alone=True)
            yield f"{'largest' if placed.descending else 'smallest'} first by {name}{where}"
        elif placed.descending:
            yield "in reverse order"
        if placed.first:
            yield f"beginning with {', '.join(self.value(placed.field, placed.cut, each) for each in placed.first)}"
        if placed.subtotal != Where.AFTER:
            yield "subtotals before" if placed.subtotal == Where.BEFORE else "no subtotals"
        if placed.empty:
            yield "with members without records"
        turned = ", ".join(self._path(self._own(placed), each) for each in placed.turned)
        if placed.closed:
            yield f"all folded up but {turned}" if turned else "all folded up"
        elif turned:
            yield f"folded up {turned}"

    def _groups(self, ref: FieldRef, part: str | None, groups: Groups) -> Iterator[str]:
        for group in groups.groups:
            yield f"{self.name(group.name)}: {', '.join(self.value(ref, groups.part or part, each) for each in group.members)}"
        if groups.rest is not None:
            yield f"the others as {self.name(groups.rest)}"

    def _own(self, placed: Placed) -> tuple[Placed, ...]:
        return self.fold.rows if placed in self.fold.rows else self.fold.columns

    def _other(self, placed: Placed) -> tuple[Placed, ...]:
        return self.fold.columns if placed in self.fold.rows else self.fold.rows

    def _path(self, axis: Sequence[Placed], path: Iterable[str]) -> str:
        return " › ".join(self.value(word.field, word.cut, each) for word, each in zip(axis, path, strict=False))

    # --- filters and settings -------------------------------------------------------

    def filter(self, rule: Filter) -> str:
        """A filter with the picker that it is offered as."""
        each = rule.alternatives()
        said = " or ".join(self.plain(one) for one in each) if each else self.said(rule)
        return f"{said}, offered as {quoted(rule.picker)}" if rule.picker else said

    def plain(self, rule: OneField) -> str:
        """A condition on one field."""
        return f"{self.part_of(rule.field, rule.part)}: {self.said(rule, rule.field, rule.part)}"

    def settings(self) -> list[str]:
        """What is set on the whole fold."""
        fold = self.fold
        said = []
        for place, name in ((fold.row_total, "rows"), (fold.column_total, "columns")):
            if place != Where.AFTER:
                said.append(f"no grand total of {name}" if place == Where.OFF else f"grand total of {name} before them")
        if fold.totals_cover == Covers.SHOWN:
            said.append("totals of what is shown")
        if fold.measures_on == MeasuresOn.ROWS or fold.measures_at is not None:
            at = (
                f" after {fold.measures_at} field{'s' if fold.measures_at != 1 else ''}"
                if fold.measures_at is not None
                else ""
            )
            said.append(f"measures along {MeasuresOn(fold.measures_on).value}{at}")
        return said


def names_a_field(name: str, words: Vocabulary) -> bool:
    """Whether a field's name is known as one without quotes."""
    if any(sign in name for sign in '"“”„[]'):
        return False
    tokens = tokens_of(name)
    found = words.field_at(tokens, 0) if tokens else None
    is_phrase = walked(phrase_trie(grammar()), tokens, 0)[1] >= len(tokens)
    return (
        not is_phrase
        and found is not None
        and found[0] == len(tokens)
        and " ".join(each.text for each in tokens) == name
    )


def is_plain(name: str, *, alone: bool = False) -> bool:
    """Whether a name can stand without quotes: it is words alone, and none of them says something in a sentence; the first may where a name `alone` can
    stand."""
    if not name or any(sign in name for sign in '"“”„[]') or name[-1] == ".":
        return False
    tokens = tokens_of(name)
    if any(each.sort is not Sort.WORD for each in tokens) or " ".join(each.text for each in tokens) != name:
        return False
    made = grammar()
    if not alone and walked(phrase_trie(made), tokens, 0)[0] is not None:
        return False
    return all(walked(following_trie(made), tokens, at)[0] is None for at in range(1, len(tokens)))


def _token(key: str) -> str:
    """The token of a member that a filter lists by its key."""
    return f"\\{key}" if key in (BLANK, NO_MATCH) or key.startswith("\\") else key


def _number(text: str) -> str:
    tokens = tokens_of(text) if '"' not in text and "[" not in text else []
    return (
        text
        if len(tokens) == 1 and tokens[0].text.lstrip("-").replace(".", "", 1).isdigit() and tokens[0].text == text
        else quoted(text)
    )
