"""What somebody means who has typed a name, or part of one: which names fit, which of them best, and which is near."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterable
from decimal import Decimal
from typing import TypeVar

from foldbasket.turns import give_way

Thing = TypeVar("Thing")
BEGINS = 4
"""The last of the ranks of `fit` at which every word typed begins a word of the name."""


def fit(typed: str, name: str, more: str = "") -> int | None:
    """How well what was typed fits a name, 0 the best; None where it does not. `more` is what else a thing may be found by.

    The whole name comes first, then names that begin with it as a word, names that begin with it, names in which each word typed is a
    word, begins one, or occurs; last those found by `more`.
    """
    wanted, called = typed.casefold().split(), " ".join(re.findall(r"\w+|[^\w\s]+", name.casefold().rstrip("…")))
    if not wanted:
        return 0
    whole = " ".join(re.findall(r"\w+|[^\w\s]+", typed.casefold().strip()))
    words = called.split()
    if called == whole:
        return 0
    if called.startswith(whole):
        return 1 if called.startswith(f"{whole} ") else 2
    if all(word in words for word in wanted):
        return 3
    if all(any(each.startswith(word) for each in words) for word in wanted):
        return 4
    if all(word in name.casefold() for word in wanted):
        return 5
    if all(word in f"{name} {more}".casefold() for word in wanted):
        return 6
    return None


def fitting(
    typed: str, things: Iterable[Thing], name: Callable[[Thing], str], more: Callable[[Thing], str] = lambda _: ""
) -> list[Thing]:
    """The things that fit, the best first, those that fit alike in their own order."""
    ranked = [(fit(typed, name(each), more(each)), each) for each in things]
    return [each for rank, each in sorted(((r, t) for r, t in ranked if r is not None), key=lambda pair: pair[0])]


def near(name: str, known: Iterable[str], cutoff: float = 0.6) -> str | None:
    """The known name that somebody may have meant by one that is not known: the nearest, whatever its case; never the name itself."""
    plain: dict[str, str] = {}
    for each in known:
        if each != name and each.strip():
            plain.setdefault(each.casefold().strip(), each)
    match, best = difflib.SequenceMatcher(b=name.casefold().strip()), (cutoff, "")
    for (
        each
    ) in plain:  # as difflib's own search, but that whatever is no nearer than one found is not looked at closely
        give_way()
        match.set_seq1(each)
        if match.real_quick_ratio() >= best[0] and match.quick_ratio() >= best[0]:
            best = max(best, (match.ratio(), each))
    return plain.get(best[1])


def meant(name: str, known: Iterable[str], cutoff: float = 0.6) -> str:
    """The question whether that name was meant; empty where there is none."""
    found = near(name, known, cutoff)
    return f"Did you mean “{found}”?" if found is not None else ""


_NUMBER = re.compile(r"([-+−]?)(\d{1,3}(?:,\d{3})+|\d+)(\.\d+)?\s*(%?)")


def number_typed(said: str) -> str:
    """A number as somebody types it, as canonical text: thousands may be set apart by commas, and 15 % is 0.15. Anything else as it is."""
    found = _NUMBER.fullmatch(said.strip())
    if found is None:
        return said
    sign, whole, part, percent = found.groups()
    plain = f"{'-' if sign in ('-', '−') else ''}{whole.replace(',', '')}{part or ''}"
    return f"{Decimal(plain) / 100:f}" if percent else plain
