"""Comparisons as they are asked for. The kinds stand in `folding/compare/`, each with what it does."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, ClassVar, Protocol, TypeVar

import msgspec

from foldbasket.kinds import Kind
from foldbasket.registry import Kinds
from foldbasket.sayings import Saying, said_by
from foldbasket.sql.pieces import NoSqlError


class Words(Protocol):
    """What a comparison asks for the words of the fold that it is said in."""

    def measure(self, word: str) -> str | None:
        """The heading of a measure; None where it was taken out."""

    def way(self, compare: Any) -> Sequence[str]:
        """The headings of an axis from the outermost field to the one that a comparison goes along; none where it is gone."""


C = TypeVar("C", bound="Comparison")


class Comparison(Kind):
    """Base of all comparisons; each kind is a `ComparisonStruct`."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Comparison]]] = Kinds("comparison", "foldbasket.folding.compare")
    standing: ClassVar[int] = 100
    """Where it stands among those that are offered."""

    @classmethod
    def offers(cls) -> Sequence[tuple[Comparison, str]]:
        """The forms in which it is offered, each with what the choice is called."""
        made = cls()
        return ((made, made.said),)

    sayings: ClassVar[tuple[Saying, ...]] = ()
    """How the sentence says it."""

    @property
    def said(self) -> str:
        """How the heading says it, and the sentence where it adds nothing: “% of the column”."""
        return said_by(self, bare=True)

    def phrase(self, words: Words) -> str:
        """How the sentence says it."""
        return self.said

    def heading(self, words: Words) -> str:
        """How the report's heading says it."""
        return self.said

    @property
    def keeps_unit(self) -> bool:
        """Whether its cells are in the unit of the measure, so that the measure's own number pattern goes with them."""
        return False

    def started(self: C, fold: Any, measure: str, members: Callable[[Any], Sequence[str]]) -> C:
        """The comparison as it begins when it is chosen for a measure: what it needs to name is named. `members` lists those of a
        field that is placed on `fold` (a `spec.fold.Fold`). Raises FoldError where the fold has nothing to name."""
        return self

    def in_sql(self, value: Any, figures: Any) -> Any:
        """The compared cell as a server reads it: `value` is the measure, `figures` a `folding.compare.figures.Figures`. Raises
        NoSqlError where SQL does not say it."""
        raise NoSqlError(f"the comparison “{self.said}”")

    def of(self, block: Any, cells: Any) -> Any:
        """The compared cells: a `folding.aggregates.Block` from one and the `folding.compare.cells.Cells` around it. Raises FoldError
        when a word or member it names is not there."""
        raise NotImplementedError

    def by_hand(self, around: Any) -> Any:
        """The compared cell calculated in plain Python from the cells around it (a `folding.around.Around`), by none of the code of `of`. Raises NotByHandError."""
        raise NotImplementedError


class ComparisonStruct(
    msgspec.Struct, Comparison, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind"
):
    """Base of every kind of comparison: the struct that a document holds."""


def offered() -> list[tuple[Comparison, str]]:
    """Every form of every comparison, in order."""
    return [offer for kind in Comparison.kinds for offer in kind.offers()]


def is_form(form: Comparison | None, now: Comparison | None) -> bool:
    """Whether a comparison is of an offered form, whatever else is set on it: it has what tells the forms of its kind apart."""
    if form is None or now is None or type(form) is not type(now):
        return form is now
    forms = [each for each, _ in type(form).offers()]
    fields: tuple[str, ...] = getattr(form, "__struct_fields__", ())
    telling = [name for name in fields if len({repr(getattr(each, name)) for each in forms}) > 1]
    return all(getattr(form, name) == getattr(now, name) for name in telling)
