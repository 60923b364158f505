"""What is done to members where the report shows them: folding up, opening, drilling, keeping and leaving out."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.baskets import edits
from foldbasket.baskets.members import grouped, put_between, taken_apart
from foldbasket.baskets.placing import free_id
from foldbasket.desktop.state.board import Board
from foldbasket.errors import BasketError, FoldBasketError
from foldbasket.folding.filters.members import of_members
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.members.domain import BLANK, NO_MATCH, OTHERS
from foldbasket.folding.report.margins import MEASURE, Margin
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Placed
from foldbasket.spec.order import ByValue


class Seen:
    """A member as a margin shows it. Its names are looked up when they are first asked for: of a stretch of thousands few ever are."""

    def __init__(self, margin: Margin, at: int, field: int) -> None:
        self.margin, self.at, self.field = margin, at, field

    @property
    def line(self) -> int:
        """The line of its axis."""
        return int(self.margin.line[self.at])

    @property
    def codes(self) -> npt.NDArray[np.int32]:
        """The codes of its path, in the domains of its axis; shape (field + 1,)."""
        return self.margin.axis.codes[self.line, : self.field + 1]

    @property
    def word(self) -> str:
        """The word of its field."""
        return self.margin.axis.heads[self.field].id

    @cached_property
    def path(self) -> tuple[str, ...]:
        """The tokens of the members that it stands under, from the outermost, and its own."""
        heads = self.margin.axis.heads
        return tuple(heads[at].domain.token(code) for at, code in enumerate(self.codes.tolist()))

    @cached_property
    def label(self) -> str:
        """What the reader sees."""
        return self.margin.axis.label(self.line, self.field)

    @property
    def is_folded(self) -> bool:
        axis, line = self.margin.axis, self.line
        return bool(axis.kind[line] == Kind.CLOSED) and int(axis.level[line]) == self.field + 1

    @property
    def is_gathered(self) -> bool:
        return int(self.codes[-1]) == self.margin.axis.heads[self.field].domain.others

    @property
    def has_inner(self) -> bool:
        return self.field + 1 < self.margin.axis.depth and not self.is_gathered


def paths_of(several: Sequence[Seen]) -> list[tuple[str, ...]]:
    """The paths of some members of one field in one margin."""
    if not several:
        return []
    margin, field = several[0].margin, several[0].field
    codes = margin.axis.codes[margin.line[np.array([each.at for each in several], np.int64)]]
    return list(zip(*(margin.axis.heads[at].domain.tokens(codes[:, at]) for at in range(field + 1)), strict=True))


def tokens_of(several: Sequence[Seen]) -> list[str]:
    """What names each of some members of one field in one margin."""
    return [path[-1] for path in paths_of(several)]


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

    def __init__(self, desk: Board) -> None:
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

    def keep_several(self, word: str, tokens: Sequence[str], *, only: bool, label: str = "") -> None:
        """Keeps only the records of some members of a placed field, or leaves them out; of groups those of their members. `label` is what they
        are called."""
        fold, placed = self.desk.fold, self.placed(word)
        kept = _ungrouped(placed, tokens) if placed is not None else None
        if fold is None or placed is None or not kept:
            return
        rule = of_members(free_id(fold), placed.field, placed.part, kept, exclude=not only)
        said = label or (f"{len(tokens)} of {placed_heading(placed)}" if len(tokens) > 1 else tokens[0])
        self.desk.do(edits.Place(fold.key, "filters", rule, f"{'only' if only else 'without'} {said}"))

    def can_keep(self, word: str, tokens: Sequence[str]) -> bool:
        """Whether a filter can name those members."""
        placed = self.placed(word)
        return placed is not None and bool(_ungrouped(placed, tokens))

    def keep(self, seen: Seen, *, only: bool) -> None:
        """Keeps only the records of one member, or leaves them out."""
        self.keep_several(seen.word, [seen.path[-1]], only=only, label=seen.label)

    # --- several at once ----------------------------------------------------

    def turn_several(self, several: Sequence[Seen], closed: bool) -> None:
        """Folds members up that are open, or opens those that are folded up."""
        fold = self.desk.fold
        paths = tuple(each.path for each in several if each.has_inner and each.is_folded != closed)
        if fold is not None and paths:
            done = f"{'Fold up' if closed else 'Open'} {counted(several)}"
            placed = self.placed(several[0].word)
            if placed is not None:
                kept = [path for path in placed.turned if path not in paths]
                turned = (*kept, *(path for path in paths if path not in placed.turned))
                self.desk.do(edits.Change(fold.key, placed.id, {"turned": turned}, done))

    def group(self, word: str, tokens: Sequence[str], name: str) -> None:
        """Puts members of a placed field together as one, under a name."""
        fold, placed = self.desk.fold, self.placed(word)
        if fold is None or placed is None:
            return
        try:
            if placed.bands:
                raise BasketError("bands are not grouped.", todo="Set their edges on the card.")
            if {BLANK, NO_MATCH, OTHERS} & set(tokens):
                raise BasketError("what has no member stays by itself.", todo="Choose members with names.")
            groups = grouped(placed, [token.removeprefix("\\") for token in tokens], name)
        except FoldBasketError as error:
            self.desk.failed.emit(error)
            return
        self.desk.do(edits.Change(fold.key, word, {"groups": groups}, f"Group {name}"))

    def take_apart(self, word: str, names: Sequence[str]) -> None:
        """Lets the members of groups stand by themselves again."""
        fold, placed = self.desk.fold, self.placed(word)
        if fold is not None and placed is not None and placed.groups is not None:
            groups = taken_apart(placed, names)
            self.desk.do(edits.Change(fold.key, word, {"groups": groups}, f"Take {', '.join(names)} apart"))

    def groups_among(self, word: str, tokens: Sequence[str]) -> list[str]:
        """Which of some members are groups."""
        placed = self.placed(word)
        named = {group.name for group in placed.groups.groups} if placed is not None and placed.groups else set()
        return [token for token in tokens if token in named]

    def put(self, word: str, shown: Sequence[str], moved: Sequence[str], at: int) -> None:
        """Puts members, of those `shown` side by side, before the one at a place, by hand."""
        fold, placed = self.desk.fold, self.placed(word)
        if fold is None or placed is None:
            return
        nameless = {BLANK, NO_MATCH, OTHERS}
        keys = [token.removeprefix("\\") for token in shown if token not in nameless]
        moving = {token.removeprefix("\\") for token in {*moved}.intersection(shown) - nameless}
        before = sum(token not in nameless for token in shown[:at])
        # An order by value gives way to one by hand, which then begins as the report stands.
        first = put_between(placed.first, keys, moving, before, whole=placed.by is not None)
        if first != placed.first:
            done = f"Put {moved[0] if len(moved) == 1 else f'{len(moved)} members'} by hand"
            by = {"by": None, "descending": False} if placed.by is not None else {}
            self.desk.do(edits.Change(fold.key, word, {"first": first, **by}, done))

    def sort(self, words: Sequence[str], by: ByValue) -> None:
        """Orders fields by a value: the largest first, then the smallest, then by label again."""
        fold = self.desk.fold
        if fold is None:
            return
        now = self.placed(words[0])
        turned = now is not None and now.by == by
        order: dict[str, Any] = {"by": by, "descending": True}
        if turned and now is not None:
            order = {"by": by, "descending": False} if now.descending else {"by": None, "descending": False}
        done = "Order by label again" if order["by"] is None else "Order by value"
        strand = edits.strand_of(fold, words[0])
        changed = tuple(
            msgspec.structs.replace(each, **order, first=()) if each.id in words else each
            for each in getattr(fold, strand)
        )
        self.desk.do(edits.ChangeFold(fold.key, {strand: changed}, done))

    def placed(self, word: str) -> Placed | None:
        """The placed field of a word of the fold in view; None where it is none."""
        fold = self.desk.fold
        return next((each for each in fold.rows + fold.columns if each.id == word), None) if fold is not None else None


def counted(several: Sequence[Seen]) -> str:
    """What some members are called together."""
    return several[0].label if len(several) == 1 else f"{len(several)} members"


def _ungrouped(placed: Placed, tokens: Sequence[str]) -> list[str]:
    """The members that a filter names for some of those shown, groups by what is in them; none where a filter cannot name them."""
    if placed.bands or OTHERS in tokens:
        return []
    named = {group.name: group.members for group in placed.groups.groups} if placed.groups is not None else {}
    if placed.groups is not None and placed.groups.rest in tokens and placed.groups.rest not in named:
        return []
    return [member for token in tokens for member in named.get(token, (token,))]
