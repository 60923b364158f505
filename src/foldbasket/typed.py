"""What somebody means who has typed part of a name: which names fit, and which of them fit best."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import TypeVar

Thing = TypeVar("Thing")


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
