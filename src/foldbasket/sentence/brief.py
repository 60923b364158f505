"""What people type: “net by region and month, trade only”. Its pieces are put where they most likely belong, by the words before them and by what they are."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from lark import Tree

from foldbasket.errors import SentenceError
from foldbasket.folding.compare.against import Against, How, Other
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.filters.members import Members, of_member
from foldbasket.folding.usual import usual_aggregate, usual_part
from foldbasket.sentence.reader import PENDING, Reader
from foldbasket.sentence.scanning import Named
from foldbasket.sentence.trees import leaves, phrase, sub
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.order import ByValue, Keep
from foldbasket.tables.nature import Nature, nature_of

replace = msgspec.structs.replace
LEADS = ("also", "by", "for_", "across", "keeping", "not_", "versus")


class Brief(msgspec.Struct):
    """Puts the pieces of one sentence together, with one field chosen for each name."""

    reader: Reader
    measures: list[Measure] = msgspec.field(default_factory=list)
    rows: list[Placed] = msgspec.field(default_factory=list)
    columns: list[Placed] = msgspec.field(default_factory=list)
    filters: list[Filter] = msgspec.field(default_factory=list)
    mode: str = "measures"
    lead: str = ""
    turns: int = 0
    is_left_out: bool = False
    is_versus: bool = False
    later: list[tuple[int, Tree]] = msgspec.field(default_factory=list)

    def fold(self, tree: Tree, name: str = "") -> Fold:
        """The fold that the pieces ask for. Raises SentenceError."""
        last = ""
        for bit in sub(tree, "bit"):
            leads = [each.data for each in sub(bit) if each.data in LEADS]
            item = sub(bit)[-1]
            if leads or last != "member" or not self._is_noun(item):
                self._lead(leads)
                getattr(self, f"_{item.data}")(item)
            last = item.data
        if not (self.measures or self.rows or self.columns):
            raise SentenceError("this asks for nothing.", todo="Name a field to sum up, or one to show.")
        self._picking()
        if self.is_versus:
            self._versus()
        made = Fold(name, tuple(self.measures), tuple(self.rows), tuple(self.columns), tuple(self.filters))
        return self._with_comparisons(_numbered(made))

    def _is_noun(self, item: Tree) -> bool:
        """Whether it says only what the member before it is: “trade customers”."""
        return item.data == "table" or (item.data == "bare" and not self.reader.words.is_amount(leaves(item)[0].means))

    def _lead(self, leads: list[str]) -> None:
        self.lead = leads[-1] if leads else "" if not self.is_left_out else self.lead
        self.is_left_out = "not_" in leads
        if "versus" in leads:
            self.is_versus = True
        for each in leads:
            if each == "by":
                self.turns += 1
                self.mode = "rows"
            elif each == "across":
                self.mode = "columns"

    # --- measures -----------------------------------------------------------------

    def _add(self, measure: Measure) -> None:
        self.measures.append(replace(measure, id=f"m{len(self.measures) + 1}"))

    def _aggregate(self, item: Tree) -> None:
        self._add(self.reader.aggregated(sub(item)[0], self.reader.field(leaves(item)[0])))

    def _front(self, item: Tree) -> None:
        front = phrase(sub(item)[0])
        found = self.reader.scanner.made.choices.get(front.type)
        self._add(Measure("", found[0].name if found else "count values", self.reader.field(leaves(item)[0])))

    def _share(self, item: Tree) -> None:
        ref = self.reader.field(leaves(item)[0])
        self._add(Measure("", usual_aggregate(self.reader.words.source.column(ref)), ref, compare=ShareOf()))

    def _as_share(self, item: Tree) -> None:
        """The measure before it becomes a share."""
        self._need_measure(item)
        self.measures[-1] = replace(self.measures[-1], compare=ShareOf())

    def _with_share(self, item: Tree) -> None:
        """Right behind a measure it is the share of that; behind “and” or a comma it stands beside it."""
        self._need_measure(item)
        if self.lead not in ("", "also"):
            raise self.reader.error(phrase(item), "a share is no field", "Name what it is a share of: “share of net”.")
        if self.lead:
            self._add(replace(self.measures[-1], compare=ShareOf()))
        else:
            self._as_share(item)

    def _need_measure(self, item: Tree) -> None:
        if not self.measures:
            raise self.reader.error(phrase(item), "there is no measure to compare", "Name one before it.")

    def _counted(self, item: Tree) -> None:
        table = leaves(item)[0].means
        key = self._key(table)
        self._add(Measure("", "count") if key is None else Measure("", "count values", key))

    def _recorded(self, item: Tree) -> None:
        self._add(Measure("", "count"))

    def _called(self, item: Tree) -> None:
        if self.measures:
            self.measures[-1] = replace(self.measures[-1], heading=str(leaves(item)[0]))

    def _key(self, table: str) -> FieldRef | None:
        """The field by which other tables find a table's records; None where none does, so that a record of it is one of the fold's."""
        links = self.reader.words.source.links
        return next((FieldRef(table, link.keys[0][1]) for link in links if link.to_table == table), None)

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
                self._add(Measure("", usual_aggregate(column), ref))
                return
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

    def _called_so(self, leaf: Named) -> FieldRef | None:
        """A field that bears the name of a part of a date itself, of the records that the first measure is about or of a table that they lead to; where
        no field is a date, of any."""
        words = self.reader.words
        named = [ref for ref in words.named(str(leaf)) if not words.is_amount([ref])]
        bases = [each.field.table for each in self.measures if each.field is not None][:1]
        near = [ref for ref in named if any(words.source.path(base, ref.table) is not None for base in bases)]
        has_dates = any(words.source.column(ref).type.is_time for ref in words.fields)
        return next(iter(near if has_dates else named), None)

    def _ends(self, item: Tree) -> None:
        ref = self.reader.field(leaves(item)[-1])
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

    def _falling(self, item: Tree) -> None:
        self._last(phrase(item), lambda placed: replace(placed, by=ByValue(""), descending=True))

    def _rising(self, item: Tree) -> None:
        self._last(phrase(item), lambda placed: replace(placed, by=ByValue(""), descending=False))

    def _last(self, leaf: Named, become: Callable[[Placed], Placed]) -> None:
        """Has the field that was placed last become another. Raises SentenceError where there is none."""
        axis = self.columns if self.columns and (self.mode == "columns" or not self.rows) else self.rows
        if not axis:
            raise self.reader.error(leaf, "there is no field yet that this could be about", "Name one before it.")
        axis[-1] = become(axis[-1])

    def _table(self, item: Tree) -> None:
        """A table's name behind a member says what that is (“trade customers”); by itself it stands for what its records are known by."""
        leaf = leaves(item)[0]
        key = self._key(leaf.means)
        if self.mode in ("rows", "columns") and self.lead in ("by", "across", "also") and key is not None:
            self._place(Placed("", key))
        elif self.mode == "measures" and not self.measures:
            self._counted(item)
        elif not self.filters:
            raise self.reader.error(leaf, f"“{leaf}” is a table, not a field", "Name one of its fields.")

    def _place(self, placed: Placed) -> None:
        is_time = self.reader.words.source.column(placed.field).type.is_time
        across = self.mode == "columns" or (self.turns > 1 and is_time and not self.columns)
        (self.columns if across else self.rows).append(placed)
        if self.mode == "measures":
            self.mode = "rows"

    # --- filters ----------------------------------------------------------------------

    def _is(self, item: Tree) -> None:
        ref = self.reader.field(leaves(item)[0])
        value = self.reader.values.one(self.reader, sub(item, "value")[0], ref, None)
        self._listed(ref, None, value)

    def _compare(self, item: Tree) -> None:
        named, value = leaves(item)
        ref = self.reader.field(named)
        sign = self.reader.scanner.made.shown[phrase(sub(item)[0]).type]
        said = self.reader.values.one(self.reader, value, ref, None)
        self.filters.append(Filter.kinds["compare"]("", ref, None, sign, said))  # type: ignore[call-arg]

    def _member(self, item: Tree) -> None:
        leaf = leaves(item)[0]
        ref = self.reader.field(leaf)
        self._listed(ref, None, next(token for each, token in leaf.means if each == ref))

    def _period(self, item: Tree) -> None:
        leaf = leaves(item)[0]
        part, key = leaf.means[0]
        self._listed(self._date(leaf), part, key)

    def _relative(self, item: Tree) -> None:
        branch = sub(item)[0]
        leaf = phrase(branch)
        self.filters.append(self.reader.first(branch, self._date(leaf)))

    def _only(self, item: Tree) -> None:
        """Says nothing that the member before it does not."""

    def _listed(self, ref: FieldRef, part: str | None, token: str) -> None:
        rule = of_member("", ref, part, token, exclude=self.is_left_out)
        last = self.filters[-1] if self.filters else None
        if (
            isinstance(last, Members)
            and (last.field, last.part) == (ref, part)
            and (last.exclude == self.is_left_out or self.lead == "also")
        ):
            self.filters[-1] = replace(
                last,
                members=last.members + rule.members,
                blank=last.blank or rule.blank,
                no_match=last.no_match or rule.no_match,
            )
        else:
            self.filters.append(rule)

    # --- what is known only at the end ------------------------------------------------

    def _compared(self, item: Tree) -> None:
        """Kept until every word is there that it may go along."""
        self._need_measure(item)
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
                if each.by is not None:
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
            return
        if not any((each.field, each.part) == (last.field, last.part) for each in (*self.rows, *self.columns)):
            self.columns.append(Placed("", last.field, last.part))
        if last.part is not None and self.measures:
            self._add(replace(self.measures[0], compare=Against(None, Other.PREVIOUS, None, How.CHANGE)))

    def _date(self, leaf: Named) -> FieldRef:
        """The leading date: that of the records which are summed up, else the first that they lead to. Raises SentenceError where there is none."""
        source = self.reader.words.source
        tables = [each.field.table for each in self.measures if each.field is not None] or list(source.tables)[:1]
        for table in source.reachable(tables[0]):
            for name in source.tables[table].columns:
                column = source.column(FieldRef(table, name))
                if column.type.is_time and nature_of(column) is Nature.DATE:
                    return FieldRef(table, name)
        raise self.reader.error(
            leaf, "there is no date that this could be about", "Name the field, such as Month of order date."
        )


def _numbered(fold: Fold) -> Fold:
    """A fold whose words are numbered as they stand."""
    return replace(
        fold,
        rows=tuple(replace(each, id=f"r{at + 1}") for at, each in enumerate(fold.rows)),
        columns=tuple(replace(each, id=f"c{at + 1}") for at, each in enumerate(fold.columns)),
        filters=tuple(each.as_word(f"f{at + 1}", each.picker) for at, each in enumerate(fold.filters)),
    )
