"""The window: menus, dialogs and the start view. Builds the workspace, and imports the engine, once there is data."""

from __future__ import annotations

import contextlib
import importlib
import os
import re
import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QPoint, QSize, Qt, QTimer
from PyQt6.QtGui import QAction, QCursor, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFileDialog,
    QLineEdit,
    QMainWindow,
    QMenu,
    QStackedWidget,
)

from foldbasket import __version__, faults
from foldbasket.desktop.actions.actions import ACTIONS, MENUS, ActionSpec
from foldbasket.desktop.shell.start import StartView
from foldbasket.desktop.state import memory
from foldbasket.desktop.widgets import dialogs, theme
from foldbasket.errors import BasketError, FoldBasketError

if TYPE_CHECKING:
    from foldbasket.desktop.shell.helping import HelpWindow
    from foldbasket.desktop.shell.workspace import Workspace
    from foldbasket.desktop.state.desk import Desk


def kinds_to_open() -> str:
    """What can be opened, as the file dialog filters by it."""
    from foldbasket.baskets.files import ENDINGS
    from foldbasket.tables.reading.readers import endings

    return f"Data and baskets ({' '.join(f'*{ending}' for ending in (*ENDINGS, *endings()))});;All files (*)"


def kinds_to_write(shape: str = "table") -> str:
    """The formats that have a shape, as the file dialog lists them."""
    from foldbasket.outputs.formats import OUTPUTS

    return ";;".join(f"{each.label} (*{each.ending})" for each in OUTPUTS if shape in each.shapes)


def _import_ahead() -> None:
    """Imports what the first data will need while nobody waits for it."""

    def run() -> None:
        with contextlib.suppress(ImportError):  # said when it is needed
            importlib.import_module("foldbasket.desktop.shell.workspace")

    threading.Thread(target=run, name="import-ahead", daemon=True).start()


