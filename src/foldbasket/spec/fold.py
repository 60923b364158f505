"""What a fold asks for, as plain immutable data: the part of the document that the engine reads.

Every placed word has an `id`, unique in its fold, so that formats, cards and edits can name it wherever it stands and
the same field may be placed more than once.
"""

from __future__ import annotations

import msgspec

from foldbasket.kinds import Choice
from foldbasket.spec.chart import Chart
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.cut import Bands, Cut, Groups, cut_of
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.look import ReportLook
from foldbasket.spec.order import ByValue, Keep
from foldbasket.spec.page import Page
from foldbasket.styling.numbers import NumberStyle

FORMULA = "formula"
"""What the document calls the aggregate of a measure that is a formula."""


class Where(Choice):
    """Where a total stands."""

    AFTER = "after", "after them"
    BEFORE = "before", "before them"
    OFF = "off", "none"


class TotalOf(Choice):
    """What a total of a measure is: the aggregate over all records beneath it, or something made of the lines shown. `meaning` is what
    the report remarks."""

    RECORDS = "records", "over the records"
    SUM = "sum", "sum of the lines", "with totals summed from the lines", "Totals are the sum of the lines shown."
    AVERAGE = (
        "average",
        "average of the lines",
        "with totals averaged from the lines",
        "Totals are the average of the lines shown.",
    )
    SMALLEST = (
        "smallest",
        "smallest line",
        "with the smallest line as total",
        "Totals are the smallest of the lines shown.",
    )
    LARGEST = "largest", "largest line", "with the largest line as total", "Totals are the largest of the lines shown."
    NONE = "none", "none", "without totals", "It has no totals."


class Covers(Choice):
    """Which records totals cover: all that the filters kept, or only those of the members shown."""

    KEPT = "kept", "all records kept"
    SHOWN = "shown", "what is shown"


class MeasuresOn(Choice):
    """The axis along which measures stand."""

    COLUMNS = "columns", "along columns", "", "Beside one another."
    ROWS = "rows", "along rows", "", "Below one another."


class Drill(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a placed field was before one of its members was opened, and the filter that keeps that member."""

    field: FieldRef
    filter: str
    part: str | None = None
    heading: str | None = None


class Placed(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A field on rows or columns. `part` is a part of a date; `bands` cut numbers, `groups` name members, of the part where there is one; `subtotal` places the
    total over each of its members (the innermost field of an axis has none). Members stand by label, `first` those listed by
    hand, or `by` a measure's value; `keep` shows only some of them, picked by a measure within each parent; `empty` shows those
    without records as well. `closed` folds every member up to one line; `turned` names, by its members from the outermost,
    those that are the other way. `drilled` remembers what stood here before members were opened, the latest last. `dates` is the LDML
    pattern that its dates are written in; empty for the way of the locale."""

    id: str
    field: FieldRef
    part: str | None = None
    bands: Bands | None = None
    groups: Groups | None = None
    heading: str | None = None
    descending: bool = False
    subtotal: Where = Where.AFTER
    first: tuple[str, ...] = ()
    by: ByValue | None = None
    keep: Keep | None = None
    empty: bool = False
    closed: bool = False
    turned: tuple[tuple[str, ...], ...] = ()
    drilled: tuple[Drill, ...] = ()
    dates: str = ""

    @property
    def cut(self) -> Cut | None:
        """How the field becomes members, if not by its values."""
        return cut_of(self.part, self.bands, self.groups)


class Measure(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """An aggregate over a field, `field` None standing for the records themselves; or, with the aggregate “formula”, a summary
    formula over aggregates and other measures.

    `compare` turns its cells into shares, differences, running totals or ranks. `percent` is for a percentile, `weight` for a weighted average, `order` for first and last (None: the table's first date).
    """

    id: str
    aggregate: str
    field: FieldRef | None = None
    percent: float = 90.0
    weight: FieldRef | None = None
    order: FieldRef | None = None
    total: TotalOf = TotalOf.RECORDS
    compare: Comparison | None = None
    heading: str | None = None
    number: NumberStyle = NumberStyle()
    formula: str = ""

    def fields(self) -> list[FieldRef]:
        """The fields it is made of; none for a count of records."""
        return [ref for ref in (self.field, self.weight, self.order) if ref is not None]


class Fold(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One pivot report. `row_total` is the line over all rows, `column_total` the column over all columns. Totals cover all
    records that the filters kept, or only those of the members `shown`. Measures stand along columns or rows, inside all fields
    or after the first `measures_at` of them. `look` says how the report looks, `chart` what is drawn of it, and `page` how it stands on paper; none changes a number. Others refer to it by its `key`: its `id`, or its name where it was never given another."""

    name: str
    measures: tuple[Measure, ...] = ()
    rows: tuple[Placed, ...] = ()
    columns: tuple[Placed, ...] = ()
    filters: tuple[Filter, ...] = ()
    row_total: Where = Where.AFTER
    column_total: Where = Where.AFTER
    totals_cover: Covers = Covers.KEPT
    measures_on: MeasuresOn = MeasuresOn.COLUMNS
    measures_at: int | None = None
    id: str = ""
    look: ReportLook = ReportLook()
    chart: Chart | None = None
    page: Page = Page()

    @property
    def key(self) -> str:
        """What others refer to it by, whatever it is called."""
        return self.id or self.name

    def asks_as(self, other: Fold) -> bool:
        """Whether it asks for the same numbers in the same places as another, whatever the two look like."""
        return (
            self == other or msgspec.structs.replace(self, look=other.look, chart=other.chart, page=other.page) == other
        )

    @property
    def is_empty(self) -> bool:
        """Whether nothing is placed that would make a cell."""
        return not (self.measures or self.rows or self.columns)

    def fields(self) -> list[FieldRef]:
        """Every field in use, placed or filtered by."""
        used = [placed.field for placed in self.rows + self.columns]
        used += [ref for measure in self.measures for ref in measure.fields()]
        used += [ref for rule in self.filters for ref in rule.fields()]
        return used

    def opened(self) -> Fold:
        """The fold with no member folded up: its innermost lines are all there."""
        axes = (
            tuple(msgspec.structs.replace(word, closed=False, turned=()) for word in words)
            for words in (self.rows, self.columns)
        )
        rows, columns = axes
        return msgspec.structs.replace(self, rows=rows, columns=columns)

    def words(self) -> tuple[Measure | Placed | Filter, ...]:
        """Every placed word in the order in which the sentence says them."""
        return (*self.measures, *self.rows, *self.columns, *self.filters)
