"""Record filters as they are asked for. The kinds stand in `folding/filters/`, each with its rule."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from foldbasket.kinds import Kind
from foldbasket.registry import Kinds
from foldbasket.sayings import Saying, plainly, said_by
from foldbasket.spec.field import FieldRef
from foldbasket.sql.pieces import NoSqlError

if TYPE_CHECKING:
    from foldbasket.tables.types import FieldType


class Labels(Protocol):
    """What a filter asks for the words of what it is about."""

    def field(self, rule: Any) -> str:
        """Its field as the sentence names it: “Region”, or “Quarter of order date”."""

    def label(self, rule: Any) -> Callable[[str], str]:
        """Turns a key of its field into what the reader sees."""


class Filter(Kind):
    """Base of all record filters; each kind is a frozen msgspec struct with ``tag_field="kind"``, an `id` and a `picker`: one with the
    name of a picker is offered to the reader beside the report, and is the same in every fold that has it."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Filter]]] = Kinds("filter", "foldbasket.folding.filters")
    standing: ClassVar[int] = 100
    """Where it stands among those that are offered."""
    label: ClassVar[str] = ""
    """What its choice is called; empty for one that is not made by choosing."""
    sayings: ClassVar[tuple[Saying, ...]] = ()
    """How the sentence says it; of a condition on one field, behind that field's name and a colon."""
    meaning: ClassVar[str] = ""

    if TYPE_CHECKING:
        id: str
        picker: str

        @property
        def field(self) -> FieldRef | None:
            """The field that it is about; None where it is about whatever it names itself."""

        @property
        def part(self) -> str | None:
            """The part of a date that it is about."""

    def as_word(self, id: str, picker: str) -> Filter:
        """The same filter as another word of a fold."""
        raise NotImplementedError

    def fields(self) -> list[FieldRef]:
        """The fields it looks at, as far as they are known without a source."""
        raise NotImplementedError

    def alternatives(self) -> Sequence[OneField]:
        """The conditions on single fields that it is made of, any of which is enough."""
        return ()

    @property
    def keeps_all(self) -> bool:
        """Whether it keeps every record, as one does that was only begun: nothing then depends on its field."""
        return False

    def prepared(self, source: Any) -> Filter:
        """The filter with what it says checked against a source (`links.source.Source`). Raises FoldBasketError."""
        return self

    def on(self, base: str, ask: Any) -> Filter:
        """The filter as it is decided on the records of one table; `ask` is a `folding.filters.asked.Asked`."""
        raise NotImplementedError

    def keeps(self, source: Any, base: str) -> Any:
        """Which records of a table pass; booleans of shape (records,). Raises FoldError for a value that does not fit."""
        raise NotImplementedError

    def in_sql(self, say: Any) -> Any:
        """The condition as a server reads it; `say` is a `folding.filters.asked.Says`. Raises NoSqlError where SQL does not say it."""
        raise NoSqlError(f"a filter “{self.label}”")

    def phrase(self, labels: Labels) -> str:
        """How the sentence says it: “Channel: Trade, Web”."""
        raise NotImplementedError

    def unknown(self, source: Any) -> list[str]:
        """A sentence for each member that it names and no record has."""
        return []


class OneField(Filter):
    """Filters that are one condition on one field, or on a part of a date."""

    __slots__ = ()

    stands_alone: ClassVar[bool] = False
    """Whether people say it without naming a field: “last quarter”."""

    if TYPE_CHECKING:
        field: FieldRef
        part: str | None
        exclude: bool

    @classmethod
    def fits(cls, kind: FieldType) -> bool:
        """Whether it is offered for a field of a type."""
        return True

    @classmethod
    def started(cls, id: str, field: FieldRef, part: str | None) -> OneField:
        """The filter as it begins when it is chosen: it keeps everything until it is given something."""
        return cls(id, field, part)  # type: ignore[call-arg]

    def condition(self, label: Callable[[str], str]) -> str:
        """The condition in words, without the field's name; `label` turns a key into what the reader sees."""
        return said_by(self, lambda slot, value: label(value) if slot.sort == "value" else plainly(slot, value, self))
