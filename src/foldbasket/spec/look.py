"""How a report looks, as it is asked for: its style, looks said of parts of it, highlights, headings, layout and widths. Never of a cell's
position, so that a refresh, a turn or a new order keeps every look.

Conditions and forms of highlights are kinds; they stand in `folding/dress/`, each with its rule.
"""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec

from foldbasket.kinds import Choice, Kind
from foldbasket.registry import Kinds
from foldbasket.spec.order import Keep
from foldbasket.styling.numbers import NumberStyle
from foldbasket.styling.styles import Inks


class Side(Choice):
    """Where text stands in its cell."""

    LEFT = "left", "left"
    MIDDLE = "middle", "in the middle"
    RIGHT = "right", "right"


class Rule(Choice):
    """A line over or under a line of the report."""

    NONE = "none", "none"
    THIN = "thin", "thin"
    THICK = "thick", "thick"
    DOUBLE = "double", "double"


class Look(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Properties of a look; what is None is not said here, and comes from what is farther away. `ink` and `ground` are the
    names of colours of highlights, which go with the style and its form, or colours (#RRGGBB), or empty for the paper's own; `blank` is the text of empty cells."""

    ink: str | None = None
    ground: str | None = None
    bold: bool | None = None
    italic: bool | None = None
    side: Side | None = None
    above: Rule | None = None
    below: Rule | None = None
    number: NumberStyle | None = None
    blank: str | None = None

    def over(self, farther: Look) -> Look:
        """This look, with what it does not say taken from one that is farther away."""
        said = {name: mine for name in self.__struct_fields__ if (mine := getattr(self, name)) is not None}
        return msgspec.structs.replace(farther, **said) if said else farther


class Line(Choice):
    """Kinds of lines of a report, along either axis."""

    MEMBER = "member", "members"
    SUBTOTAL = "subtotal", "subtotals"
    GRAND = "grand", "grand total"
    OTHERS = "others", "All others"


class Said(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A look said of part of a report: of a `measure`; of a placed field, the `word`; of one of its members, `member` naming it by its
    canonical text; or of a kind of `line`, at a `level` (1 for the outermost field) or at all."""

    look: Look
    measure: str | None = None
    word: str | None = None
    member: str | None = None
    line: Line | None = None
    level: int | None = None

    @property
    def part(self) -> tuple[object, ...]:
        """What it is said of: two of the same are one."""
        return self.measure, self.word, self.member, self.line, self.level


class Scope(Choice):
    """Among which cells a highlight compares."""

    CELLS = "cells", "all cells"
    COLUMN = "column", "each column"
    ROW = "row", "each row"
    PARENT = "parent", "each group"


class Condition(Kind):
    """Base of all conditions of highlights; each kind is a frozen struct with ``tag_field="kind"``."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Condition]]] = Kinds("condition", "foldbasket.folding.dress.conditions")
    standing: ClassVar[int] = 100
    """Where it stands among those that are offered."""
    label: ClassVar[str] = ""
    """What its choice is called: “at least”."""
    compares: ClassVar[bool] = False
    """Whether it compares cells with one another, so that it depends on the scope."""
    by_value: ClassVar[bool] = False
    """Whether the numbers in it are values of the measure, and said as those are."""

    @property
    def said(self) -> str:
        """How its line of words says it, after the measure: “at least 250,000”."""
        raise NotImplementedError

    def keep(self, measure: str) -> Keep | None:
        """The picking that shows the members whose own total it holds for; None where no picking says the same."""
        return None

    def holds(self, cells: Any) -> Any:
        """For which cells it holds, booleans of their shape; `cells` are `folding.dress.judged.Cells`. Raises FoldError."""
        raise NotImplementedError


class ConditionStruct(
    msgspec.Struct, Condition, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind"
):
    """Base of every kind of condition: the struct that a document holds."""


class Form(Kind):
    """Base of all forms of highlights: what becomes of the cells for which the condition holds."""

    __slots__ = ()

    kinds: ClassVar[Kinds[type[Form]]] = Kinds("form", "foldbasket.folding.dress.forms")
    standing: ClassVar[int] = 100
    label: ClassVar[str] = ""
    """What its choice is called: “ground”."""

    steps: ClassVar[int] = 1
    """How many looks it has: more than one where they go by the value."""
    bars: ClassVar[bool] = False
    """Whether a bar as long as the value is drawn."""

    def look(self, share: float, inks: Inks) -> Look:
        """The look of a cell in a style's inks; `share` says where its value lies between the smallest and the largest of its scope."""
        return Look()

    def edge(self, inks: Inks) -> str:
        """The ink of a bar: at the cell's edge, or as long as the value; empty for none."""
        return ""

    def sign(self, step: int) -> str:
        """The sign that stands before the value; empty for none."""
        return ""


class FormStruct(msgspec.Struct, Form, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind"):
    """Base of every kind of form: the struct that a document holds."""


class Highlight(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Cells of a `measure` marked `when` a condition holds, in a `form`. Compared `within` a scope; on `totals` only where asked for, and then
    among their like; or the whole `line` marked of which a cell is."""

    id: str
    measure: str
    when: Condition
    form: Form
    within: Scope = Scope.CELLS
    totals: bool = False
    line: bool = False


class Layout(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a report is laid out: row fields in a column each or `indented` in one; names on their first line or on every one (`repeat`); a
    `gap` between groups; the heading of a measure shown where it is alone (`alone`)."""

    indented: bool = False
    repeat: bool = False
    gap: bool = True
    alone: bool = False
    legend: bool = True
    """Whether the lines of words of highlights stand under the report."""
    wrap: bool = False
    """Whether long names and headings go on over several lines, rather than make their columns wide."""
    frozen: bool = True
    """Whether headings stay in place while the cells are scrolled, in the window and in workbooks."""


class Width(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The width, in points at full size, of the columns of a word: of a row field's names, or of a measure's numbers."""

    word: str
    points: int


class ReportLook(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Everything about how a report looks. `style` is the key of a style, empty for the basket's; `title` and `subtitle` None for the fold's
    name and its sentence, empty for none."""

    style: str = ""
    title: str | None = None
    subtitle: str | None = None
    notes: tuple[str, ...] = ()
    said: tuple[Said, ...] = ()
    highlights: tuple[Highlight, ...] = ()
    layout: Layout = Layout()
    widths: tuple[Width, ...] = ()

    def with_said(self, said: Said) -> ReportLook:
        """The look with another thing said of a part, in place of what was; what says nothing is taken out."""
        others = tuple(each for each in self.said if each.part != said.part)
        return msgspec.structs.replace(self, said=others if said.look == Look() else (*others, said))

    def without(self, word: str) -> ReportLook:
        """The look with nothing said of a word that is taken out."""
        return msgspec.structs.replace(
            self,
            said=tuple(each for each in self.said if word not in (each.measure, each.word)),
            highlights=tuple(each for each in self.highlights if each.measure != word),
            widths=tuple(each for each in self.widths if each.word != word),
        )
