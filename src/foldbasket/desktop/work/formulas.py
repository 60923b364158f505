"""What the desk does with formulas: judges them as they are typed, and turns them into fields and measures."""

from __future__ import annotations

import contextlib
from collections import Counter
from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtCore import QObject

from foldbasket.baskets import edits
from foldbasket.baskets.calculated import Calculated
from foldbasket.baskets.placing import first_free, free_id
from foldbasket.desktop.state.board import Board
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError, FormulaError
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.plan.summary import about, check_measure
from foldbasket.formulas.checking import Checked, checked_condition, schema_of
from foldbasket.formulas.evaluation import as_of_day, shown_for
from foldbasket.formulas.help import Offer, kind_said, offers
from foldbasket.formulas.parsing import parsed, written
from foldbasket.formulas.tree import is_summary, names_in
from foldbasket.opening.calculating import check_field
from foldbasket.sentence.phrases import measure_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import FORMULA, Fold, Measure
from foldbasket.styling.numbers import NumberStyle
from foldbasket.tables.column import DeferredColumn
from foldbasket.tables.nature import nature_of

SHOWN = 3
"""For so many records the values of a formula are shown while one types."""


Judged = tuple[str, Callable[[], str] | None]
"""What a formula gives, in words, and a way to work out values to show."""


