"""What proposals stand on: which amount leads, which date, and which fields tell its records apart."""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable, Iterator
from contextlib import suppress
from functools import cached_property

import msgspec
import numpy as np

from foldbasket.errors import FoldBasketError
from foldbasket.folding.usual import usual_aggregate
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Measure
from foldbasket.styling.numbers import NumberStyle
from foldbasket.tables.column import CodedColumn
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.profile import Profile, profile_of
from foldbasket.tables.survey import Surveyed
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import at_hand

FEW, MANY = 12, 20
"""A field with so few members is shown whole; of one with more than `MANY` the largest are picked."""
MOST = 200_000
GLANCE = 50
"""So many members of a field are looked at for what they are."""
_CODE = re.compile(r"\s*[^\W\d_]{0,4}[-_./ ]?\d[\d\-_./ ]*[A-Za-z]?\s*")
_LEADS = re.compile(
    r"\b(net|sales|revenue|turnover|amount|value|total)\b|(umsatz|erlös|betrag|netto|wert|summe|omzet|bedrag|waarde|totaal)\b"
    r"|\b(chiffre|montant|ventes|valeur|importe|ventas|ingresos|valor|fatturato|importo|ricavi|vendite|totale|receita|vendas|faturamento)\b",
    re.IGNORECASE,
)
PLANNED = re.compile(
    r"\b(plan|planned|budget|target|forecast|quota|soll|ziel|planung|objectif|prévu|objetivo|previsto|obiettivo|meta|doel|begroot)\b",
    re.IGNORECASE,
)


def _nothing(_: FieldRef) -> Surveyed | None:
    return None


class Ground(msgspec.Struct, frozen=True, dict=True):
    """A source, seen for what could be asked of it. `told` gives what a survey has told of a field whose table is not held, else its sample is asked."""

    source: Source
    told: Callable[[FieldRef], Surveyed | None] = _nothing

    @cached_property
    def amounts(self) -> list[FieldRef]:
        """Amounts, then quantities, of whatever table; those that lead a trade by their names first, plans last."""
        found = []
        for key, table in self.source.tables.items():
            for name, column in table.columns.items():
                nature = nature_of(column)
                if nature in (Nature.AMOUNT, Nature.QUANTITY):
                    planned = bool(PLANNED.search(name) or PLANNED.search(table.name))
                    rank = (planned, nature is Nature.QUANTITY, not _LEADS.search(name), -table.count)
                    found.append((rank, FieldRef(key, name)))
        return [ref for _, ref in sorted(found, key=lambda each: each[0])]

    @property
    def base(self) -> str | None:
        """The table whose records are summed up: that of the leading amount, else the one with the most records."""
        if self.amounts:
            return self.amounts[0].table
        tables = sorted(self.source.tables, key=lambda key: -self.source.tables[key].count)
        return tables[0] if tables else None

    def measure(self, id: str = "w1") -> Measure:
        """The leading amount, as it is usually summed up; the records, where there is none."""
        if not self.amounts:
            return Measure(id, "count")
        column = self.source.column(self.amounts[0])
        how = usual_aggregate(column)
        whole = NumberStyle(pattern="#,##0") if how == "sum" and nature_of(column) is Nature.AMOUNT else NumberStyle()
        return Measure(id, how, self.amounts[0], number=whole)

    @cached_property
    def date(self) -> FieldRef | None:
        """The date that leads: the first of the base, else of the tables that it leads to."""
        for table in self.source.reachable(self.base) if self.base is not None else ():
            for name, column in self.source.tables[table].columns.items():
                if nature_of(column) is Nature.DATE:
                    return FieldRef(table, name)
        return None

    @cached_property
    def days(self) -> tuple[datetime.date, datetime.date] | None:
        """The first and the last day of the leading date."""
        if self.date is None:
            return None
        profile = self._profile(self.date)
        if profile.smallest is None or profile.largest is None:
            return None
        first, last = (datetime.date.fromisoformat(each[:10]) for each in (profile.smallest, profile.largest))
        return first, last

    def _profile(self, ref: FieldRef) -> Profile:
        told = self.told(ref)
        return told.profile if told is not None else profile_of(at_hand(self.source.column(ref)))

    def _members(self, *natures: Nature) -> Iterator[tuple[int, FieldRef]]:
        """Fields of some natures that the base leads to whose members say something, with how many they have."""
        linked = {FieldRef(link.from_table, near) for link in self.source.links for near, _ in link.keys}
        linked |= {FieldRef(link.to_table, far) for link in self.source.links for _, far in link.keys}
        for table in self.source.reachable(self.base) if self.base is not None else ():
            for name, column in self.source.tables[table].columns.items():
                ref, held = FieldRef(table, name), at_hand(column)
                if ref in linked or nature_of(column) not in natures or not isinstance(held, CodedColumn):
                    continue
                with suppress(FoldBasketError):
                    told = self.told(ref)
                    members = told.members if told is not None else None
                    many = len((held if members is None else members).dictionary)
                    blank, count = self._profile(ref).blanks or 0, len(held if members is None else column)
                    if 2 <= many <= MOST and blank * 2 < max(1, count):
                        yield many, ref

    @cached_property
    def kinds(self) -> list[FieldRef]:
        """Fields with few members, those that split well and stand in tables of their own first."""
        found = [(many, ref) for many, ref in self._members(Nature.CATEGORY) if many <= FEW]
        return [ref for _, ref in sorted(found, key=lambda each: (each[0] < 3, each[1].table == self.base, -each[0]))]

    @cached_property
    def names(self) -> list[FieldRef]:
        """Fields with very many members, such as customers: the most first. None that tells nearly each record of the base apart, as the number of an order
        does: the best ten of those are ten records."""
        most = self.source.tables[self.base].count // 2 if self.base is not None else 0
        found = [
            (many, ref)
            for many, ref in self._members(Nature.CATEGORY, Nature.TEXT)
            if many > MANY and (ref.table != self.base or many <= most)
        ]
        return [ref for _, ref in sorted(found, key=lambda each: (self._are_codes(each[1]), -each[0]))]

    def _are_codes(self, ref: FieldRef) -> bool:
        """Whether a field's members are codes, which say less than the names that stand beside them: letters and a number at most."""
        told, held = self.told(ref), at_hand(self.source.column(ref))
        known = told.members if told is not None and told.members is not None else held
        if not isinstance(known, CodedColumn) or known.type is not FieldType.TEXT:
            return True
        some = known.dictionary.of(np.arange(min(GLANCE, len(known.dictionary))))
        return all(_CODE.fullmatch(name) for name in some.texts)
