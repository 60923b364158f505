"""The menu Edit: steps, the clipboard, and where the keyboard goes."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLineEdit

from foldbasket.desktop.actions.action import ACTIONS, Window, action


@action("Undo", "Edit", "Ctrl+Z")
def undo(window: Window) -> None:
    window.desk.undo()


@action("Redo", "Edit", "Ctrl+Shift+Z")
def redo(window: Window) -> None:
    window.desk.redo()


@action("Steps so far…", "Edit", needs="basket", also="history undo list trail")
def show_steps(window: Window) -> None:
    """The list of steps; choosing one undoes or redoes up to it."""
    from foldbasket.desktop.widgets.finder import Choice

    history = window.desk.history
    choices = [
        Choice(step.label, "you are here" if at == history.position else "", at)
        for at, step in enumerate(history.steps)
    ]
    window.offer("Go back or on to a step", choices[::-1], window.desk.go_to_step)


@action("Copy", "Edit", "Ctrl+C", line=True, needs="report")
def copy(window: Any) -> None:
    focused = window.focusWidget()
    if isinstance(focused, QLineEdit):
        focused.copy()
    else:
        window.workspace.grid.copy()


@action("Copy the report as a picture", "Edit", needs="report", also="image screenshot png")
def copy_picture(window: Any) -> None:
    """Puts a picture of the whole report on the clipboard, as its outputs draw it."""
    from foldbasket.desktop.drawing.picture import whole

    report = window.desk.report
    window.desk.output.draw(lambda: whole(report, todo="Write it as PDF or XLSX, or copy cells."))


@action("Select all cells", "Edit", "Ctrl+A", needs="report")
def select_all(window: Any) -> None:
    focused = window.focusWidget()
    if isinstance(focused, QLineEdit):
        focused.selectAll()
    else:
        window.workspace.grid.select_all()


@action("Into the sentence", "Edit", "Ctrl+L", line=True, needs="basket", edits=True)
def focus_sentence(window: Any) -> None:
    """Once onto its words, twice to type it as a whole."""
    focused = window.focusWidget()
    if focused is not None and window.workspace.sentence.isAncestorOf(focused):
        window.workspace.type_sentence()
    else:
        window.workspace.sentence.focus_words()


@action("Type the sentence", "Edit", needs="basket", edits=True, also="write query describe")
def type_sentence(window: Window) -> None:
    window.workspace.type_sentence()


@action("Copy the sentence", "Edit", needs="report")
def copy_sentence(window: Window) -> None:
    window.workspace.typed.copy_whole()


@action("Into the report", "Edit", "Ctrl+R", needs="basket")
def focus_report(window: Window) -> None:
    window.workspace.into_report()


@action("Find in the report", "Edit", "Ctrl+F", line=True, needs="basket", also="search look for")
def find_in_report(window: Window) -> None:
    """In the report; over a source, among the fields."""
    if window.desk.report is not None and window.desk.view.source_key is None:
        if window.desk.view.paged:
            window.desk.show_pages(False)
        window.workspace.finding.begin()
    else:
        find_field(window)


@action("Find a field", "Edit", "Ctrl+Shift+F", needs="basket", edits=True, also="search column")
def find_field(window: Window) -> None:
    window.workspace.spine.search()


@action("Field list", "Edit", "Ctrl+Shift+L", needs="basket", edits=True)
def focus_fields(window: Window) -> None:
    window.workspace.spine.focus_fields()


@action("Any action by name…", "Edit", "Ctrl+K")
def find_action(window: Any) -> None:
    """The list of every action, to type into."""
    from foldbasket.desktop.widgets.finder import Choice

    # An action is found by its own name, never by what it would undo.
    actions = [(spec, window.actions_by_name[spec.name]) for spec in ACTIONS]
    choices = [
        Choice(action.text(), spec.key, spec.name, action.isEnabled(), spec.name, spec.also)
        for spec, action in sorted(actions, key=lambda each: not each[1].isEnabled())
    ]
    window.offer("Any action by name", choices, lambda name: window.actions_by_name[name].trigger())
