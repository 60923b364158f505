"""What is done to the words of the sentence: placed, moved, changed, taken out."""

from __future__ import annotations

from typing import Any

import msgspec

from foldbasket.baskets import edits, placing
from foldbasket.baskets.basket import free_name, taken
from foldbasket.baskets.onto import onto
from foldbasket.desktop.state.board import Board
from foldbasket.errors import BasketError
from foldbasket.sentence.phrases import UNNAMED, field_phrase, words_of
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold


class Words:
    """Works on the fold in view. Every method is one step that can be undone."""

    def __init__(self, desk: Board) -> None:
        self.desk = desk

    def said(self, word: str) -> str:
        """A word of the fold in view as the sentence says it."""
        fold, desk = self.desk.fold, self.desk
        if fold is None:
            return ""
        return next((each.text for each in words_of(fold, desk.source, desk.basket.locale) if each.id == word), "")

    def fold(self) -> Fold:
        """The fold in view, made if there is none."""
        if self.desk.fold is None:
            self.desk.do(edits.AddFold(Fold(free_name(UNNAMED, taken(self.desk.basket.folds)))))
        assert self.desk.fold is not None
        return self.desk.fold

    def place(self, ref: FieldRef, strand: str | None = None, at: int | None = None) -> None:
        """Places a field, where it belongs by nature unless a strand is named, and selects its word."""
        column = self.desk.column(ref)
        if column is None:
            return
        fold = self.fold()
        strand = strand or placing.natural_strand(column, fold)
        word = placing.word_for(strand, ref, column, fold)
        said = field_phrase(ref.field, getattr(word, "part", None))
        self.desk.do(edits.Place(fold.key, strand, word, said, at), select=word.id)

    def place_read(self, word: Any, strand: str, said: str) -> None:
        """Places a word that was typed into a gap, and selects it."""
        fold = self.fold()
        id = placing.free_id(fold)
        made = word.as_word(id, word.picker) if isinstance(word, Filter) else msgspec.structs.replace(word, id=id)
        self.desk.do(edits.Place(fold.key, strand, made, said), select=id)

    def place_count(self, at: int | None = None) -> None:
        """Places the count of records among the measures."""
        fold = self.fold()
        word = placing.records_measure(fold)
        self.desk.do(edits.Place(fold.key, "measures", word, "Records", at), select=word.id)

    def move(self, word_id: str, strand: str, at: int | None = None) -> None:
        """Moves a word to a place on a strand; between axes it stays as it is, elsewhere it becomes what belongs there."""
        fold = self.desk.fold
        if fold is None:
            return
        word = edits.find_word(fold, word_id)
        here = edits.strand_of(fold, word_id)
        index = [each.id for each in getattr(fold, here)].index(word_id)
        if here == strand:
            if at is None or at in (index, index + 1):
                return
            at -= at > index
        axes = ("rows", "columns")
        becomes = None
        if here != strand and not (here in axes and strand in axes):
            column = self.desk.column(word.field) if word.field is not None else None
            if column is None:
                if word.field is None:
                    self.desk.failed.emit(BasketError("it is made of no single field, so it stays where it is."))
                return
            assert word.field is not None
            becomes = placing.word_for(strand, word.field, column, fold, id=word_id)
        self.desk.do(edits.Move(fold.key, word_id, strand, self.said(word_id), at, becomes), select=word_id)

    def remove(self, word_id: str) -> None:
        """Takes a word out."""
        if self.desk.fold is not None:
            self.desk.do(edits.Remove(self.desk.fold.key, word_id, self.said(word_id)))

    def change(self, word_id: str, done: str, **changes: Any) -> None:
        """Changes properties of a word."""
        if self.desk.fold is not None:
            self.desk.do(edits.Change(self.desk.fold.key, word_id, changes, done))

    def turn(self) -> None:
        """Turns rows into columns."""
        fold = self.desk.fold
        if fold is not None and (fold.rows or fold.columns):
            self.desk.do(edits.Turn(fold.key))

    def copy_onto(self, fold: Fold, source: str) -> None:
        """Adds the fold once more, over another source; says which fields that does not have."""
        desk, of = self.desk, self.desk.source
        called = desk.basket.source_name(source)

        def reaches(table: str) -> bool:
            return table == source or of.path(source, table) is not None

        made, missing = onto(fold, source, called, list(of.table(source).columns), reaches)
        made = msgspec.structs.replace(made, name=f"{fold.name}, {called}")
        if made.is_empty:
            todo = "Choose a source whose fields have the same names."
            desk.failed.emit(BasketError(f"{called} has none of the fields of this report.", todo=todo))
            return
        desk.do(edits.AddFold(made))
        if missing:
            listed = ", ".join(missing[:4]) + (f" and {len(missing) - 4} more" if len(missing) > 4 else "")
            desk.news.emit(f"{called} has no {listed}; what used them was left out.")
