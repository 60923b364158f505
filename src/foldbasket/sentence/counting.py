"""What a noun counts in a short form: “orders” and “flights” count their own records, never the sum of a number that names them."""

from __future__ import annotations

import msgspec
from lark import Tree

from foldbasket.errors import FoldBasketError, SentenceError
from foldbasket.sentence.filtering import Filtering
from foldbasket.sentence.scanning import Named
from foldbasket.sentence.trees import leaves, phrase, sub
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Fold, Measure
from foldbasket.tables.column import DeferredColumn
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import is_unread

replace = msgspec.structs.replace
COUNTS = ("count", "count values", "count different", "sum")
"""Aggregates that mean a count where a noun follows them: “total orders”."""


class Counting(Filtering):
    """The measures that nouns are."""

    counted: dict[str, tuple[str, Named]] = msgspec.field(default_factory=dict)
    """The table that a measure counts the records of, by the measure's id, where the table has no key; and the word for it."""
    is_second: bool = False
    """Whether the second reading is wanted where a noun has two."""
    has_two: bool = False
    """Whether a noun had two readings."""
    said_by: str = ""
    """The last of the words before the piece."""

    def _tables(self) -> list[str]:
        return [*(table for table, _ in self.counted.values()), *super()._tables()]

    def _counted(self, item: Tree) -> None:
        leaf = leaves(item)[0]
        how_many = str(phrase(item)).casefold() == "how many"
        self._count(leaf, leaf.means, "" if how_many else self._asked(item))

    def _asked(self, item: Tree) -> str:
        """The aggregate before a noun; empty where it is counted without one."""
        front = next(iter(sub(item, "front")), item)
        found = self.reader.scanner.made.choices.get(phrase(front).type)
        return found[0].name if found else ""

    def _count(self, leaf: Named, table: str, aggregate: str) -> None:
        """A table's records, or its different keys. Raises SentenceError for any other aggregate."""
        if aggregate and aggregate not in COUNTS:
            noun = self.reader.words.source.called(table).lower()
            raise self.reader.error(
                leaf,
                f"“{leaf}” can only be counted, and “{aggregate}” is not a count",
                f"Write “number of {noun}”, or use “{aggregate}” with an amount.",
            )
        key = self._key(table)
        if key is not None:
            self._add(Measure("", "count different" if aggregate == "count different" else "count values", key))
            return
        if aggregate == "count different":
            name = self.reader.words.source.called(table)
            raise self.reader.error(
                leaf, f"nothing tells the records of “{name}” apart", f"Name a field of {name} to count."
            )
        self._add(Measure("", "count"))
        self.counted[self.measures[-1].id] = (table, leaf)

    def _key(self, table: str) -> FieldRef | None:
        """The field by which other tables find a table's records; None where none does."""
        links = self.reader.words.source.links
        return next((FieldRef(table, link.keys[0][1]) for link in links if link.to_table == table), None)

    def _table_called(self, leaf: Named) -> str | None:
        """The table that is called as a word is written, in whatever case."""
        tables, said = self.reader.words.source.tables, str(leaf).casefold()
        return next((key for key, each in tables.items() if each.name.casefold() == said), None)

    def _is_counted(self, leaf: Named, ref: FieldRef, aggregate: str = "") -> bool:
        """Count what a word means that is the name of a field and a noun as well: the records of a table of that name, or the different values of a number
        that names them. Return whether it was such a word."""
        said = str(leaf).casefold()
        if leaf.is_quoted or said == ref.field.casefold():
            return False
        source = self.reader.words.source
        table = self._table_called(leaf)
        if table is not None and self.reader.words.source.column(ref).type is FieldType.WHOLE:
            self._count(leaf, table, aggregate)
            return True
        column = source.column(ref)
        if (
            column.type is not FieldType.WHOLE
            or nature_of(column) is not Nature.QUANTITY
            or not _is_plural(said, ref.field)
        ):
            return False
        if aggregate and aggregate not in COUNTS:
            return False
        self.has_two = True
        if self.is_second and aggregate != "count different":
            return False
        self._add(Measure("", "count different", ref))
        return True

    def _is_average_per(self, leaf: Named, ref: FieldRef) -> bool:
        """“Average net per order” has two readings: the average of the records for each order, and the total divided by the number of orders. Return whether
        the second was made."""
        measure = self.measures[-1] if self.measures else None
        if self.said_by != "per" or measure is None or measure.aggregate != "average" or measure.field is None:
            return False
        source = self.reader.words.source
        names_thing = (
            leaf.type == "TABLE"
            or ref == self._key(ref.table)
            or self.reader.words.alike(source.called(ref.table), ref.field)
        )
        if not names_thing or nature_of(source.column(measure.field)).is_rate:
            return False
        self.has_two = True
        if self.is_second:
            amount, noun = (f'"{source.called(each.table)}"."{each.field}"' for each in (measure.field, ref))
            self.measures[-1] = replace(
                measure,
                aggregate=FORMULA,
                field=None,
                formula=f"SUM({amount}) / COUNT(DISTINCT {noun})",
                heading=f"{measure.field.field} per {leaf}",
            )
        return self.is_second

    def _with_counts(self, made: Fold) -> Fold:
        """A fold whose counts of a table's records are of that table: as records where they are those of the fold, else by a field that has no blank.
        Raises SentenceError where neither is so."""
        for id, (table, leaf) in self.counted.items():
            if self._records_of(made) == table:
                continue
            field = self._without_blanks(table)
            if field is None:
                name = self.reader.words.source.called(table)
                raise self.reader.error(
                    leaf,
                    f"the records of “{name}” cannot be counted here: no other table refers to them",
                    f"Name a field of {name} to count.",
                )
            measures = tuple(
                replace(each, aggregate="count values", field=field) if each.id == id else each
                for each in made.measures
            )
            made = replace(made, measures=measures)
        return made

    def _records_of(self, made: Fold) -> str | None:
        """The table whose records a fold would count; None where there are several."""
        source = self.reader.words.source
        used = [ref for measure in made.measures for ref in measure.fields()]
        used += [placed.field for placed in made.rows + made.columns]
        used += [ref for rule in made.filters for ref in rule.fields()]
        tables = list(dict.fromkeys(ref.table for ref in used)) or list(source.tables)[:1]
        try:
            return source.base_for(tables)
        except FoldBasketError:
            return None

    def _without_blanks(self, table: str) -> FieldRef | None:
        """The first field of a table in memory that has a value in every record."""
        for name, column in self.reader.words.whole.tables[table].columns.items():
            if not is_unread(column) and not isinstance(column, DeferredColumn) and not column.blank_count:
                return FieldRef(table, name)
        return None

    # --- nouns that belong to something else -----------------------------------------

    def _belongs(self, item: Tree, member: Tree) -> None:
        """Check that a noun behind a member is what the member is one of, or what its records lead to: “north region”, “trade order lines”, “trade customers”.
        Raises SentenceError where it is not, since it would say something else then: “herbs customers” may have bought more than herbs."""
        noun, named = leaves(item)[0], leaves(member)[0]
        ref = self.reader.field(named)
        called = noun.means if noun.type == "TABLE" else self._table_called(noun)
        if called is not None:
            fits = self.reader.words.source.path(ref.table, called) is not None
        else:
            fits = any(each == ref or self._names_table_of(each, ref) for each in noun.means)
        if not fits:
            table = self.reader.words.source.called(ref.table)
            raise SentenceError(
                f"“{named}” is a {ref.field} of {table}, not of “{noun}” (at {noun.start + 1}).",
                place=(noun.start, noun.stop),
                todo=f"Remove “{noun}”, or write “where {ref.field} is {named}”.",
            )

    def _names_table_of(self, each: FieldRef, ref: FieldRef) -> bool:
        """Whether a field names the records of a table that those of another field's lead to: Customer of Customers."""
        source = self.reader.words.source
        is_name = self.reader.words.alike(source.called(each.table), each.field)
        return is_name and source.path(ref.table, each.table) is not None


def _is_plural(said: str, name: str) -> bool:
    """Whether a word is that of a name in the plural."""
    return len(said) > len(name) and said.endswith("s") and not name.casefold().endswith("s")
