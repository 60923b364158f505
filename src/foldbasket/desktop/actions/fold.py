"""The menu Fold: folds themselves, their words, and the groups at the mark."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QLineEdit

from foldbasket.desktop.actions.action import Window, action
from foldbasket.desktop.actions.view import show_fold_view
from foldbasket.desktop.widgets import dialogs
from foldbasket.errors import BasketError
from foldbasket.styling.words import number_of


@action("Add a fold", "Fold", "Ctrl+Shift+N", needs="basket", also="new report pivot crosstab")
def add_fold(window: Window) -> None:
    from foldbasket.baskets.edits import AddFold
    from foldbasket.sentence.phrases import UNNAMED
    from foldbasket.spec.fold import Fold

    window.desk.do(AddFold(Fold(UNNAMED)))


@action("Copy the fold", "Fold", needs="fold", also="duplicate clone")
def copy_fold(window: Window) -> None:
    from foldbasket.baskets.edits import AddFold

    if window.desk.fold is not None:
        window.desk.do(AddFold(window.desk.fold))


@action("Copy the fold onto another source…", "Fold", needs="fold", also="duplicate reuse template same report")
def copy_onto(window: Window) -> None:
    """Offers the sources; the fold is made anew over the one that is chosen, by the names of its fields."""
    from foldbasket.desktop.widgets.finder import Choice

    desk, fold = window.desk, window.desk.fold
    if fold is None:
        return
    counts = {spec.key: desk.tables[spec.key].count for spec in desk.basket.sources if spec.key in desk.tables}
    choices = [Choice(desk.basket.source_name(key), number_of(count, "record"), key) for key, count in counts.items()]
    window.offer("Copy the fold onto", choices, lambda key: desk.words.copy_onto(fold, key))


@action("Rename the fold…", "Fold", needs="fold")
def rename_fold(window: Any) -> None:
    from foldbasket.baskets.edits import RenameFold

    fold = window.desk.fold
    if fold is None:
        return

    def named(name: str) -> None:
        if name.strip() != fold.name:
            window.desk.do(RenameFold(fold.key, name.strip()))

    dialogs.ask_line(window, "Rename the fold", "", fold.name, "Rename", named)


@action("Take the fold out", "Fold", needs="fold")
def remove_fold(window: Window) -> None:
    from foldbasket.baskets.edits import RemoveFold

    if window.desk.fold is not None:
        window.desk.do(RemoveFold(window.desk.fold.key))


@action("Add a measure…", "Fold", line=True, needs="fold", also="value sum total number aggregate")
def add_measure(window: Window) -> None:
    window.workspace.sentence.open_finder("measures")


@action("Add rows…", "Fold", needs="fold", also="dimension break down by")
def add_rows(window: Window) -> None:
    window.workspace.sentence.open_finder("rows")


@action("Add columns…", "Fold", needs="fold", also="dimension across")
def add_columns(window: Window) -> None:
    window.workspace.sentence.open_finder("columns")


@action("Add a filter…", "Fold", needs="fold", also="restrict condition where only")
def add_filter(window: Window) -> None:
    window.workspace.sentence.open_finder("filters")


@action("Count records", "Fold", needs="fold", also="number of rows lines how many")
def count_records(window: Window) -> None:
    window.desk.words.place_count()


@action(
    "Calculate a field or measure…",
    "Fold",
    "Ctrl+M",
    needs="sources",
    also="formula computed derived new column expression margin ratio",
)
def calculate(window: Window) -> None:
    """Shows the card on which a new formula is written."""
    window.desk.ensure_fold()
    show_fold_view(window)
    window.desk.calculate()
    window.workspace.card.take_keyboard()


@action("Turn rows into columns", "Fold", "Ctrl+T", line=True, needs="fold", also="swap transpose rotate flip axes")
def turn(window: Window) -> None:
    window.desk.words.turn()


@action(
    "Proof of the cell at the mark",
    "Fold",
    "Ctrl+Return",
    line=True,
    needs="report",
    edits=False,
    also="drill records behind verify check why audit",
)
def prove(window: Window) -> None:
    """Opens the proof of the marked cell."""
    marked = marked_cell(window)
    if marked is not None:
        window.workspace.proof.show_cell(marked.row, marked.column)


@action(
    "Highlight cells of the measure at the mark",
    "Fold",
    needs="report",
    also="condition conditional colour mark traffic",
)
def highlight(window: Window) -> None:
    """Of the selected measure, else of that of the marked cell; its card shows the new highlight."""
    from foldbasket.desktop.card.highlights import add_highlight

    desk, report = window.desk, window.desk.report
    fold, marked = desk.fold, window.workspace.grid.marked
    shown = [head.id for head in report.measures] if report is not None else []
    if fold is None or report is None or not shown:
        return
    measure = desk.view.word
    if measure not in shown:
        measure = shown[report.cell(marked.row, marked.column)[0]] if marked is not None else shown[0]
    desk.select_word(measure)
    add_highlight(desk, fold, measure)
    window.workspace.card.take_keyboard()


@action("One decimal more at the mark", "Fold", "Ctrl+Alt+.", needs="report", also="digits places precision")
def more_decimals(window: Window) -> None:
    _decimals(window, 1)


@action("One decimal fewer at the mark", "Fold", "Ctrl+Alt+,", needs="report", also="digits places precision round")
def fewer_decimals(window: Window) -> None:
    _decimals(window, -1)


def _decimals(window: Window, by: int) -> None:
    """Gives the measure of the marked cell a decimal more or fewer."""
    import msgspec

    from foldbasket.styling.numbers import with_decimals

    marked, report, fold = marked_cell(window), window.desk.report, window.desk.fold
    if marked is None or fold is None:
        return
    at = report.cell(marked.row, marked.column)[0]
    measure = next((each for each in fold.measures if each.id == report.measures[at].id), None)
    if measure is not None and report.is_number(at):
        number = msgspec.structs.replace(measure.number, pattern=with_decimals(report.pattern(at), by))
        window.desk.words.change(measure.id, "Change the decimals", number=number)


@action("Fold the group at the mark up", "Fold", needs="report", edits=False, also="collapse close")
def fold_up(window: Window) -> None:
    """Folds the innermost open member around the marked row up."""
    _at_mark(window, window.desk.members.fold_up)


@action("Open the group at the mark", "Fold", needs="report", edits=False, also="expand unfold")
def open_group(window: Window) -> None:
    _at_mark(window, window.desk.members.open)


@action("Fold all groups up", "Fold", needs="report", edits=False, also="collapse close summarise")
def fold_all(window: Window) -> None:
    _all_groups(window, True)


@action("Open all groups", "Fold", needs="report", edits=False, also="expand unfold")
def open_all(window: Window) -> None:
    _all_groups(window, False)


@action("Card of the whole report", "Fold", line=True, needs="fold")
def show_fold_card(window: Window) -> None:
    show_fold_view(window)
    window.desk.select_word(None)
    window.workspace.card.take_keyboard()


@action("Rename the selected word", "Fold", "F2", needs="fold", also="heading caption title label")
def rename_word(window: Any) -> None:
    """Where the heading stands in the report; on its card where that has the keyboard, or where no heading is in view."""
    from foldbasket.desktop.grid.renaming import rename_here

    card, focused = window.workspace.card.at_once(), window.focusWidget()
    on_card = focused is not None and card.isAncestorOf(focused)
    if (
        not on_card
        and window.desk.view.source_key is None
        and rename_here(window.desk, window.workspace.grid) is not None
    ):
        return
    for line in card.body.whole().findChildren(QLineEdit):
        if line.accessibleName() in ("Heading", "Fold"):
            card.body.reveal(line)
            line.setFocus()
            line.selectAll()
            return


def marked_cell(window: Window) -> Any:
    """The marked cell; says where there is none."""
    marked = window.workspace.grid.marked
    if marked is None or window.desk.report is None:
        window.say_error(BasketError("no cell is marked.", todo="Click one, or go into the report with Ctrl+R."))
        return None
    return marked


def _at_mark(window: Window, act: Callable[[Any, int], None]) -> None:
    marked = marked_cell(window)
    if marked is not None:
        act(window.desk.report.left, marked.row)


def _all_groups(window: Window, closed: bool) -> None:
    import msgspec

    from foldbasket.baskets import edits

    fold = window.desk.fold
    if fold is not None:
        changes = {
            strand: tuple(msgspec.structs.replace(word, closed=closed, turned=()) for word in words)
            for strand, words in (("rows", fold.rows), ("columns", fold.columns))
        }
        window.desk.do(edits.ChangeFold(fold.key, changes, f"{'Fold up' if closed else 'Open'} all groups"))
