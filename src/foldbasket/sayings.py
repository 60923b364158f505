"""How a kind is said, declared once on it: what the sentence writes, and what it reads, are both made from these.

A saying is a line of words with slots: ``"top {number:number} by {measure:measure}"``. What stands in brackets is left out where its slots
are as the kind has them by itself. A saying can stand for settings that it does not name, such as ``last=True``. What is written takes the
first saying that fits; everything that is read may use any.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property, lru_cache
from typing import Any

import msgspec

SLOT = re.compile(r"\{(\w+):(\w+)\}")


class Slot(msgspec.Struct, frozen=True):
    """A place of a saying that a setting fills. `sort` says how: number, ordinal, choice, units (a choice, of several where `count` is not 1),
    measure, word, member, field, value, values, text, numbers. One whose name begins with “_” is read and says nothing."""

    name: str
    sort: str


Piece = str | Slot


class Saying(msgspec.Struct, frozen=True, dict=True):
    """One way to say a kind, and the settings that it stands for."""

    text: str
    fixed: Mapping[str, Any]

    @cached_property
    def parts(self) -> tuple[tuple[bool, tuple[Piece, ...]], ...]:
        """Its pieces in order; of each run whether it may be left out."""
        runs = re.split(r"(\[[^\]]*\])", self.text)
        return tuple((run.startswith("["), _pieces(run.strip("[]"))) for run in runs if run)

    @cached_property
    def slots(self) -> tuple[Slot, ...]:
        """Its slots in order."""
        return tuple(piece for _, pieces in self.parts for piece in pieces if isinstance(piece, Slot))

    def forms(self) -> Iterator[tuple[Piece, ...]]:
        """Everything it can look like: with and without what may be left out."""
        found: list[tuple[Piece, ...]] = [()]
        for is_optional, pieces in self.parts:
            found = [each + more for each in found for more in (((), pieces) if is_optional and pieces else (pieces,))]
        return iter(found)

    def says(self, kind: Any) -> bool:
        """Whether it says what a kind stands for, apart from what it leaves out."""
        return all(getattr(kind, name) == value for name, value in self.fixed.items())

    def says_all(self, kind: Any) -> bool:
        """Whether it leaves nothing out: what it neither names nor stands for is as the kind has it by itself."""
        named = {slot.name for slot in self.slots} | set(self.fixed)
        return self.says(kind) and all(
            getattr(kind, name) == default for name, default in defaults(type(kind)).items() if name not in named
        )

    def pieces(self, kind: Any, *, bare: bool = False) -> list[Piece]:
        """What it looks like for a kind; `bare` leaves out whatever may be left out."""
        own = defaults(type(kind))
        return [
            piece
            for is_optional, pieces in self.parts
            if not is_optional or (not bare and any(_is_set(kind, each, own) for each in pieces))
            for piece in pieces
        ]


def _pieces(text: str) -> tuple[Piece, ...]:
    found: list[Piece] = []
    at = 0
    for match in SLOT.finditer(text):
        found += [text[at : match.start()].strip(), Slot(match[1], match[2])]
        at = match.end()
    return tuple(each for each in [*found, text[at:].strip()] if each)


def _is_set(kind: Any, piece: Piece, own: Mapping[str, Any]) -> bool:
    return isinstance(piece, Slot) and getattr(kind, piece.name, None) != own.get(piece.name)


def saying(text: str, **fixed: Any) -> Saying:
    """A way to say a kind that stands for some of its settings."""
    return Saying(text, fixed)


@lru_cache(maxsize=512)
def _own(kind: type) -> tuple[tuple[str, Any, Callable[[], Any] | None], ...]:
    """The names of those fields of a struct that have something by themselves, each with that, or with what makes it. msgspec looks the hints of all fields up
    each time that it is asked."""
    if not issubclass(kind, msgspec.Struct):
        return ()
    return tuple(
        (field.name, field.default, None if field.default is not msgspec.NODEFAULT else field.default_factory)
        for field in msgspec.structs.fields(kind)
        if not field.required and field.name != "picker"
    )


def defaults(kind: type) -> dict[str, Any]:
    """What a struct has by itself, by the names of those fields that have something."""
    return {name: value if make is None else make() for name, value, make in _own(kind)}


def saying_of(kind: Any, *, careful: bool = False) -> Saying:
    """The saying that says most of a kind: the first that leaves nothing out, of several alike the last where one is `careful`. Raises LookupError
    for a kind that has none."""
    whole = [each for each in kind.sayings if each.says_all(kind)]
    some = whole or [each for each in kind.sayings if each.says(kind)] or list(kind.sayings)
    if not some:
        raise LookupError(f"{type(kind).__name__} is not said")
    return some[-1 if careful else 0]


def said_by(kind: Any, write: Callable[[Slot, Any], str] | None = None, *, bare: bool = False) -> str:
    """A kind in words; `write` says what stands in a slot, by itself the words of a choice or the value as it is."""
    words: list[str] = []
    for piece in saying_of(kind).pieces(kind, bare=bare):
        if isinstance(piece, Slot):
            value = getattr(kind, piece.name)
            words.append(write(piece, value) if write is not None else plainly(piece, value, kind))
        else:
            words.append(piece)
    return joined(words)


def plainly(slot: Slot, value: Any, kind: Any) -> str:
    """What stands in a slot where nothing else is known of it."""
    if slot.sort == "units":
        return f"{value.said}{'s' if kind.count != 1 else ''}"
    if slot.sort == "numbers":
        return ", ".join(value)
    if slot.sort == "text":
        return f"“{value}”"
    return str(getattr(value, "said", value))


def joined(words: list[str]) -> str:
    """Words as a line, signs of punctuation close to what they follow."""
    return re.sub(r" ([,;:)])", r"\1", " ".join(word for word in words if word)).replace("( ", "(")