class FormulaWork:
    """The desk's work on formulas."""

    def __init__(self, desk: Board, complain: Callable[[str, str], None], parent: QObject) -> None:
        self.desk = desk
        self._complain = complain
        self._then: Callable[[str | FormulaError], None] = lambda _: None
        self._worker = Worker("formula", parent)
        self._worker.finished.connect(self._worked_out)
        self._worker.failed.connect(self._worked_out)
        self.picked: dict[str, Any] = {}
        """The two measures and the sign that the card of a new formula has picked."""

    @property
    def busy(self) -> bool:
        return self._worker.busy

    def close(self) -> None:
        self._worker.close()

    def offers(self, without: tuple[str, str] | None = None, measure: str | None = None) -> list[Offer]:
        """The words to complete: fields of all tables, measures of the fold, functions. A formula is not offered to itself."""
        fields = [
            (name, table.name, nature_of(column).value)
            for key, table in self.desk.source.tables.items()
            for name, column in table.columns.items()
            if (key, name) != without
        ]
        often = Counter(name for name, *_ in fields)
        twice = frozenset(name for name, times in often.items() if times > 1)
        fold = self.desk.fold
        measures = [measure_heading(each) for each in fold.measures if each.id != measure] if fold is not None else []
        return offers(fields, [name for name in measures if name], twice)

    def members(self, field: str) -> list[str]:
        """The members of a field by its name, as far as they are at hand."""
        for key, table in self.desk.source.tables.items():
            for name in table.columns:
                column = self.desk.listed_column(FieldRef(key, name)) if name.casefold() == field.casefold() else None
                if column is not None and not isinstance(column, DeferredColumn):
                    dictionary = column.coded().dictionary if not column.type.is_number else None
                    if dictionary is not None and len(dictionary) <= 5_000:
                        return sorted(dictionary.key(code) for code in range(len(dictionary)))
        return []

    def work_out(self, values: Callable[[], str], then: Callable[[str | FormulaError], None]) -> None:
        """Works values out in the background; only the newest are handed on."""
        self._then = then
        self._worker.start(lambda _: values())

    def _worked_out(self, came: str | FoldBasketError) -> None:
        if isinstance(came, FoldBasketError) and not isinstance(came, FormulaError):
            came = FormulaError(came.what, 0, 1, todo=came.todo)
        with contextlib.suppress(RuntimeError):  # the editor that asked is gone
            self._then(came)

    def judge_field(self, text: str, home: str | None) -> Judged:
        """What a record formula gives, and a way to its values for a few records. Raises FormulaError."""
        source, viewed, as_of = self.desk.source, self.desk.source.in_view(), self.desk.basket.as_of
        try:
            made, base = check_field(text, source, home)
        except FormulaError:
            raise
        except FoldBasketError as error:
            raise FormulaError(error.what, 0, len(text), todo=error.todo) from None

        def values() -> str:
            some = range(min(SHOWN, source.table(base).count))
            found = shown_for(made, viewed, base, some, as_of_day(source, as_of, base))
            said = ", ".join(value if value is not None else "(blank)" for value in found)
            return f"First records: {said}" if found else ""

        return f"{kind_said(made.kind, False)[:-1]} of {source.called(base)}.", values

    def judge_measure(self, text: str, measure: Measure | None) -> Judged:
        """What a summary formula gives, and a way to its value in total. Raises FormulaError."""
        fold, engine = self.desk.fold or Fold("new"), self.desk.engine
        asked = (
            msgspec.structs.replace(measure, formula=text, compare=None)
            if measure is not None
            else Measure(free_id(fold), FORMULA, heading="\x00new", formula=text)
        )
        others = tuple(each for each in fold.measures if each.id != asked.id)
        made = check_measure(asked, (*others, asked), self.desk.source)
        said = f"{kind_said(made.kind, True)} {self._about(made)}".strip()
        whole = msgspec.structs.replace(fold, measures=(asked, *others))

        def values() -> str:
            # Over the records of the fold as it stands, which its placed fields help to decide.
            total = Fold("shown", (asked, *others), filters=fold.filters)
            report = engine.fold(total, over=engine.tables_of(whole))
            return f"In total: {report.written(0, 0, 0) or '(blank)'}" if len(report.rows) else ""

        return said, values

    def _about(self, made: Checked) -> str:
        """Which records the aggregates of a formula are about, in words; those of one table are said together."""
        tables: dict[str | None, list[str]] = {}
        for said, table in about(made, self.desk.source):
            if said not in tables.setdefault(table, []):
                tables[table].append(said)
        parts = [
            f"{', '.join(each)}: "
            + ("the records of the fold" if table is None else f"each record of {self.desk.source.called(table)} once")
            for table, each in tables.items()
        ]
        return "; ".join(parts) + "." if parts else ""

    def judge_condition(self, text: str) -> Judged:
        """What a condition gives for a few records. Raises FormulaError where it is none."""
        checked_condition(text, schema_of(self.desk.source))
        _, values = self.judge_field(text, None)
        return "Keeps records for which it holds.", values

    def keep_where(self, text: str) -> None:
        """Adds a filter by a condition."""
        desk = self.desk
        try:
            self.judge_condition(text)
        except FoldBasketError as error:
            desk.failed.emit(error)
            return
        fold = desk.ensure_fold()
        rule = Condition(free_id(fold), text)
        if desk.do(edits.Place(fold.key, "filters", rule, f"where {text}")):
            desk.select_word(rule.id)

    def judge(self, text: str) -> Judged:
        """What a new formula gives: a field or a measure, by what is written."""
        return self.judge_measure(text, None) if self._sums_up(text) else self.judge_field(text, None)

    def _sums_up(self, text: str) -> bool:
        tree = parsed(text)
        if is_summary(tree):
            return True
        fold = self.desk.fold
        headings = {measure_heading(each).casefold() for each in fold.measures} if fold is not None else set()
        fields = {name.casefold() for table in self.desk.source.tables.values() for name in table.columns}
        named = [name.name.casefold() for name in names_in(tree)]
        return bool(named) and all(name in headings for name in named) and not all(name in fields for name in named)

    def make(self, text: str, name: str) -> None:
        """Makes a field or a measure of a new formula, by what is written, and places it."""
        desk = self.desk
        name = name.strip()
        try:
            if self._sums_up(text):
                fold = desk.ensure_fold()
                made = Measure(free_id(fold), FORMULA, heading=name or None, formula=text, number=self._number(text))
                check_measure(made, (*fold.measures, made), desk.source)
                if desk.do(edits.Place(fold.key, "measures", made, name or text)):
                    desk.select_word(made.id)
                return
            _, base = check_field(text, desk.source)
        except FoldBasketError as error:
            desk.failed.emit(error)
            return
        taken = set(desk.source.table(base).columns)
        name = name or first_free("Field ", taken)
        if name in taken:
            self._complain(f"“{desk.source.called(base)}” has a field “{name}” already.", "Choose another name.")
            return
        if desk.do(edits.AddField(Calculated(name, text, base))):
            desk.calculate(None)
            desk.news.emit(
                f"{name} is now a field of {desk.source.called(base)}, like any other: place it, filter by it, sum it up."
            )

    @staticmethod
    def _number(text: str) -> NumberStyle:
        """Ratios of sums are written as percentages at first."""
        tree = parsed(text)
        is_ratio = getattr(getattr(tree, "function", None), "name", "") == "/" and is_summary(tree)
        return NumberStyle(pattern="0.0%") if is_ratio and "COUNT" not in text.upper() else NumberStyle()

    def combine(self, one: Measure, sign: str, other: Measure) -> None:
        """A new measure from two measures and an operator, without typing."""
        names = [written(measure_heading(each)) for each in (one, other)]
        words = {"-": "less", "+": "plus", "*": "times", "/": "per"}[sign]
        self.make(f"{names[0]} {sign} {names[1]}", f"{measure_heading(one)} {words} {measure_heading(other)}")

    def change_field(self, ref: FieldRef, text: str) -> None:
        """Gives a calculated field another formula."""
        self.desk.do(edits.ChangeField(ref.table, ref.field, text))
