"""What is done to members where the report shows them: folding up, opening, drilling, keeping and leaving out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from foldbasket.baskets import edits
from foldbasket.baskets.placing import free_id
from foldbasket.desktop.state.board import Editing
from foldbasket.folding.filters.members import of_member, of_members
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.members.domain import OTHERS
from foldbasket.folding.report.margins import MEASURE, Margin
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Placed


class Seen:
    """A member as a margin shows it: the word of its field, and its path from the outermost member."""

    def __init__(self, margin: Margin, at: int, field: int) -> None:
        axis, line = margin.axis, int(margin.line[at])
        codes = [int(code) for code in axis.codes[line, : field + 1]]
        self.word = axis.heads[field].id
        self.field = field
        self.path = tuple(axis.heads[k].domain.token(code) for k, code in enumerate(codes))
        self.label = axis.label(line, field)
        self.is_folded = axis.kind[line] == Kind.CLOSED and int(axis.level[line]) == field + 1
        self.is_gathered = codes[-1] == axis.heads[field].domain.others
        self.has_inner = field + 1 < axis.depth and not self.is_gathered


def seen_at(margin: Margin, at: int, place: int) -> Seen | None:
    """The member at a place of a row or column; None where a measure, a total over it, or nothing stands there."""
    if place >= len(margin.places) or margin.places[place] == MEASURE:
        return None
    field = margin.places[place]
    return Seen(margin, at, field) if int(margin.axis.codes[int(margin.line[at]), field]) >= 0 else None


def innermost(margin: Margin, at: int) -> Seen | None:
    """The innermost member that a row or column is about; None where it is about all."""
    found = [seen_at(margin, at, place) for place in range(len(margin.places))]
    return next((seen for seen in reversed(found) if seen is not None), None)


class MemberWork:
    """The desk's work on members. Every method is one step that can be undone."""

    def __init__(self, desk: Editing) -> None:
        self.desk = desk
        self.chosen: dict[str, dict[str, Any]] = {}
        """By word: what its card has chosen to drill into, before it is done."""

    def turn(self, seen: Seen) -> None:
        """Folds a member up, or opens it again."""
        fold = self.desk.fold
        if fold is not None and seen.has_inner:
            self.desk.do(edits.FoldUp(fold.key, seen.word, seen.path))

    def group_of(self, margin: Margin, at: int) -> Seen | None:
        """The innermost member around a row or column that can be folded up."""
        level = int(margin.level[at])
        field = min(level, margin.axis.depth - 1) - 1
        if margin.kind[at] in (Kind.CLOSED, Kind.SUBTOTAL):
            field = level - 1 if margin.kind[at] == Kind.SUBTOTAL else level - 2
        return Seen(margin, at, field) if field >= 0 else None

    def fold_up(self, margin: Margin, at: int) -> None:
        """Folds the innermost open member around a row or column up."""
        seen = self.group_of(margin, at)
        if seen is not None:
            self.turn(seen)

    def open(self, margin: Margin, at: int) -> None:
        """Opens the folded member of a row or column."""
        if margin.kind[at] == Kind.CLOSED:
            self.turn(Seen(margin, at, int(margin.level[at]) - 1))

    def level(self, seen: Seen, closed: bool, said: str) -> None:
        """Folds all members of a field up, or opens them."""
        if self.desk.fold is not None:
            self.desk.do(edits.FoldLevel(self.desk.fold.key, seen.word, closed, said))

    def drill(self, seen: Seen, into: FieldRef, part: str | None) -> None:
        """Opens a member into another field."""
        if self.desk.fold is not None:
            self.desk.do(edits.DrillInto(self.desk.fold.key, seen.word, seen.path[-1], into, part))

    def keep_several(self, word: str, tokens: Sequence[str], *, only: bool) -> None:
        """Keeps only the records of some members of a placed field, or leaves them out."""
        fold = self.desk.fold
        placed = edits.find_word(fold, word) if fold is not None else None
        if fold is None or not isinstance(placed, Placed) or placed.bands or placed.groups or OTHERS in tokens:
            return
        rule = of_members(free_id(fold), placed.field, placed.part, tokens, exclude=not only)
        said = f"{len(tokens)} of {placed_heading(placed)}" if len(tokens) > 1 else tokens[0]
        self.desk.do(edits.Place(fold.key, "filters", rule, f"{'only' if only else 'without'} {said}"))

    def keep(self, seen: Seen, *, only: bool) -> None:
        """Keeps only the records of one member, or leaves them out."""
        fold = self.desk.fold
        placed = edits.find_word(fold, seen.word) if fold is not None else None
        if fold is None or not isinstance(placed, Placed) or placed.bands or placed.groups:
            return
        rule = of_member(free_id(fold), placed.field, placed.part, seen.path[-1], exclude=not only)
        self.desk.do(edits.Place(fold.key, "filters", rule, f"{'only' if only else 'without'} {seen.label}"))
