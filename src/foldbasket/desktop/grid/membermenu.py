"""The menu over a member's heading in the grid: everything that its card offers for one member, at hand."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.depth import into_fields
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.memberwork import Seen
from foldbasket.folding.axis import plural
from foldbasket.folding.sentence import placed_heading
from foldbasket.folding.spec import Placed


def member_menu(desk: Desk, seen: Seen, parent: QWidget) -> QMenu | None:
    """The menu for one member; None where nothing can be done to it."""
    fold = desk.fold
    placed = edits.find_word(fold, seen.word) if fold is not None else None
    if fold is None or not isinstance(placed, Placed) or seen.is_gathered:
        return None
    work, several = desk.members, plural(placed_heading(placed))
    menu = QMenu(parent)

    def add(text: str, act) -> None:  # type: ignore[no-untyped-def]
        action = menu.addAction(text)
        assert action is not None
        action.triggered.connect(lambda _=False: act())

    if seen.has_inner:
        add(f"{'Open' if seen.is_folded else 'Fold up'} {seen.label}", lambda: work.turn(seen))
        add(f"Fold up all {several}", lambda: work.level(seen, True, several))
        add(f"Open all {several}", lambda: work.level(seen, False, several))
        menu.addSeparator()
    if not (placed.bands or placed.groups):
        into = menu.addMenu(f"Drill into {seen.label}")
        assert into is not None
        for (ref, part), name in into_fields(desk, placed):
            action = into.addAction(name)
            assert action is not None
            action.triggered.connect(lambda _=False, ref=ref, part=part: work.drill(seen, ref, part))
        into.setEnabled(not into.isEmpty())
        if placed.drilled:
            add("Drill back", lambda: desk.do(edits.DrillBack(fold.name, placed.id)))
        menu.addSeparator()
        add(f"Keep only {seen.label}", lambda: work.keep(seen, only=True))
        add(f"Leave {seen.label} out", lambda: work.keep(seen, only=False))
    return menu
