"""What people type: “net by region and month, trade only”. Its pieces are put where they most likely belong, by the words before them and by what they are."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from lark import Tree

from foldbasket.errors import SentenceError
from foldbasket.folding.compare.against import Against, AgainstMeasure, How, Other
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative, Window
from foldbasket.folding.usual import usual_part
from foldbasket.sentence.counting import Counting
from foldbasket.sentence.reader import PENDING
from foldbasket.sentence.scanning import Named
from foldbasket.sentence.trees import leaves, phrase, sub
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure, Placed, Where
from foldbasket.spec.order import ByValue, Keep
from foldbasket.tables.nature import nature_of

replace = msgspec.structs.replace
GROWTH = Against(None, Other.PREVIOUS, None, How.CHANGE)
YEAR_BEFORE = Against(None, Other.YEAR_BEFORE, None, How.CHANGE)
LEADS = ("also", "by", "for_", "across", "keeping", "not_", "versus")


class Brief(Counting):
    """Puts the pieces of one sentence together, with one field chosen for each name."""

    rows: list[Placed] = msgspec.field(default_factory=list)
    columns: list[Placed] = msgspec.field(default_factory=list)
    mode: str = "measures"
    turns: int = 0
    is_versus: bool = False
    totals: Where = Where.AFTER
    subtotals: Where = Where.AFTER
    later: list[tuple[int, Tree]] = msgspec.field(default_factory=list)
    is_next_to: bool = False
    """Whether no word is between the piece and that before it."""

    def fold(self, tree: Tree, name: str = "") -> Fold:
        """The fold that the pieces ask for. Raises SentenceError."""
        last: Tree | None = None
        for bit in sub(tree, "bit"):
            leads = [each for each in sub(bit) if each.data in LEADS]
            item = sub(bit)[-1]
            if not leads and last is not None and last.data == "member" and self._is_noun(item):
                self._belongs(item, last)
            else:
                self._lead(leads, item)
                self.is_next_to = last is not None and not leads
                getattr(self, f"_{item.data}")(item)
            last = item
        if not (self.measures or self.rows or self.columns):
            raise SentenceError("this asks for nothing.", todo="Name a field to sum up, or one to show.")
        self._picking()
        if self.is_versus:
            self._versus()
        rows, columns = (
            tuple(replace(each, subtotal=self.subtotals) for each in axis) for axis in (self.rows, self.columns)
        )
        made = Fold(
            name,
            tuple(self.measures),
            rows,
            columns,
            tuple(self.filters),
            row_total=self.totals,
            column_total=self.totals,
        )
        return self._with_comparisons(self._with_counts(_numbered(made)))

    def _is_noun(self, item: Tree) -> bool:
        """Whether it says only what the member before it is: “trade order lines”."""
        if item.data != "bare":
            return item.data == "table"
        return self._table_called(leaves(item)[0]) is not None or not self._is_amount(item)

    def _is_amount(self, item: Tree) -> bool:
        """Whether a piece is a field alone, and one that is measured."""
        return item.data == "bare" and self.reader.words.is_amount(leaves(item)[0].means)

    def _lead(self, leads: list[Tree], item: Tree) -> None:
        """Note the words before a piece. What is left out goes on behind “and” and “or”; behind a comma in the second reading only, where it is of another
        field."""
        names, said = [each.data for each in leads], [str(phrase(each)).casefold() for each in leads]
        self.said_by = said[-1] if said else ""
        self.lead = names[-1] if names else "" if not self.is_left_out else self.lead
        goes_on = self.is_left_out and set(names) == {"also"} and self._is_kept(item)
        if goes_on and set(said) <= {",", ";"}:
            self.has_two = self.has_two or self._is_of_another(item)
            goes_on = self.is_second and self._is_of_another(item)
        self.is_left_out = "not_" in names or goes_on
        if "versus" in names:
            self._compare_with(item, leads[-1])
        for each in names:
            if each == "by":
                self.turns += 1
                self.mode = "rows"
            elif each == "across":
                self.mode = "columns"

    def _is_kept(self, item: Tree) -> bool:
        """Whether a piece says what is kept, where nothing before it says that it is a field of the report."""
        is_field = item.data == "bare" and not self._is_amount(item)
        return is_field or item.data in ("member", "period", "is", "part_is")

    def _is_of_another(self, item: Tree) -> bool:
        """Whether a member is of another field than that of which members were left out last."""
        last = self.filters[-1] if self.filters else None
        return item.data == "member" and last is not None and self.reader.field(leaves(item)[0]) not in last.fields()

    def _compare_with(self, item: Tree, lead: Tree) -> None:
        if item.data in ("member", "period", "is", "part_is"):
            self.is_versus = True
        elif item.data not in ("relative", "aggregate", "front", "counted", "share") and not self._is_amount(item):
            leaf = phrase(lead)
            raise self.reader.error(
                leaf, f"“{leaf}” compares two periods, members or measures", "Name both: 2026 vs 2025."
            )

    # --- measures -----------------------------------------------------------------

    def _aggregate(self, item: Tree) -> None:
        self._add(self.reader.aggregated(sub(item)[0], self.reader.field(leaves(item)[0])))

    def _front(self, item: Tree) -> None:
        leaf, aggregate = leaves(item)[0], self._asked(item)
        ref = self.reader.field(leaf)
        if not self._is_counted(leaf, ref, aggregate):
            self._add(Measure("", aggregate or "count values", ref))

    def _share(self, item: Tree) -> None:
        """Right behind a measure, the share of that: “cost share of net”."""
        whole = self._usual(self.reader.field(leaves(item)[0]))
        if not (self.is_next_to and self.measures and self.mode == "measures"):
            self._add(replace(whole, compare=ShareOf()))
            return
        part = len(self.measures) - 1
        same = next((each for each in self.measures[:part] if replace(each, id="") == whole), None)
        if same is None:
            self._add(whole)
        of = self.measures[-1] if same is None else same
        compare = AgainstMeasure(of.id, How.PERCENTAGE)
        self.measures[part] = replace(self.measures[part], compare=compare)

    def _as_share(self, item: Tree) -> None:
        """The measure before it becomes a share."""
        self._need_measure(phrase(item))
        self.measures[-1] = replace(self.measures[-1], compare=ShareOf())

    def _with_share(self, item: Tree) -> None:
        """Right behind a measure it is the share of that; behind “and” or a comma it stands beside it."""
        self._need_measure(phrase(item))
        if self.lead not in ("", "also"):
            raise self.reader.error(phrase(item), "a share is no field", "Name what it is a share of: “share of net”.")
        whole = self.reader.scanner.made.choices.get(phrase(item).type)
        self._become(phrase(item), ShareOf(whole[0]) if whole else ShareOf())

    def _running(self, item: Tree) -> None:
        self._add(self._usual(self.reader.field(leaves(item)[0]), Running()))

    def _running_there(self, item: Tree) -> None:
        self._become(phrase(item), Running())

    def _growth(self, item: Tree) -> None:
        self._add(self._usual(self.reader.field(leaves(item)[0]), GROWTH))

    def _growth_there(self, item: Tree) -> None:
        self._become(phrase(item), GROWTH)

    def _year_before(self, item: Tree) -> None:
        self._become(phrase(item), YEAR_BEFORE)

    def _become(self, leaf: Named, compare: Comparison) -> None:
        """The measure before it is compared; behind “and” or a comma, that stands beside it."""
        self._need_measure(leaf)
        if self.lead:
            self._add(replace(self.measures[-1], compare=compare))
        else:
            self.measures[-1] = replace(self.measures[-1], compare=compare)

    def _need_measure(self, leaf: Named) -> None:
        if not self.measures:
            raise self.reader.error(leaf, "there is no measure to compare", "Name one before it.")

    def _recorded(self, item: Tree) -> None:
        self._add(Measure("", "count"))

    def _called(self, item: Tree) -> None:
        self._need_measure(phrase(item))
        self.measures[-1] = replace(self.measures[-1], heading=str(leaves(item)[0]))

    # --- axes -----------------------------------------------------------------------

    def _bare(self, item: Tree) -> None:
        ref = self.reader.field(leaves(item)[0])
        column = self.reader.words.source.column(ref)
        amount = nature_of(column).is_measured
        if self.is_left_out or (self.lead == "keeping" and not amount):
            self.filters.append(Filter.kinds["blank"]("", ref, None, exclude=not self.is_left_out))  # type: ignore[call-arg]
            return
        if self.mode == "measures" or (amount and not self.measures):
            wants = self.lead == "for_" and self.measures and not amount
            if not wants:
                if not self._is_counted(leaves(item)[0], ref):
                    self._add(self._usual(ref))
                return
        if not self._is_average_per(leaves(item)[0], ref):
            self._place(Placed("", ref, usual_part(column)))

    def _part(self, item: Tree) -> None:
        ref, part = self.reader.part_of(item)
        self._place(Placed("", ref, part))

    def _part_alone(self, item: Tree) -> None:
        own = self._called_so(phrase(item))
        if own is not None and not self.reader.words.source.column(own).type.is_time:
            self._place(Placed("", own))
        else:
            self._place(Placed("", own or self._date(phrase(item)), self.reader.choice(item, str)))

    def _ends(self, item: Tree) -> None:
        leaf = next(each for each in leaves(item) if each.type != "NUMBER")
        ref = self._key(leaf.means) if leaf.type == "TABLE" else self.reader.field(leaf)
        if ref is None:
            raise self.reader.error(leaf, f"“{leaf}” is a table, not a field", "Name one of its fields.")
        part = next((self.reader.choice(each, str) for each in sub(item, "part")), None)
        self._place(self._picked(Placed("", ref, part or usual_part(self.reader.words.source.column(ref))), item))

    def _ends_alone(self, item: Tree) -> None:
        _, leaf = (each for each in item.children if isinstance(each, Named))  # the number, and the part
        self._place(self._picked(Placed("", self._date(leaf), self.reader.choice(item, str)), item))

    def _ends_there(self, item: Tree) -> None:
        """The best of the field that was said last: “net by region, top 3”."""
        self._last(leaves(item)[0], lambda placed: self._picked(placed, item))

    def _picked(self, placed: Placed, item: Tree) -> Placed:
        kind = sub(item, "top", "bottom")[0].data
        keep = Keep.kinds[kind](measure="", number=str(leaves(item)[0]))  # type: ignore[call-arg]
        return replace(placed, keep=keep, by=ByValue(""), descending=kind == "top")

    def _ends_unsaid(self, item: Tree) -> None:
        leaf = leaves(item)[0]
        raise self.reader.error(leaf, f"how many of “{leaf}” is not said", f"Say it: {phrase(item)} 10 {leaf}.")

    def _falling(self, item: Tree) -> None:
        self._last(phrase(item), lambda placed: replace(placed, by=placed.by or ByValue(""), descending=True))

    def _rising(self, item: Tree) -> None:
        self._last(phrase(item), lambda placed: replace(placed, by=placed.by or ByValue(""), descending=False))

    def _sorted(self, item: Tree) -> None:
        """By an amount the largest come first; by a field that is placed, its members go by their names."""
        leaf = leaves(item)[0]
        ref = self.reader.field(leaf)
        for axis in (self.rows, self.columns):
            for at, placed in enumerate(axis):
                if placed.field == ref and placed.by is not None:
                    raise self.reader.error(leaf, f"“{leaf}” is already sorted by a measure", "Remove one of the two.")
                if placed.field == ref:
                    axis[at] = replace(placed, by=None, descending=False)
                    return
        measure = next((each for each in self.measures if each.field == ref), None)
        if measure is None:
            self._add(self._usual(ref))
            measure = self.measures[-1]
        by = ByValue(measure.id)
        self._last(leaf, lambda placed: replace(placed, by=by, descending=True))

    def _no_totals(self, item: Tree) -> None:
        self.totals = Where.OFF

    def _no_subtotals(self, item: Tree) -> None:
        self.subtotals = Where.OFF

    def _last(self, leaf: Named, become: Callable[[Placed], Placed]) -> None:
        """Has the field that was placed last become another. Raises SentenceError where there is none."""
        axis = self.columns if self.columns and (self.mode == "columns" or not self.rows) else self.rows
        if not axis:
            raise self.reader.error(leaf, "there is no field yet that this could be about", "Name one before it.")
        axis[-1] = become(axis[-1])

    def _table(self, item: Tree) -> None:
        """By itself a table's name stands for what its records are known by."""
        leaf = leaves(item)[0]
        key = self._key(leaf.means)
        if self.mode in ("rows", "columns") and self.lead in ("by", "across", "also") and key is not None:
            if not self._is_average_per(leaf, key):
                self._place(Placed("", key))
        elif self.mode == "measures" and (not self.measures or self.lead == "also"):
            self._counted(item)
        else:
            raise self.reader.error(leaf, f"“{leaf}” is a table, not a field", "Name one of its fields.")

    def _anyway(self, item: Tree) -> None:
        """Says nothing that does not hold without it: “trade only”, “with totals”."""

    def _place(self, placed: Placed) -> None:
        is_time = self.reader.words.source.column(placed.field).type.is_time
        across = self.mode == "columns" or (self.turns > 1 and is_time and not self.columns)
        (self.columns if across else self.rows).append(placed)
        if self.mode == "measures":
            self.mode = "rows"

    # --- dates ------------------------------------------------------------------------

    def _stretched(self, item: Tree) -> None:
        """Behind a date it is about that; behind any other field, which stands for itself, about the leading date."""
        stretch = sub(item)[0]
        leaf = leaves(stretch)[0]
        if self.is_left_out:
            what = f"“{phrase(stretch)} {leaf}” cannot be left out"
            raise self.reader.error(leaf, what, "Say which time is kept: before, since, from … to.")
        named = [self.reader.field(each) for each in leaves(item)]
        if named and self.reader.words.source.column(named[0]).type.is_time:
            self.filters.append(self._stretch(named[0], stretch))
            return
        if named:
            self._bare(item)
        self.filters.append(self._stretch(self._date(leaf), stretch))

    def _relative(self, item: Tree) -> None:
        """Behind “vs”, as in “by month vs last year”, each period stands beside the one before or that of a year before."""
        branch = sub(item)[0]
        leaf = phrase(branch)
        made = self.reader.first(branch, self._date(leaf))
        if self.lead != "versus":
            self.filters.append(made)
        elif (made.how, made.count) != (Window.LAST, 1) or any(isinstance(each, Relative) for each in self.filters):
            raise self.reader.error(leaf, f"“{leaf}” cannot stand behind “vs”", "Name both periods: 2026 vs 2025.")
        else:
            self._become(leaf, YEAR_BEFORE if made.unit == "year" else GROWTH)

    # --- what is known only at the end ------------------------------------------------

    def _compared(self, item: Tree) -> None:
        """Kept until every word is there that it may go along."""
        self._need_measure(phrase(item))
        self.later.append((len(self.measures) - 1, sub(item)[0]))

    def _with_comparisons(self, made: Fold) -> Fold:
        pending = {at for at, _ in self.later}
        marked = tuple(
            replace(each, compare=PENDING) if at in pending else each for at, each in enumerate(made.measures)
        )
        made = replace(made, measures=marked)
        for at, tree in self.later:
            self.reader.made = made
            measure = replace(made.measures[at], compare=self.reader.first(tree))
            made = replace(made, measures=(*made.measures[:at], measure, *made.measures[at + 1 :]))
        return made

    def _picking(self) -> None:
        if not self.measures and any(each.by is not None for each in (*self.rows, *self.columns)):
            self._add(Measure("", "count"))
        for axis in (self.rows, self.columns):
            for at, each in enumerate(axis):
                if each.by == ByValue(""):
                    axis[at] = each = replace(each, by=ByValue("m1"))
                if each.keep is not None:
                    keep = replace(each.keep, measure="m1")  # type: ignore[type-var]  # every kind is a struct
                    axis[at] = replace(each, keep=keep, by=ByValue("m1"))

    def _versus(self) -> None:
        """One period beside another: both across, and the change from the earlier."""
        last = next(
            (each for each in reversed(self.filters) if isinstance(each, Members) and len(each.members) > 1), None
        )
        if last is None:
            raise SentenceError("“vs” has only one side here.", todo="Name both, such as 2026 vs 2025.")
        if not any((each.field, each.part) == (last.field, last.part) for each in (*self.rows, *self.columns)):
            self.columns.append(Placed("", last.field, last.part))
        if last.part is not None and self.measures:
            self._add(replace(self.measures[0], compare=GROWTH))


def _numbered(fold: Fold) -> Fold:
    """A fold whose words are numbered as they stand."""
    return replace(
        fold,
        rows=tuple(replace(each, id=f"r{at + 1}") for at, each in enumerate(fold.rows)),
        columns=tuple(replace(each, id=f"c{at + 1}") for at, each in enumerate(fold.columns)),
        filters=tuple(each.as_word(f"f{at + 1}", each.picker) for at, each in enumerate(fold.filters)),
    )
