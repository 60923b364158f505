"""The report as one sentence: what the window edits, the page prints under its title and a screen reader hears."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable
from decimal import Decimal, InvalidOperation

import msgspec

from foldbasket.errors import FoldError
from foldbasket.folding.compare.along import Along, Times
from foldbasket.folding.compare.sides import Time, time_of
from foldbasket.folding.members.domain import label_of_key
from foldbasket.folding.members.parts.part import PARTS
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES
from foldbasket.links.source import Source
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.cut import Bands, Groups
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.styling.numbers import NumberStyle, number_writer
from foldbasket.styling.words import lower_first
from foldbasket.tables.column import Column
from foldbasket.tables.nature import nature_of
from foldbasket.tables.types import FieldType

STRANDS = ("measures", "rows", "columns", "filters")
LEADS = {"measures": "", "rows": "for each", "columns": "across", "filters": "keeping"}
JOINTS = {"measures": "and", "rows": "›", "columns": "›", "filters": "and"}


class Word(msgspec.Struct, frozen=True):
    """One placed field as the sentence says it. `lead` is what comes before it: “for each”, “and”, “›” or nothing."""

    id: str
    strand: str
    text: str
    lead: str


def field_phrase(field: str, part: str | None) -> str:
    """A field as the sentence names it: “Region”, or “Quarter of order date”."""
    if part is None or part not in PARTS:
        return field
    return f"{PARTS[part].label} of {lower_first(field)}"


def measure_heading(measure: Measure) -> str:
    """The heading of a measure where the analyst gave none."""
    if measure.heading:
        return measure.heading
    name = base_name(measure)
    return f"{name}, {measure.compare.said}" if measure.compare is not None else name


def base_name(measure: Measure) -> str:
    """What a measure is made of: its field, the records, or its formula."""
    if measure.formula:
        return measure.formula
    return "Records" if measure.field is None else measure.field.field


def placed_heading(placed: Placed) -> str:
    """The heading of a field on an axis."""
    return placed.heading or field_phrase(placed.field.field, placed.part)


def placed_phrase(placed: Placed, fold: Fold) -> str:
    """A field on an axis as the sentence says it: “Site (top 5 by Net)”."""
    name = placed_heading(placed)
    if isinstance(placed.cut, Bands | Groups):
        name = f"{name} {placed.cut.said}"
    if placed.keep is None:
        return name
    measure = next((each for each in fold.measures if each.id == placed.keep.measure), None)
    by = measure_heading(measure) if measure is not None else "a measure that was taken out"
    said = placed.keep.phrase(by)
    if placed.keep.rest == "gathered":
        said += ", the rest as one"
    return f"{name} ({said})"


def shown_heading(measure: Measure, fold: Fold, source: Source | None = None) -> str:
    """The heading of a measure as the report shows it: the analyst's, or one that says where a comparison goes."""
    if measure.heading or measure.compare is None:
        return measure_heading(measure)
    return f"{base_name(measure)}, {measure.compare.heading(_Said(fold, source))}"


def headings_of(fold: Fold, source: Source | None = None) -> dict[str, str]:
    """The headings of a fold's measures as the report shows them, by id, each another one.

    Those of the analyst stay as they are. A count is never called by its field alone, whose values it does not show; and where two
    would be alike they say what is made of the field, then its table, then which of them they are.
    """
    found = {each.id: shown_heading(each, fold, source) for each in fold.measures}
    ours = [each for each in fold.measures if not each.heading and not each.formula and each.field is not None]

    def alike() -> dict[str, list[Measure]]:
        groups: dict[str, list[Measure]] = {}
        for each in ours:
            groups.setdefault(found[each.id].casefold(), []).append(each)
        taken = Counter(heading.casefold() for heading in found.values())
        return {each.id: group for heading, group in groups.items() if taken[heading] > 1 for each in group}

    twice = alike()
    for each in ours:
        aggregate = AGGREGATES.get(each.aggregate)
        if aggregate is None or each.field is None:
            continue
        made = aggregate.counted or (aggregate.said_of(each) if each.id in twice else "")
        if made:
            name = each.field.field
            found[each.id] = f"{name}, {made}{found[each.id].removeprefix(name)}"
    still = alike()
    for each in ours:
        tables = {other.field.table for other in still.get(each.id, ()) if other.field is not None}
        if len(tables) > 1 and each.field is not None:
            found[each.id] += f", {source.called(each.field.table) if source is not None else each.field.table}"
    seen: Counter[str] = Counter()
    for each in fold.measures:
        heading = found[each.id]
        seen[heading.casefold()] += 1
        if seen[heading.casefold()] > 1 and each in ours:
            found[each.id] = f"{heading} ({seen[heading.casefold()]})"
    return found


class _Said(msgspec.Struct, frozen=True):
    """The words that a comparison asks for."""

    fold: Fold
    source: Source | None

    def measure(self, word: str) -> str | None:
        other = next((each for each in self.fold.measures if each.id == word), None)
        return measure_heading(other) if other is not None else None

    def way(self, compare: Along) -> list[str]:
        axes = (self.fold.columns, self.fold.rows)
        columns, rows = ([word.id for word in words] for words in axes)

        def times() -> Times:
            in_columns, in_rows = ([_time_of(word, self.source) for word in words] for words in axes)
            return in_columns, in_rows

        found = compare.place(columns, rows, times)
        return (
            [placed_heading(each) for each in axes[0 if found[0] else 1][: found[1] + 1]] if found is not None else []
        )


