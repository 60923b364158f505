"""What can be done with the members that are selected in the grid. The line of facts, the menu and the list of actions offer it from here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QWidget

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.chosen import Chosen
from foldbasket.desktop.widgets import dialogs
from foldbasket.folding.members.domain import BLANK, NO_MATCH
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Placed
from foldbasket.styling.words import plural


@dataclass(frozen=True)
class Deed:
    """Something to do: its name, what it does in words, and the doing."""

    name: str
    tip: str
    act: Callable[[], object]


def deeds(desk: Desk, chosen: Chosen, parent: QWidget) -> list[Deed]:
    """What can be done with the selected members, the most wanted first; what needs a question asks it over the parent."""
    work = desk.members
    placed = work.placed(chosen.word)
    if placed is None or not chosen.members:
        return []
    word, tokens = chosen.word, chosen.tokens
    made = []
    edits = not desk.view.reading
    if edits and work.can_keep(word, tokens):
        made += [
            Deed("Keep only", "Keeps only their records", lambda: work.keep_several(word, tokens, only=True)),
            Deed("Leave out", "Leaves their records out (Delete)", lambda: work.keep_several(word, tokens, only=False)),
        ]
    if edits and not placed.bands and not {BLANK, NO_MATCH} & set(tokens):
        made.append(
            Deed("Group…", "Puts them together under one name", lambda: ask_group(desk, chosen, placed, parent))
        )
    groups = work.groups_among(word, tokens)
    if edits and groups:
        made.append(Deed("Take apart", "Lets their members stand by themselves", lambda: work.take_apart(word, groups)))
    # Of innermost members, of which there may be thousands, nothing is in any.
    is_outer = chosen.field + 1 < chosen.margin.axis.depth
    for closed, name, tip in (
        (True, "Fold up", "Shows one line for each (-)"),
        (False, "Open", "Shows what is in them (+)"),
    ):
        if is_outer and any(each.has_inner and each.is_folded != closed for each in chosen.members):
            made.append(Deed(name, tip, lambda closed=closed: work.turn_several(chosen.members, closed)))  # type: ignore[misc]
    if edits and placed.first:
        done = f"Order {placed_heading(placed)} by label again"
        made.append(
            Deed("By label again", "Forgets the order by hand", lambda: desk.words.change(word, done, first=()))
        )
    return made


def ask_group(desk: Desk, chosen: Chosen, placed: Placed, parent: QWidget) -> dialogs.Dialog:
    """Asks for the name of a group of the selected members, and makes it."""
    labels, several = [each.label for each in chosen.members], plural(placed_heading(placed))
    groups = desk.members.groups_among(chosen.word, chosen.tokens)
    name = (
        groups[0] if groups else " and ".join(labels) if len(labels) < 3 else f"{labels[0]} and {len(labels) - 1} more"
    )
    word, tokens = chosen.word, chosen.tokens
    what = (
        f"{len(labels)} {several} stand as one under this name:"
        if len(labels) > 1
        else f"{labels[0]} stands under this name:"
    )
    return dialogs.ask_line(
        parent, "Group members", what, name, "Group", lambda text: desk.members.group(word, tokens, text)
    )
