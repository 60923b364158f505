"""What an action is: a function with its name, menu, key and what it needs. Menus, keys and the searchable list all read it from here.

Actions are listed before the engine is there, so their modules import what they need when they are done.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol, TypeVar

from foldbasket.registry import Kinds

MENUS = ("File", "Edit", "Fold", "Source", "View", "Help")


@dataclass(frozen=True)
class ActionSpec:
    """`run` does it, given the window. A `line` is drawn before the action in its menu. `needs` is what must be there: a fold, a report,
    a source in view, or nothing."""

    name: str
    menu: str
    run: Callable[[Any], object]
    key: str = ""
    line: bool = False
    needs: str = ""
    standing: int = 10_000
    edits: bool = False
    """Whether it has no place where a report is only read."""
    also: str = ""
    """Other words that people use for it, by which it is found."""


ACTIONS: Kinds[ActionSpec] = Kinds("action", "foldbasket.desktop.actions")

Run = TypeVar("Run", bound=Callable[[Any], object])
_counts: Counter[str] = Counter()


EDITING = ("Fold", "Source")
"""The menus whose actions change what is read."""


def action(
    name: str,
    menu: str,
    key: str = "",
    *,
    line: bool = False,
    needs: str = "",
    edits: bool | None = None,
    also: str = "",
) -> Callable[[Run], Run]:
    """Decorator: enters a function of the window as an action; those of a menu stand in the order of their file. Whether it `edits` follows from the
    menu unless it is said; `also` are other words that people use for it."""

    def enter(run: Run) -> Run:
        _counts[menu] += 1
        standing = MENUS.index(menu) * 100 + _counts[menu]
        ACTIONS.enter(
            name,
            ActionSpec(name, menu, run, key, line, needs, standing, menu in EDITING if edits is None else edits, also),
        )
        return run

    return enter


class Window(Protocol):
    """The window as actions see it."""

    @property
    def desk(self) -> Any:
        """The desk, made on first use."""

    @property
    def workspace(self) -> Any:
        """The views, made on first use."""

    def open_paths(self, paths: list[Path]) -> None:
        """Opens data or a basket."""

    def leaving(self, go_on: Callable[[], None]) -> None:
        """Goes on when unsaved work is saved, given up, or not there."""

    def say_error(self, error: Any) -> None:
        """Says what is wrong, where, and what to do."""

    def offer(self, title: str, choices: list[Any], chosen: Callable[[Any], None]) -> None:
        """Opens a list to type into."""