def _time_of(word: Placed, source: Source | None) -> Time | None:
    if word.bands is not None or word.groups is not None:
        return None
    if word.part is not None:
        return time_of(PARTS.get(word.part), FieldType.TEXT)
    if source is None or word.field.field not in getattr(source.tables.get(word.field.table), "columns", ()):
        return None
    return time_of(None, source.column(word.field).type)


def measure_phrase(measure: Measure, fold: Fold, source: Source | None = None) -> str:
    """A measure as the sentence says it: “Net, summed”, or “Off plan, as % change from Plan”."""
    aggregate = AGGREGATES.get(measure.aggregate)
    said = "calculated" if measure.formula else aggregate.said_of(measure) if aggregate else measure.aggregate
    if measure.compare is None:
        return f"{measure_heading(measure)}, {said}"
    compared = comparison_phrase(measure.compare, fold, source)
    if measure.heading and not _repeats(
        measure.heading, compared
    ):  # it says what it is already: “Share, as % of the column”
        return f"{measure.heading}, as {compared}"
    return f"{base_name(measure)}, {said}, as {compared}"


def _repeats(heading: str, compared: str) -> bool:
    """Whether a heading says in so many words what the comparison does: “On a year before”, from a year before."""
    words = heading.casefold().split()
    return any(" ".join(words[at : at + 2]) in compared.casefold() for at in range(len(words) - 1))


def comparison_phrase(compare: Comparison, fold: Fold, source: Source | None = None) -> str:
    """A comparison as the sentence says it: the measure that it looks at by its heading, and where it goes."""
    return compare.phrase(_Said(fold, source))


def filter_phrase(rule: Filter, source: Source | None, locale: str) -> str:
    """A filter as the sentence says it: “Channel: Trade, Web”. Without a source, values are said as they are written."""
    return rule.phrase(_Labels(source, locale))


class _Labels(msgspec.Struct, frozen=True):
    """The words that a filter asks for."""

    source: Source | None
    locale: str

    def field(self, rule: OneField) -> str:
        return field_phrase(rule.field.field, rule.part)

    def label(self, rule: OneField) -> Callable[[str], str]:
        return _labeller(rule, self.source, self.locale)


def _grouped(key: str, locale: str) -> str:
    """A number as it is written among words: grouped, with every digit it was given."""
    try:
        value = Decimal(key)
    except InvalidOperation:
        return key
    exponent = value.as_tuple().exponent
    digits = -exponent if isinstance(exponent, int) and exponent < 0 else 0
    if not value.is_finite() or digits > 12:
        return key
    return number_writer(NumberStyle(), f"#,##0.{'0' * digits}" if digits else "#,##0", locale, "EUR")(value)


def _labeller(rule: OneField, source: Source | None, locale: str) -> Callable[[str], str]:
    column: Column | None = None
    is_amount = is_time = False
    if (
        source is not None
        and rule.field.table in source.tables
        and rule.field.field in source.tables[rule.field.table].columns
    ):
        column = source.column(rule.field)
        is_amount = column.type.is_number and nature_of(column).is_measured
        is_time = column.type.is_time and (rule.part is None or rule.part in PARTS)

    def label(key: str) -> str:
        if is_time and column is not None and source is not None:
            try:
                return label_of_key(column, rule.part, key, source.fiscal, locale)
            except (ValueError, OverflowError, FoldError):  # a part it does not have; the fold itself says so
                return key
        return _grouped(key, locale) if is_amount else key

    return label


def words_of(fold: Fold, source: Source | None = None, locale: str = "en") -> list[Word]:
    """The placed words of a fold in the order of the sentence."""
    said: list[Word] = []
    phrases = {
        "measures": [(m.id, measure_phrase(m, fold, source)) for m in fold.measures],
        "rows": [(p.id, placed_phrase(p, fold)) for p in fold.rows],
        "columns": [(p.id, placed_phrase(p, fold)) for p in fold.columns],
        "filters": [(f.id, filter_phrase(f, source, locale)) for f in fold.filters],
    }
    for strand in STRANDS:
        for at, (word, phrase) in enumerate(phrases[strand]):
            said.append(Word(word, strand, phrase, LEADS[strand] if at == 0 else JOINTS[strand]))
    return said


def sentence_of(fold: Fold, source: Source | None = None, locale: str = "en") -> str:
    """The whole sentence as plain text. A picker with which nothing is picked goes without saying."""
    said = tuple(rule for rule in fold.filters if not (rule.picker and rule.keeps_all))
    fold = msgspec.structs.replace(fold, filters=said)
    return " ".join(f"{word.lead} {word.text}".strip() for word in words_of(fold, source, locale))


UNNAMED = "New fold"


def is_unnamed(fold: Fold) -> bool:
    """Whether nobody has given a fold a name yet."""
    return re.fullmatch(rf"{UNNAMED}( \d+)?", fold.name) is not None


def label_of(fold: Fold, source: Source | None = None) -> str:
    """What a fold is called in lists: its name, or what it holds as long as it has been given none."""
    if fold.is_empty or not is_unnamed(fold):
        return fold.name
    headings = headings_of(fold, source)
    measures = ", ".join(headings[each.id] for each in fold.measures[:2]) + (" …" if len(fold.measures) > 2 else "")
    fields = " › ".join(placed_heading(each) for each in (*fold.rows, *fold.columns))
    return " by ".join(part for part in (measures, fields) if part)
