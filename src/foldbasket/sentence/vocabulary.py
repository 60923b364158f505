"""The names that a sentence may use: fields and tables of a source, their members, the periods of a calendar, and the words of a fold that stand already."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from functools import cached_property
from itertools import islice
from typing import TypeVar

from foldbasket.errors import FoldBasketError
from foldbasket.folding.members.domain import BLANK, NO_MATCH, OTHERS, Domain, domain_of, label_of_key
from foldbasket.folding.members.parts.part import parts_by
from foldbasket.links.source import Source
from foldbasket.sentence.membernames import (
    MOST_INDEXED,
    MOST_WORDS,
    MemberNames,
    Stems,
    lengths_of,
    member_names,
    stems_of,
)
from foldbasket.sentence.phrases import headings_of, placed_heading
from foldbasket.sentence.tokens import ARTICLES, Sort, Token
from foldbasket.spec.cut import Bands, Cut, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.styling.dates import month_name
from foldbasket.styling.words import plural
from foldbasket.tables.nature import nature_of
from foldbasket.tables.types import FieldType, parse_canonical
from foldbasket.turns import give_way
from foldbasket.typed import meant, number_typed

MOST_NEAR = 5_000
"""Members among which one that was meant is looked for."""
Thing = TypeVar("Thing")
PERIODS = ("year", "half", "quarter", "month", "week", "day", "fiscal year", "fiscal quarter")
CYCLES = ("quarter of year", "half of year")


class Vocabulary:
    """The names of a source. `fold` is the one that a sentence is typed over: what its measures and fields are called may be used."""

    def __init__(self, source: Source, fold: Fold | None = None, locale: str = "en") -> None:
        self.source, self.fold, self.locale = source.in_view(), fold, locale
        self.whole = source
        """The source itself, where tables that are not in memory are not samples."""
        self._domains: dict[tuple[FieldRef, str], Domain] = {}
        self._labels: dict[tuple[FieldRef, str], dict[str, str]] = {}

    # --- fields and tables ----------------------------------------------------

    @cached_property
    def fields(self) -> list[FieldRef]:
        """Every field, in the order of the basket."""
        return [FieldRef(key, name) for key, table in self.source.tables.items() for name in table.columns]

    @cached_property
    def _fields(self) -> dict[Stems, list[FieldRef]]:
        found: dict[Stems, list[FieldRef]] = {}
        for ref in self.fields:
            with suppress(FoldBasketError):
                found.setdefault(stems_of(ref.field), []).append(ref)
        return found

    @cached_property
    def _lengths(self) -> dict[str, list[int]]:
        """How many words a name can have, the most first, by its first word."""
        return lengths_of(self._fields)

    @cached_property
    def _tables(self) -> dict[Stems, str]:
        return {stems_of(table.name): key for key, table in self.source.tables.items()}

    def named(self, name: str) -> list[FieldRef]:
        """The fields of a name as it is written, else in whatever case."""
        exact, folded = self._by_name
        return exact.get(name) or folded.get(name.casefold(), [])

    @cached_property
    def _by_name(self) -> tuple[dict[str, list[FieldRef]], dict[str, list[FieldRef]]]:
        """The fields by their names as they are written, and in small letters."""
        exact: dict[str, list[FieldRef]] = {}
        folded: dict[str, list[FieldRef]] = {}
        for ref in self.fields:
            exact.setdefault(ref.field, []).append(ref)
            folded.setdefault(ref.field.casefold(), []).append(ref)
        return exact, folded

    def is_amount(self, refs: Sequence[FieldRef]) -> bool:
        """Whether any of some fields is measured: its values are summed up rather than shown."""
        return any(nature_of(self.source.column(ref)).is_measured for ref in refs)

    def field_at(self, tokens: Sequence[Token], at: int) -> tuple[int, list[FieldRef]] | None:
        """Behind the longest name of a field, which its table may follow, and the fields it may be."""
        token = tokens[at]
        if token.sort is Sort.QUOTED:
            named = self.named(token.text)
            return self._with_table(tokens, at + 1, named) if named else None
        found = _longest(tokens, at, self._fields, self._lengths, lambda ref: ref.field)
        return self._with_table(tokens, *found) if found is not None else None

    def _with_table(self, tokens: Sequence[Token], stop: int, found: list[FieldRef]) -> tuple[int, list[FieldRef]]:
        if stop + 1 < len(tokens) and tokens[stop].stem == "of":
            table = self.table_at(tokens, stop + 1)
            own = [ref for ref in found if table is not None and ref.table == table[1]]
            if table is not None and own:
                return table[0], own
        return stop, found

    def table_at(self, tokens: Sequence[Token], at: int) -> tuple[int, str] | None:
        """Behind the longest name of a table, and the key of its source."""
        if tokens[at].sort is Sort.QUOTED:
            key = next((key for key, table in self.source.tables.items() if table.name == tokens[at].text), None)
            return (at + 1, key) if key is not None else None
        for many in range(MOST_WORDS, 0, -1):
            key = self._tables.get(_stems_at(tokens, at, many))
            if key is not None:
                return at + many, key
        return None

    # --- members ----------------------------------------------------------------

    def domain(self, ref: FieldRef, cut: Cut | None) -> Domain:
        """The members of a field. Raises FoldError where it cannot be cut so."""
        key = (ref, repr(cut))
        if key not in self._domains:
            self._domains[key] = domain_of(self.source.column(ref), cut, self.source.fiscal, self.locale)
        return self._domains[key]

    def label(self, ref: FieldRef, cut: Cut | None, token: str) -> str:
        """What the reader sees for a member that a token names, or a value that canonical text does; the text itself where it is neither."""
        if token in (BLANK, NO_MATCH, OTHERS):
            return token
        with suppress(FoldBasketError, ValueError, OverflowError):
            column = self.source.column(ref)
            if isinstance(cut, str) or (cut is None and column.type.is_time):
                return label_of_key(column, cut, token, self.source.fiscal, self.locale)
            if cut is not None:
                domain = self.domain(ref, cut)
                code = domain.code_named(token)
                if code is not None:
                    return domain.label(code, self.locale)
        return token

    def token(self, ref: FieldRef, cut: Cut | None, said: str, *, is_quoted: bool = False) -> str | None:
        """The member that somebody means by a name: its token, its label, either in whatever case; None where there is none."""
        labels = self.labels(ref, cut)
        if not is_quoted or isinstance(cut, Bands):
            for each in (said, said.casefold()):
                if each in labels:
                    return labels[each]
        with suppress(FoldBasketError, ValueError, OverflowError):
            return self._canonical(ref, cut, said, is_quoted=is_quoted)
        return labels.get(said, said) if is_quoted else None

    def _canonical(self, ref: FieldRef, cut: Cut | None, said: str, *, is_quoted: bool) -> str | None:
        """A value by its canonical text. Raises ValueError where it is none."""
        if cut == "day" or (cut is None and self.source.column(ref).type is FieldType.DATE):
            day = self._day(said.casefold().replace(",", " ").split())
            if day is not None:
                return day.isoformat()
        if isinstance(cut, str):
            part = parts_by(self.source.fiscal)[cut]
            return part.key(part.parse(said))
        column = self.source.column(ref)
        if column.type is FieldType.TEXT or isinstance(cut, Groups):
            many = cut is None and self.domain(ref, None).blank > MOST_INDEXED
            return said if is_quoted or (many and self.domain(ref, None).code_of(said) is not None) else None
        if said.endswith("%") and column.type.is_number:
            said = number_typed(said)
        parse_canonical(column.type, said)
        return said

    def labels(self, ref: FieldRef, cut: Cut | None) -> dict[str, str]:
        """The tokens of a field's members, by token, label and both in small letters; of fields with very many members none."""
        key = (ref, repr(cut))
        if key not in self._labels:
            found: dict[str, str] = {}
            with suppress(FoldBasketError):
                column = self.source.column(ref)
                domain = (
                    self.domain(ref, cut)
                    if cut is not None or column.type.is_time or not column.type.is_number
                    else None
                )
                if domain is not None and domain.blank <= MOST_INDEXED:
                    pairs = []
                    for code in range(domain.blank):
                        give_way()
                        pairs.append((domain.token(code), domain.label(code, self.locale)))
                    for fold in (str.casefold, str):
                        found |= {fold(label): token for token, label in reversed(pairs)}
                        found |= {fold(token): token for token, _ in reversed(pairs)}
            self._labels[key] = found
        return self._labels[key]

    def near_member(self, ref: FieldRef, cut: Cut | None, said: str) -> str:
        """The question whether another member was meant; empty where none is near."""
        return meant(
            said,
            [self.label(ref, cut, each) for each in list(dict.fromkeys(self.labels(ref, cut).values()))[:MOST_NEAR]],
        )

    @cached_property
    def _members(self) -> MemberNames:
        return member_names(self.source, self.fields, self.locale)

    def member_at(self, tokens: Sequence[Token], at: int) -> tuple[int, list[tuple[FieldRef, str]]] | None:
        """Behind the longest name of a member of any field of texts, and the members it may be."""
        token = tokens[at]
        if token.sort is Sort.QUOTED:
            of_words = self._members.by_words.get(stems_of(token.text), ())
            found = [(ref, key) for ref, key in of_words if key == token.text]
            return (at + 1, found) if found else None
        return _longest(tokens, at, self._members.by_words, self._members.lengths, lambda each: each[1])

    def members_beginning(self, typed: str) -> Iterator[tuple[FieldRef, str]]:
        """Members of fields of texts whose names begin with what was typed, in the order of their names."""
        return self._members.beginning(typed)

    # --- periods ------------------------------------------------------------------

    def period_at(self, tokens: Sequence[Token], at: int) -> tuple[int, list[tuple[str, str]]] | None:
        """Behind the longest name of a period or a place in the year, and the parts of dates that have it, each with its key."""
        for many in (3, 2, 1):
            words = tokens[at : at + many]
            if len(words) < many or any(each.sort is not Sort.WORD for each in words):
                continue
            found = list(self._periods(" ".join(each.text for each in words)))
            if found:
                return at + many, found
        return None

    def _periods(self, said: str) -> Iterator[tuple[str, str]]:
        parts = parts_by(self.source.fiscal)
        words = said.casefold().split()
        months = self._months
        if len(words) == 1 and words[0] in months:
            yield "month of year", f"{months[words[0]]:02d}"
            return
        if len(words) == 2 and words[0] in months and _is_year(words[1]):
            yield "month", f"{words[1]}-{months[words[0]]:02d}"
            return
        if len(words) == 2 and len(words[0]) == 2 and words[0][0] in "qh" and _is_year(words[1]):
            said = f"{words[1]}-{words[0]}"
        day = self._day(words)
        if day is not None:
            yield "day", day.isoformat()
            return
        if len(words) > 2 or (len(words) == 1 and said.isdigit() and not _is_year(said)):
            return
        for name in (*PERIODS, *CYCLES):
            part = parts.get(name)
            if part is not None and (part.is_period or not said[:1].isdigit()):
                with suppress(ValueError, OverflowError):
                    yield name, part.key(part.parse(said.upper()))
                    return

    def _day(self, words: Sequence[str]) -> datetime.date | None:
        """A date with its month in letters, in small letters: “1 mar 2026”, “march 1 2026”; None for anything else."""
        if len(words) != 3 or not _is_year(words[2]):
            return None
        month, day = (words[1], words[0]) if words[1].rstrip(".") in self._months else (words[0], words[1])
        with suppress(KeyError, ValueError):
            return datetime.date(int(words[2]), self._months[month.rstrip(".")], int(day.rstrip(".")))
        return None

    @cached_property
    def _months(self) -> dict[str, int]:
        found: dict[str, int] = {}
        for locale in ("en", self.locale):
            for number in range(1, 13):
                for width in ("wide", "abbreviated"):
                    found.setdefault(month_name(number, locale, width).casefold().rstrip("."), number)
        return found

    # --- what stands already ------------------------------------------------------

    @cached_property
    def there(self) -> dict[str, str]:
        """The ids of the words that stand already, by what they are called, in small letters."""
        if self.fold is None:
            return {}
        names = {placed_heading(each): each.id for each in (*self.fold.columns, *self.fold.rows) if each.heading}
        names |= {name: id for id, name in headings_of(self.fold, self.source).items()}
        return {name.casefold(): id for name, id in names.items()}

    def measure_there(self, name: str) -> Measure | None:
        """The measure that stands already and is called so."""
        found = self.there.get(name.casefold())
        return next((each for each in (self.fold.measures if self.fold else ()) if each.id == found), None)

    def placed_there(self, name: str) -> Placed | None:
        """The field on an axis that stands already and is called so."""
        found = self.there.get(name.casefold())
        words = (*self.fold.rows, *self.fold.columns) if self.fold else ()
        return next((each for each in words if each.id == found), None)

    @staticmethod
    def alike(name: str, said: str) -> bool:
        """Whether somebody may mean a name by what was said: its words in whatever case and number, or what several of them are called."""
        return stems_of(name) == stems_of(said) or plural(name).casefold() == said.casefold()

    @cached_property
    def known(self) -> tuple[str, ...]:
        """Names that somebody may have meant by one that is not known."""
        members = (found[0][1] for found in islice(self._members.by_words.values(), MOST_NEAR))
        return (*(ref.field for ref in self.fields), *PERIODS, *members)


def _is_year(text: str) -> bool:
    return len(text) == 4 and text.isdigit() and "1900" <= text <= "2199"


def _stems_at(tokens: Sequence[Token], at: int, many: int) -> Stems:
    """So many words from one on; none where there are fewer."""
    words = tokens[at : at + many]
    return tuple(each.stem for each in words) if len(words) == many else ()


def _longest(
    tokens: Sequence[Token],
    at: int,
    known: Mapping[Stems, list[Thing]],
    lengths: Mapping[str, list[int]],
    name: Callable[[Thing], str],
) -> tuple[int, list[Thing]] | None:
    """Behind the longest name known that begins at a token, an article before it passed over, and the things it may be: those written so, else all."""
    if tokens[at].stem in ARTICLES and at + 1 < len(tokens) and tokens[at].stem not in lengths:
        at += 1
    for many in lengths.get(tokens[at].stem, ()):
        found = known.get(_stems_at(tokens, at, many))
        if found:
            said = " ".join(each.text for each in tokens[at : at + many])
            return at + many, [each for each in found if name(each) == said] or found
    return None