class MainWindow(QMainWindow):
    """One window, one basket."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Fold Basket")
        self._fit_screen()
        self.setAcceptDrops(True)
        self.setStyleSheet(theme.style_sheet(theme.palette()))
        self.actions_by_name: dict[str, QAction] = {}
        self._specs: dict[str, ActionSpec] = {}
        self._fill_menus()
        self.stack = QStackedWidget(self)
        self.setCentralWidget(self.stack)
        self.start = StartView(memory.recent(), self)
        self.start.open_wanted.connect(self.open_dialog)
        self.start.demo_wanted.connect(self.open_demo)
        self.start.recent_wanted.connect(lambda path: self.open_paths([path]))
        self.start.recover_wanted.connect(lambda left: self.desk.files.recover(left))
        QTimer.singleShot(0, self._offer_unsaved)
        QTimer.singleShot(300, _import_ahead)
        self.stack.addWidget(self.start)
        self._desk: Desk | None = None
        self._workspace: Workspace | None = None
        self._help_window: HelpWindow | None = None
        self._leaves = False
        self._renew_actions()

    def _fit_screen(self) -> None:
        screen = self.screen()
        room = screen.availableGeometry().size() if screen is not None else QSize(1280, 800)
        self.resize(QSize(1280, 800).boundedTo(room))

    def _offer_unsaved(self) -> None:
        """Looks for work that a crash left, once the window is on screen."""
        import platformdirs

        if any((Path(platformdirs.user_state_dir("fold-basket")) / "recovery").glob("*")):
            from foldbasket.baskets import recovery

            self.start.offer(recovery.left_over())

    # --- what is behind it --------------------------------------------------

    @property
    def desk(self) -> Desk:
        """The desk, made on first use, since it brings the engine with it."""
        if self._desk is None:
            from foldbasket.desktop.state.desk import Desk
            from foldbasket.desktop.state.part import Part
            from foldbasket.folding import kernels

            self._desk = Desk(self)
            self._desk.failed.connect(self.say_error)
            self._desk.when(Part.DOCUMENT | Part.FOLD | Part.TABLES, self, self._basket_changed)
            self._desk.when(Part.REPORT | Part.VIEW | Part.FINDINGS, self, self._renew_actions)
            self._desk.files.saved.connect(self._renew_title)
            self._desk.files.trust_wanted.connect(self._ask_trust)
            self._desk.files.changed_elsewhere.connect(self._ask_changed)
            self._desk.password_wanted.connect(self._ask_password)
            self._desk.repoint_wanted.connect(self.repoint)
            self._desk.told.connect(self.start.working.tell)
            self._desk.rested.connect(self.start.working.hide)
            self.start.cancel_wanted.connect(self._desk.cancel)
            QTimer.singleShot(400, kernels.warm_in_background)
        return self._desk

    @property
    def workspace(self) -> Workspace:
        """The fold view, made on first use."""
        if self._workspace is None:
            from foldbasket.desktop.shell.workspace import Workspace

            self._workspace = Workspace(self.desk, self)
            self._workspace.spine.add_fold_wanted.connect(self.add_fold)
            self._workspace.spine.add_source_wanted.connect(self._offer_sources)
            self._workspace.spine.rename_fold_wanted.connect(self._rename_from_spine)
            self.stack.addWidget(self._workspace)
        return self._workspace

    def _basket_changed(self) -> None:
        basket = self.desk.basket
        begun = bool(basket.sources or basket.folds)
        if begun and self.stack.currentWidget() is self.start:
            self.stack.setCurrentWidget(self.workspace)
            self.workspace.grid.setFocus()
        elif not begun:
            self.stack.setCurrentWidget(self.start)
        self._renew_title()
        self._renew_actions()

    def _renew_title(self) -> None:
        desk = self.desk
        self.setWindowTitle(f"{desk.basket.name}[*] — Fold Basket")
        self.setWindowModified(desk.history.changed and bool(desk.basket.sources))

    # --- menus --------------------------------------------------------------

    def _fill_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        menus = {name: bar.addMenu(name) for name in MENUS}
        for spec in ACTIONS:
            menu = menus[spec.menu]
            assert menu is not None
            if spec.line:
                menu.addSeparator()
            action = QAction(spec.name, self)
            if spec.key:
                keys = [QKeySequence(spec.key)]
                if spec.key == "Ctrl++":
                    keys.append(QKeySequence("Ctrl+="))
                action.setShortcuts(keys)
            action.triggered.connect(lambda _=False, spec=spec: spec.do(self))
            menu.addAction(action)
            self.actions_by_name[spec.name] = action
            self._specs[spec.name] = spec

    def _renew_actions(self) -> None:
        desk = self._desk
        there = {
            "": True,
            "basket": desk is not None and bool(desk.basket.sources or desk.basket.folds),
            "fold": desk is not None and desk.fold is not None,
            "report": desk is not None and desk.report is not None,
            "sources": desk is not None and bool(desk.basket.sources),
            "source": desk is not None and desk.spec is not None,
            "suggestions": desk is not None and bool(desk.supply.suggestions),
        }
        for name, action in self.actions_by_name.items():
            action.setEnabled(there[self._specs[name].needs])
        undoable = desk.history.undoable if desk else None
        redoable = desk.history.redoable if desk else None
        for name, label in (("Undo", undoable), ("Redo", redoable)):
            action = self.actions_by_name[name]
            action.setEnabled(label is not None)
            action.setText(f"{name}: {label}" if label else name)

    # --- opening ------------------------------------------------------------

    def open_paths(self, paths: Sequence[Path]) -> None:
        """Opens data or a basket."""
        from foldbasket.baskets.files import is_basket

        baskets = [path for path in paths if is_basket(path)]
        if not baskets:
            self.desk.files.open_paths(paths)
            return
        left = [path.name for path in paths if path != baskets[0]]
        self.leaving(lambda: self.desk.files.open_paths(baskets[:1]))
        if left:
            todo = f"Open the rest when “{baskets[0].name}” is there: {', '.join(left)}."
            self.say_error(BasketError("a window holds one basket, so only the first of these was opened.", todo=todo))

    def open_dialog(self) -> None:
        """Asks for files, by hand or by names typed in quotes, and opens them all; names that are not there are told."""
        dialog = QFileDialog(self, "Open data or a basket", "", kinds_to_open())
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)  # another one would not say what was typed
        typed = [""]
        line = dialog.findChild(QLineEdit)
        if line is not None:  # what it says when the dialog ends is another text
            line.textChanged.connect(lambda text: typed.append(text) if text else None)
        dialog.accepted.connect(lambda: self._open_chosen(dialog, typed[-1]))
        dialog.open()

    def _open_chosen(self, dialog: QFileDialog, typed: str) -> None:
        folder = Path(dialog.directory().absolutePath())
        wanted = [name for name in re.findall(r'"([^"]+)"', typed) if name.strip(" ,;")]
        missing = [name for name in wanted if not os.path.exists(folder / name)]
        # Of several names in quotes the dialog itself gives some and loses others without a word, full paths above all.
        chosen = [folder / name for name in wanted if name not in missing]
        if not wanted:
            chosen = [Path(path) for path in dialog.selectedFiles()]
        self.open_paths(chosen)
        if missing:
            listed = ", ".join(f"“{name}”" for name in missing)
            them = "it" if len(missing) == 1 else "them"
            todo = f"Look for {them} and open {them}, too; the others were opened." if chosen else f"Look for {them}."
            self.say_error(BasketError(f"{listed} {'is' if len(missing) == 1 else 'are'} not there.", todo=todo))

    def open_folder(self) -> None:
        """Asks for a folder, whose like files become one source."""
        chosen = QFileDialog.getExistingDirectory(self, "Open a folder of like files")
        if chosen:
            self.open_paths([Path(chosen)])

    def open_database(self) -> None:
        """Asks for a database and reads the chosen tables."""
        from foldbasket.desktop.source.database import DatabaseDialog

        self.database_dialog = DatabaseDialog(self)
        self.database_dialog.accepted.connect(self._read_database)
        self.database_dialog.open()

    def _read_database(self) -> None:
        dialog = self.database_dialog
        server = dialog.server()
        if server is not None:
            self.desk.sources.add_server(server, dialog.choices(), dialog.links)

    def paste_data(self) -> None:
        """Adds the block on the clipboard as a source."""
        clipboard = QApplication.clipboard()
        self.desk.sources.paste(clipboard.text() if clipboard is not None else "")

    def _offer_sources(self) -> None:
        menu = QMenu(self)
        for name in (
            "Open…",
            "Open a folder of like files…",
            "Open a database…",
            "Paste as data",
            "Use the fold as a source",
        ):
            menu.addAction(self.actions_by_name[name])
        menu.popup(QCursor.pos())

    def _ask_password(self, server: Any) -> None:
        from foldbasket.baskets import passwords
        from foldbasket.desktop.source.database import keyed

        def typed(password: str) -> None:
            passwords.remember(server, password)
            self.desk.supply.retry()

        dialogs.ask_line(self, "Password", keyed(server), "", "Read the data", typed, secret=True)

    def repoint(self) -> None:
        """Asks for the file to read in the place of the source's own."""
        chosen, _ = QFileDialog.getOpenFileName(self, "Read another file in its place", "", kinds_to_open())
        if chosen:
            self.desk.sources.repoint(Path(chosen))

    def open_demo(self) -> None:
        """Makes the demo in the user's data folder and opens it."""
        import platformdirs

        from foldbasket.demo.scenario import write_demo

        folder = Path(platformdirs.user_data_dir("fold-basket")) / "demo"
        self.leaving(lambda: self.desk.files.open_made(lambda: write_demo(folder)))

    def new_basket(self) -> None:
        """Begins anew, with the start view."""
        self.leaving(self.desk.files.begin_anew)

    def _ask_trust(self, path: Path, outside: Sequence[str]) -> None:
        listed = "\n".join(outside[:8]) + (f"\nand {len(outside) - 8} more" if len(outside) > 8 else "")

        def agreed(_: str) -> None:
            from foldbasket.baskets.consent import digest

            memory.trust(digest(outside))
            self.desk.files.open_basket(path)

        text = f"“{path.name}” reads data outside its own folder:\n\n{listed}"
        answers = (dialogs.Answer("Do not read it", ""), dialogs.Answer("Read it", "read"))
        dialogs.ask(self, "Read data elsewhere?", text, answers, agreed)

    def leaving(self, go_on: Callable[[], None]) -> None:
        """Goes on when unsaved work is saved, given up, or not there; asks which where there is any."""
        desk = self._desk
        if desk is None or not desk.history.changed or not desk.basket.sources:
            go_on()
            return
        answers = (dialogs.Answer("Save it", "save"), dialogs.Answer("Give it up", "give up"), dialogs.CANCEL)
        text = f"“{desk.basket.name}” has changes that are not saved."
        dialogs.ask(
            self, "Unsaved work", text, answers, lambda answer: self.save(go_on) if answer == "save" else go_on()
        )

    # --- saving -------------------------------------------------------------

    def save(self, then: Callable[[], None] | None = None) -> None:
        """Saves in the background; `then` goes on when it is done."""
        if self.desk.path is not None:
            self.desk.files.save(self.desk.path, then=then)
        else:
            self.save_as(then=then)

    def save_as(self, with_data: bool = False, then: Callable[[], None] | None = None) -> None:
        """Asks for a file and saves the basket to it."""
        suggested = str(self.desk.path or Path.cwd() / f"{self.desk.basket.name.lower().replace(' ', '-')}.basket")
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Save the basket", suggested, "Basket (*.basket);;Plain JSON (*.json)"
        )
        if chosen:
            path = Path(chosen)
            path = path if path.suffix else path.with_suffix(".basket")
            self.desk.files.save(path, with_data=with_data, replace=True, then=then)

    def save_with_data(self) -> None:
        self.save_as(with_data=True)

    def _ask_changed(self, path: Path, with_data: bool, then: Callable[[], None] | None) -> None:
        """Somebody else has saved the basket since it was opened: both can be kept."""

        def chosen(answer: str) -> None:
            if answer == "both":
                self.save_as(with_data, then)
            else:
                self.desk.files.save(path, with_data=with_data, replace=True, then=then)

        dialogs.ask(
            self,
            "Saved by somebody else",
            f"“{path.name}” was saved by somebody else since you opened it.",
            (dialogs.Answer("Keep both…", "both"), dialogs.Answer("Put mine in its place", "mine"), dialogs.CANCEL),
            chosen,
            "Keep both by giving yours another name, or put yours in its place; theirs is then kept as the earlier copy.",
        )

    def write_report(self) -> None:
        """Asks for a file and writes the report in view to it."""
        report = self.desk.report
        if report is None:
            return
        from foldbasket.baskets.naming import label_of

        name = label_of(self.desk.fold, self.desk.source) if self.desk.fold is not None else report.name
        name = name.replace("/", "-").replace("›", "-")
        chosen, kind = QFileDialog.getSaveFileName(self, "Write the report", f"{name}.xlsx", kinds_to_write())
        if chosen:
            path = Path(chosen)
            self.desk.output.write_report(
                path if path.suffix else path.with_suffix(kind.rpartition("*")[2].rstrip(")"))
            )

    def write_cells(self) -> None:
        """Asks for a file and writes the cells as records to it."""
        report = self.desk.report
        if report is not None:
            chosen, _ = QFileDialog.getSaveFileName(
                self, "Write cells as records", f"{report.name} cells.csv", kinds_to_write("cells")
            )
            if chosen:
                path = Path(chosen)
                self.desk.output.write_report(path if path.suffix else path.with_suffix(".csv"), "cells")

    # --- editing ------------------------------------------------------------

    def undo(self) -> None:
        self.desk.undo()

    def redo(self) -> None:
        self.desk.redo()

    def turn(self) -> None:
        self.desk.words.turn()

    def copy(self) -> None:
        focused = self.focusWidget()
        if isinstance(focused, QLineEdit):
            focused.copy()
        else:
            self.workspace.grid.copy()

    def select_all(self) -> None:
        focused = self.focusWidget()
        if isinstance(focused, QLineEdit):
            focused.selectAll()
        else:
            self.workspace.grid.select_all()

    def focus_sentence(self) -> None:
        self.workspace.sentence.focus_words()

    def focus_report(self) -> None:
        self.workspace.grid.take_keyboard()

    def find_field(self) -> None:
        self.workspace.spine.search()

    def focus_fields(self) -> None:
        self.workspace.spine.focus_fields()

    def add_fold(self) -> None:
        from foldbasket.baskets.edits import AddFold
        from foldbasket.baskets.naming import UNNAMED
        from foldbasket.spec.fold import Fold

        self.desk.do(AddFold(Fold(UNNAMED)))

    def copy_fold(self) -> None:
        from foldbasket.baskets.edits import AddFold

        if self.desk.fold is not None:
            self.desk.do(AddFold(self.desk.fold))

    def remove_fold(self) -> None:
        from foldbasket.baskets.edits import RemoveFold

        if self.desk.fold is not None:
            self.desk.do(RemoveFold(self.desk.fold.key))

    def rename_fold(self) -> None:
        from foldbasket.baskets.edits import RenameFold

        fold = self.desk.fold
        if fold is None:
            return
        key, was = fold.key, fold.name

        def named(name: str) -> None:
            if name.strip() != was:
                self.desk.do(RenameFold(key, name.strip()))

        dialogs.ask_line(self, "Rename the fold", "", was, "Rename", named)

    def _rename_from_spine(self, name: str) -> None:
        if name:
            self.desk.show_fold(name)
            self.rename_fold()

    def accept_links(self) -> None:
        self.desk.sources.accept_links()

    def trim_all(self) -> None:
        from foldbasket.tables.mending.texts import TrimSpaces

        self.desk.sources.mend(TrimSpaces())

    def drop_empty(self) -> None:
        from foldbasket.tables.mending.rows import DropEmptyRows

        self.desk.sources.mend(DropEmptyRows())

    def read_again(self) -> None:
        self.desk.supply.read_again()

    def fold_as_source(self) -> None:
        if self.desk.fold is not None:
            self.desk.sources.add_fold_source(self.desk.fold.key)

    def remove_source(self) -> None:
        from foldbasket.baskets.edits import RemoveSource

        if self.desk.spec is not None:
            self.desk.do(RemoveSource(self.desk.spec.key))

    def show_fold_view(self) -> None:
        """Brings the fold into view again."""
        folds = self.desk.basket.folds
        name = self.desk.view.fold_key or (folds[0].key if folds else None)
        if name is not None:
            self.desk.show_fold(name)
            self.workspace.grid.setFocus()

    def show_source_view(self) -> None:
        """Brings a source into view: the one that was there last, or the first."""
        if self.desk.basket.sources and self.desk.view.source_key is None:
            self.desk.show_source(self.desk.view.last_source or self.desk.basket.sources[0].key)
            self.workspace.source.preview.setFocus()

    def add_measure(self) -> None:
        self.workspace.sentence.open_finder("measures")

    def add_rows(self) -> None:
        self.workspace.sentence.open_finder("rows")

    def add_columns(self) -> None:
        self.workspace.sentence.open_finder("columns")

    def add_filter(self) -> None:
        self.workspace.sentence.open_finder("filters")

    def count_records(self) -> None:
        self.desk.words.place_count()

    def calculate(self) -> None:
        """Shows the card on which a new formula is written."""
        self.desk.ensure_fold()
        self.show_fold_view()
        self.desk.calculate()
        self.workspace.card.take_keyboard()

    def prove(self) -> None:
        """Opens the proof of the marked cell."""
        marked = self.workspace.grid.marked
        if marked is None:
            self.say_error(BasketError("no cell is marked.", todo="Click one, or go into the report with Ctrl+R."))
        else:
            self.workspace.proof.show_cell(marked.row, marked.column)

    def fold_up(self) -> None:
        """Folds the innermost open member around the marked row up."""
        self._at_mark(self.desk.members.fold_up)

    def open_group(self) -> None:
        self._at_mark(self.desk.members.open)

    def _at_mark(self, act: Callable[[Any, int], None]) -> None:
        marked, report = self.workspace.grid.marked, self.desk.report
        if marked is None or report is None:
            self.say_error(BasketError("no cell is marked.", todo="Click one, or go into the report with Ctrl+R."))
        else:
            act(report.left, marked.row)

    def fold_all(self) -> None:
        self._all_groups(True)

    def open_all(self) -> None:
        self._all_groups(False)

    def _all_groups(self, closed: bool) -> None:
        import msgspec

        from foldbasket.baskets import edits

        fold = self.desk.fold
        if fold is not None:
            rows = tuple(msgspec.structs.replace(word, closed=closed, turned=()) for word in fold.rows)
            done = f"{'Fold up' if closed else 'Open'} all groups"
            self.desk.do(edits.ChangeFold(fold.key, {"rows": rows}, done))

    def show_fold_card(self) -> None:
        """The card of the whole report."""
        self.show_fold_view()
        self.desk.select_word(None)
        self.workspace.card.take_keyboard()

    def rename_word(self) -> None:
        """Puts the keyboard on the line of the card that holds the word's heading."""
        for line in self.workspace.card.at_once().findChildren(QLineEdit):
            if line.accessibleName() in ("Heading", "Fold"):
                line.setFocus()
                line.selectAll()
                return

    def show_steps(self) -> None:
        """The list of steps; choosing one undoes or redoes up to it."""
        from foldbasket.desktop.widgets.finder import Choice, Finder

        history = self.desk.history
        choices = [
            Choice(step.label, "you are here" if at == history.position else "", at)
            for at, step in enumerate(history.steps)
        ]
        self._open_middle(Finder(self, "Go back or on to a step", choices[::-1], self.desk.go_to_step))

    def find_action(self) -> None:
        """The list of every action, to type into."""
        from foldbasket.desktop.widgets.finder import Choice, Finder

        # An action is found by its own name, never by what it would undo.
        actions = [(spec, self.actions_by_name[spec.name]) for spec in ACTIONS]
        choices = [
            Choice(action.text(), spec.key, spec.name, action.isEnabled(), spec.name)
            for spec, action in sorted(actions, key=lambda each: not each[1].isEnabled())
        ]
        self._open_middle(
            Finder(self, "Any action by name", choices, lambda name: self.actions_by_name[name].trigger())
        )

    def _open_middle(self, finder: Any) -> None:
        finder.open_at(self.mapToGlobal(QPoint((self.width() - 420) // 2, 90)))

    # --- view ---------------------------------------------------------------

    def zoom_in(self) -> None:
        self.workspace.grid.set_zoom(self.workspace.grid.zoom * 1.1)

    def zoom_out(self) -> None:
        self.workspace.grid.set_zoom(self.workspace.grid.zoom / 1.1)

    def zoom_usual(self) -> None:
        self.workspace.grid.set_zoom(1.0)

    def choose_type_size(self) -> None:
        """Offers sizes for everything in the window, apart from the zoom of the report."""
        from foldbasket.desktop.widgets.finder import Choice, Finder

        now = memory.type_size()

        def chosen(size: int) -> None:
            memory.keep_type_size(size)
            dialogs.tell(self, f"Everything at {size} %", "It holds when Fold Basket starts the next time.")

        choices = [Choice(f"{size} %", "as it is now" if size == now else "", size) for size in memory.TYPE_SIZES]
        self._open_middle(Finder(self, "How large everything is", choices, chosen))

    def turn_spine(self) -> None:
        self.workspace.turn_pane("spine")

    def turn_card(self) -> None:
        self.workspace.turn_pane("card")

    def turn_links(self) -> None:
        self.workspace.turn_pane("links")

    def turn_proof(self) -> None:
        """Proof of the marked cell; or puts it away where it is."""
        if self.workspace.proof.isVisible():
            self.workspace.show_pane("proof", False)
        else:
            self.prove()

    def pane_larger(self) -> None:
        self.workspace.nudge(24)

    def pane_smaller(self) -> None:
        self.workspace.nudge(-24)

    def full_screen(self) -> None:
        self.showNormal() if self.isFullScreen() else self.showFullScreen()

    def help_guide(self) -> None:
        self._help("Guide")

    def help_keys(self) -> None:
        self._help("Keys")

    def help_numbers(self) -> None:
        self._help("What the numbers mean")

    def help_formulas(self) -> None:
        self._help("Formulas")

    def _help(self, page: str) -> None:
        from foldbasket.desktop.shell.helping import HelpWindow

        if self._help_window is None:
            self._help_window = HelpWindow(self)
        self._help_window.show_page(page)

    def about(self) -> None:
        """Says what this is, and where faults are written."""
        dialogs.tell(
            self,
            f"Fold Basket {__version__}",
            "Pivot and crosstab reports from sales transactions.",
            "Free software under the GNU General Public License, version 3 or later.\n\n"
            f"Faults are written, without any of your data, to\n{faults.log_file()}",
        )

    def say_error(self, error: FoldBasketError) -> None:
        """Says what is wrong, where, and what to do."""
        dialogs.tell(self, error.what[:1].upper() + error.what[1:], error.todo, error.where)

    # --- keys that nothing else took ------------------------------------------

    def keyPressEvent(self, event: Any) -> None:
        focused = self.focusWidget()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(focused, QAbstractButton):
            focused.click()
        elif event.key() == Qt.Key.Key_Escape and self._workspace is not None:
            self._workspace.step_back()
        else:
            super().keyPressEvent(event)

    # --- dropping files, closing --------------------------------------------

    def dragEnterEvent(self, event: Any) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: Any) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        if paths:
            self.open_paths(paths)

    def closeEvent(self, event: Any) -> None:
        if not self._leaves:
            event.ignore()
            self.leaving(self._leave)
            return
        if self._desk is not None:
            self._desk.close()
        event.accept()

    def _leave(self) -> None:
        self._leaves = True
        QTimer.singleShot(0, self.close)
