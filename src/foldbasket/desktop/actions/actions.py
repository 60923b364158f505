"""Every action once: its name, menu, key and what it does. Menus, keys and the searchable list all read it from here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from foldbasket.registry import Kinds


@dataclass(frozen=True)
class ActionSpec:
    """`run` does it, given the window, or names the window's method that does. A `line` is drawn before the action in its menu. `needs` is what must be there:
    a fold, a report, a source in view, or nothing."""

    name: str
    menu: str
    run: str | Callable[[Any], object]
    key: str = ""
    line: bool = False
    needs: str = ""
    standing: int = 10_000

    def do(self, window: Any) -> None:
        """Does it."""
        if callable(self.run):
            self.run(window)
        else:
            getattr(window, self.run)()


ACTIONS: Kinds[ActionSpec] = Kinds("action")

_OWN = (
    ActionSpec("Open…", "File", "open_dialog", "Ctrl+O"),
    ActionSpec("Open a folder of like files…", "File", "open_folder"),
    ActionSpec("Open a database…", "File", "open_database"),
    ActionSpec("Paste as data", "File", "paste_data", "Ctrl+Shift+V"),
    ActionSpec("Open the demo", "File", "open_demo"),
    ActionSpec("New basket", "File", "new_basket", "Ctrl+N"),
    ActionSpec("Save", "File", "save", "Ctrl+S", line=True, needs="basket"),
    ActionSpec("Save as…", "File", "save_as", "Ctrl+Shift+S", needs="basket"),
    ActionSpec("Save with the data inside…", "File", "save_with_data", needs="basket"),
    ActionSpec("Write the report to a file…", "File", "write_report", "Ctrl+E", line=True, needs="report"),
    ActionSpec("Write cells as records…", "File", "write_cells", needs="report"),
    ActionSpec("Quit", "File", "close", "Ctrl+Q", line=True),
    ActionSpec("Undo", "Edit", "undo", "Ctrl+Z"),
    ActionSpec("Redo", "Edit", "redo", "Ctrl+Shift+Z"),
    ActionSpec("Steps so far…", "Edit", "show_steps", needs="basket"),
    ActionSpec("Copy", "Edit", "copy", "Ctrl+C", line=True, needs="report"),
    ActionSpec("Select all cells", "Edit", "select_all", "Ctrl+A", needs="report"),
    ActionSpec("Into the sentence", "Edit", "focus_sentence", "Ctrl+L", line=True, needs="basket"),
    ActionSpec("Into the report", "Edit", "focus_report", "Ctrl+R", needs="basket"),
    ActionSpec("Find a field", "Edit", "find_field", "Ctrl+F", needs="basket"),
    ActionSpec("Field list", "Edit", "focus_fields", "Ctrl+Shift+L", needs="basket"),
    ActionSpec("Any action by name…", "Edit", "find_action", "Ctrl+K"),
    ActionSpec("Add a fold", "Fold", "add_fold", "Ctrl+Shift+N", needs="basket"),
    ActionSpec("Copy the fold", "Fold", "copy_fold", needs="fold"),
    ActionSpec("Rename the fold…", "Fold", "rename_fold", needs="fold"),
    ActionSpec("Take the fold out", "Fold", "remove_fold", needs="fold"),
    ActionSpec("Add a measure…", "Fold", "add_measure", line=True, needs="fold"),
    ActionSpec("Add rows…", "Fold", "add_rows", needs="fold"),
    ActionSpec("Add columns…", "Fold", "add_columns", needs="fold"),
    ActionSpec("Add a filter…", "Fold", "add_filter", needs="fold"),
    ActionSpec("Count records", "Fold", "count_records", needs="fold"),
    ActionSpec("Calculate a field or measure…", "Fold", "calculate", "Ctrl+M", needs="sources"),
    ActionSpec("Turn rows into columns", "Fold", "turn", "Ctrl+T", line=True, needs="fold"),
    ActionSpec("Proof of the cell at the mark", "Fold", "prove", "Ctrl+Return", line=True, needs="report"),
    ActionSpec("Fold the group at the mark up", "Fold", "fold_up", needs="report"),
    ActionSpec("Open the group at the mark", "Fold", "open_group", needs="report"),
    ActionSpec("Fold all groups up", "Fold", "fold_all", needs="report"),
    ActionSpec("Open all groups", "Fold", "open_all", needs="report"),
    ActionSpec("Card of the whole report", "Fold", "show_fold_card", line=True, needs="fold"),
    ActionSpec("Rename the selected word", "Fold", "rename_word", "F2", needs="fold"),
    ActionSpec("Accept the suggested links", "Source", "accept_links", needs="suggestions"),
    ActionSpec("Trim spaces in all text", "Source", "trim_all", line=True, needs="source"),
    ActionSpec("Drop empty rows", "Source", "drop_empty", needs="source"),
    ActionSpec("Read another file in its place…", "Source", "repoint", line=True, needs="source"),
    ActionSpec("Read all sources again", "Source", "read_again", "F5", needs="basket"),
    ActionSpec("Use the fold as a source", "Source", "fold_as_source", line=True, needs="fold"),
    ActionSpec("Take the source out", "Source", "remove_source", needs="source"),
    ActionSpec("Fold", "View", "show_fold_view", "Ctrl+1", needs="basket"),
    ActionSpec("Source", "View", "show_source_view", "Ctrl+2", needs="sources"),
    ActionSpec("Larger", "View", "zoom_in", "Ctrl++", line=True, needs="basket"),
    ActionSpec("Smaller", "View", "zoom_out", "Ctrl+-", needs="basket"),
    ActionSpec("Usual size", "View", "zoom_usual", "Ctrl+0", needs="basket"),
    ActionSpec("Type size of everything…", "View", "choose_type_size"),
    ActionSpec("Panel of folds and fields", "View", "turn_spine", "Ctrl+Alt+1", line=True, needs="basket"),
    ActionSpec("Card", "View", "turn_card", "Ctrl+Alt+2", needs="basket"),
    ActionSpec("Proof", "View", "turn_proof", "Ctrl+J", needs="report"),
    ActionSpec("Map of links", "View", "turn_links", "Ctrl+Alt+3", needs="sources"),
    ActionSpec("Wider pane", "View", "pane_larger", "Ctrl+Alt++", needs="basket"),
    ActionSpec("Narrower pane", "View", "pane_smaller", "Ctrl+Alt+-", needs="basket"),
    ActionSpec("Full screen", "View", "full_screen", "F11", line=True),
    ActionSpec("Guide", "Help", "help_guide", "F1"),
    ActionSpec("Keys", "Help", "help_keys"),
    ActionSpec("What the numbers mean", "Help", "help_numbers"),
    ActionSpec("Formulas", "Help", "help_formulas"),
    ActionSpec("About Fold Basket", "Help", "about", line=True),
)
for _at, _own in enumerate(_OWN):
    ACTIONS.enter(_own.name, replace(_own, standing=_at))

MENUS = ("File", "Edit", "Fold", "Source", "View", "Help")
