"""Things that come in kinds, each declared once: one class in one file, entered under its key by a decorator.

A *sort* (comparison, filter, aggregate …) is a base class with its `Kinds`. A kind of it says on itself how it is called, what it means,
which parameters it has and what it does. Whoever lists, draws, reads or documents kinds asks here; nothing keeps a list of its own. The
modules of the packages that a sort names are imported when its kinds are first asked for, so that a new file is enough to add one.

Kinds that a document holds are tagged msgspec structs. A document names the base class as the type of a place; `read` finds the kind by
its tag.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from enum import StrEnum
from typing import Any, ClassVar, Literal, TypeVar, get_origin, get_type_hints

import msgspec
from msgspec import inspect
from msgspec.structs import replace

from foldbasket.decoding import from_builtins
from foldbasket.registry import Kinds

K = TypeVar("K")


class Kind:
    """Base of every sort that a document can hold."""

    __slots__ = ()

    kinds: ClassVar[Kinds[Any]]
    """All kinds of the sort."""
    tag: ClassVar[str] = "kind"
    """The name under which a document says which kind it is."""


S = TypeVar("S", bound=type)


def entered(kind: S) -> S:
    """Class decorator: enters a tagged struct among the kinds of its sort."""
    kind.kinds.enter(kind.__struct_config__.tag, kind)  # type: ignore[attr-defined]
    return kind


class Choice(StrEnum):
    """A choice whose members carry the words for it: ``LAST = "last", "the last"``. The document holds the first; the second stands
    where it is chosen, the third (else the second) within a sentence, and the fourth explains it."""

    label: str
    said: str
    meaning: str

    def __new__(cls, value: str, label: str = "", said: str = "", meaning: str = "") -> Choice:
        made = str.__new__(cls, value)
        made._value_ = value
        made.label, made.said, made.meaning = label or value, said or label or value, meaning
        return made

    @classmethod
    def choices(cls) -> tuple[tuple[Any, str], ...]:
        """What can be chosen, each with its words."""
        return tuple((each, each.label) for each in cls)


# --- parameters ---------------------------------------------------------------

Of = Literal["", "measure", "word", "member", "field", "number"]
"""What a parameter names: nothing, another measure of the fold, a field on its axes, a member of the field that the kind goes along,
or a field (of numbers) of the table that is measured."""


class Parameter(msgspec.Struct, frozen=True):
    """One thing that can be set on a kind. `label` stands before it, `meaning` explains it, `unit` follows a number; a yes-or-no has the
    labels of both; `hint` stands where nothing is typed; where it says something only as another parameter stands, `when` has that one's name and values."""

    label: str
    meaning: str = ""
    unit: str = ""
    of: Of = ""
    yes_no: tuple[str, str] = ("yes", "no")
    hint: str = ""
    least: int | None = None
    most: int | None = None
    none: str = "as fits best"
    """What stands where nothing is named."""
    when: tuple[str, ...] = ()
    name: str = ""
    type: Any = str

    def says(self, kind: Any) -> bool:
        """Whether it says anything, as the kind's other parameters stand."""
        return not self.when or str(getattr(kind, self.when[0])) in self.when[1:]

    @property
    def choices(self) -> tuple[tuple[Any, str], ...]:
        """What can be chosen, each with its words; empty where it is typed or names something."""
        if self.type is bool:
            return ((True, self.yes_no[0]), (False, self.yes_no[1]))
        if isinstance(self.type, type) and issubclass(self.type, Choice):
            return self.type.choices()
        return ()


def set_by(label: str, meaning: str = "", **more: Any) -> msgspec.Meta:
    """Marks a field of a kind as a parameter, for use in ``Annotated``."""
    return msgspec.Meta(
        title=label, description=meaning or None, extra={"parameter": Parameter(label, meaning, **more)}
    )


def parameters(kind: type) -> tuple[Parameter, ...]:
    """The parameters of a kind, in the order in which they are declared."""
    return tuple(
        replace(note.extra["parameter"], name=name, type=get_origin(hint.__origin__) or hint.__origin__)
        for name, hint in get_type_hints(kind, include_extras=True).items()
        for note in getattr(hint, "__metadata__", ())
        if isinstance(note, msgspec.Meta) and note.extra
    )


# --- documents ----------------------------------------------------------------


def read(value: Any, kind: type[K]) -> K:
    """Builtins (as JSON gives them) as a value of a type, kinds found by their tags. Raises msgspec.ValidationError."""
    try:
        return from_builtins(value, kind, _read)
    except msgspec.ValidationError as error:
        raise msgspec.ValidationError(_one_path(str(error))) from None


def _read(sort: type, value: Any) -> Any:
    if not (isinstance(sort, type) and issubclass(sort, Kind)):
        raise NotImplementedError
    if not isinstance(value, dict):
        raise ValueError(f"Expected `object`, got `{type(value).__name__}`")
    tag = value.get(sort.tag)
    kind = sort.kinds.get(tag) if isinstance(tag, str) else None
    if kind is None or not issubclass(kind, sort):
        raise ValueError(
            f"Invalid value {tag!r} - at `$.{sort.tag}`"
            if sort.tag in value
            else f"Object missing required field `{sort.tag}`"
        )
    try:
        return from_builtins(value, kind, _read)
    except msgspec.ValidationError as error:  # as a plain ValueError msgspec adds where it stands
        raise ValueError(str(error)) from None


def _one_path(said: str) -> str:
    """Places within places as one: “… - at `$.sign` - at `$.filters[0]`” is at `$.filters[0].sign`."""
    paths = re.findall(r" - at `\$([^`]*)`", said)
    words = re.sub(r" - at `[^`]*`", "", said)
    return f"{words} - at `${''.join(reversed(paths))}`" if paths else words


def _within(sort: type[Kind]) -> list[type]:
    """The kinds of a sort, or of a part of one."""
    return [kind for kind in sort.kinds if issubclass(kind, sort)]


def types_of(sort: type) -> list[inspect.Type]:
    """What may stand where a document names a sort."""
    return [inspect.type_info(kind) for kind in _within(sort)] if issubclass(sort, Kind) else []


def json_schema(kind: type, reference: str = "#/$defs/{name}") -> dict[str, Any]:
    """The JSON schema of a type of document, with the schemas of every kind of every sort that it can hold."""
    sorts: list[type] = []

    def hook(sort: type) -> dict[str, Any]:
        if not issubclass(sort, Kind):
            raise NotImplementedError
        if sort not in sorts:
            sorts.append(sort)
        names = [{"$ref": reference.format(name=each.__name__)} for each in _within(sort)]
        return {"anyOf": names} if len(names) > 1 else names[0]

    known: Sequence[type] = [kind]
    while True:
        found, parts = msgspec.json.schema_components(known, schema_hook=hook, ref_template=reference)
        wanted = [kind, *(each for sort in sorts for each in sort.kinds)]  # type: ignore[attr-defined]
        if len(wanted) == len(known):
            return {**found[0], "$defs": parts}
        known = wanted
