"""The window: menus, questions and the start view. Builds the workspace, and imports the engine, once there is data."""

from __future__ import annotations

import contextlib
import importlib
import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QPoint, QSize, Qt, QTimer
from PyQt6.QtGui import QAction, QCursor, QGuiApplication, QKeySequence
from PyQt6.QtWidgets import QAbstractButton, QMainWindow, QMenu, QStackedWidget

from foldbasket.desktop import memory
from foldbasket.desktop.actions.action import ACTIONS, MENUS, ActionSpec
from foldbasket.desktop.actions.file import ask_and_write, open_demo, open_dialog, print_pages, save, save_as
from foldbasket.desktop.actions.fold import add_fold, rename_fold, rename_word
from foldbasket.desktop.actions.source import repoint
from foldbasket.desktop.shell.start import StartView
from foldbasket.desktop.widgets import dialogs, theme
from foldbasket.desktop.widgets.collecting import let_go, window_closed
from foldbasket.errors import BasketError, FoldBasketError

if TYPE_CHECKING:
    from foldbasket.desktop.desk import Desk
    from foldbasket.desktop.shell.helping import HelpWindow
    from foldbasket.desktop.shell.workspace import Workspace


def _import_ahead() -> None:
    """Imports what the first data will need while nobody waits for it."""

    def run() -> None:
        with contextlib.suppress(ImportError):  # said when it is needed
            importlib.import_module("foldbasket.desktop.shell.workspace")
            importlib.import_module("sqlglot")  # which the first formula shown would wait for

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
        self.start.open_wanted.connect(lambda: open_dialog(self))
        self.start.demo_wanted.connect(lambda: open_demo(self))
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
        hints = QGuiApplication.styleHints()
        if hints is not None:  # the desktop, or the user, has chosen light or dark
            hints.colorSchemeChanged.connect(self.renew_colours)

    def renew_colours(self) -> None:
        """Draws everything anew in the light or the dark set."""
        self.setStyleSheet(theme.style_sheet(theme.palette()))
        if self._workspace is not None:
            self._workspace.grid.renew()
            self._workspace.sentence.renew()
            self._workspace.card.again()
            self._workspace.spine.renew()
            self._workspace.facts.renew()
            if "proof" in self._workspace.__dict__:
                self._workspace.proof.hide()  # what it says is in the colours that were
            if self._workspace.room.chart is not None:
                self._workspace.room.chart.draw()

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
            from foldbasket.desktop.desk import Desk
            from foldbasket.desktop.shell.settings import hold_what_was_chosen
            from foldbasket.desktop.state.part import Part
            from foldbasket.folding.cubes import kernels

            hold_what_was_chosen()
            self._desk = desk = Desk(self)
            desk.failed.connect(self.say_error)
            desk.when(Part.DOCUMENT | Part.FOLD | Part.TABLES, self, self._basket_changed)
            desk.when(Part.REPORT | Part.VIEW | Part.FINDINGS, self, self._renew_actions)
            desk.files.saved.connect(self._renew_title)
            desk.files.trust_wanted.connect(self._ask_trust)
            desk.files.changed_elsewhere.connect(self._ask_changed)
            desk.password_wanted.connect(self._ask_password)
            desk.repoint_wanted.connect(lambda: repoint(self))
            desk.told.connect(self.start.working.tell)
            desk.rested.connect(self.start.working.hide)
            self.start.cancel_wanted.connect(desk.cancel)
            QTimer.singleShot(400, kernels.warm_in_background)
        return self._desk

    @property
    def is_begun(self) -> bool:
        """Whether there is anything but the start view."""
        return self._workspace is not None

    @property
    def workspace(self) -> Workspace:
        """The views, made on first use."""
        if self._workspace is None:
            from foldbasket.desktop.shell.workspace import Workspace

            self._workspace = Workspace(self.desk, self)
            self._workspace.spine.add_fold_wanted.connect(lambda: add_fold(self))
            self._workspace.spine.add_source_wanted.connect(self._offer_sources)
            self._workspace.spine.rename_fold_wanted.connect(self._rename_from_spine)
            self._workspace.grid.rename_wanted.connect(lambda: rename_word(self))
            self._workspace.print_wanted.connect(lambda: print_pages(self))
            self._workspace.write_wanted.connect(lambda ending: ask_and_write(self, ending or ".xlsx"))
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
            action.triggered.connect(lambda _=False, spec=spec: spec.run(self))
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
            "cluster": desk is not None and desk.folding.cluster is not None,
            "suggestions": desk is not None and bool(desk.supply.looker.suggestions),
        }
        reads = desk is not None and desk.view.reading
        for name, action in self.actions_by_name.items():
            spec = self._specs[name]
            action.setEnabled(there[spec.needs] and not (reads and spec.edits))
        undoable = desk.history.undoable if desk else None
        redoable = desk.history.redoable if desk else None
        for name, label in (("Undo", undoable), ("Redo", redoable)):
            action = self.actions_by_name[name]
            action.setEnabled(label is not None)
            action.setText(f"{name}: {label}" if label else name)

    def offer(self, title: str, choices: list[Any], chosen: Callable[[Any], None]) -> None:
        """Opens a list to type into, of `finder.Choice`s."""
        from foldbasket.desktop.widgets.finder import Finder

        finder = Finder(self, title, choices, chosen)
        finder.open_at(self.mapToGlobal(QPoint((self.width() - 420) // 2, 90)))

    def help(self, page: str) -> None:
        """Opens a page of the help; the guide where it speaks of what has the keyboard, of another page where that does."""
        from foldbasket.desktop.shell.helping import HelpWindow, place_for

        heading = ""
        if page == "Guide" and self._workspace is not None:
            page, heading = place_for(self._workspace, self.focusWidget())
        if self._help_window is None:
            self._help_window = HelpWindow(self)
        self._help_window.show_page(page, heading)

    def show_settings(self) -> None:
        """Opens what holds for this machine."""
        from foldbasket.desktop.shell.settings import SettingsDialog

        SettingsDialog(self).open()

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

    def _rename_from_spine(self, key: str) -> None:
        if key:
            self.desk.show_fold(key)
            rename_fold(self)

    # --- opening and leaving ------------------------------------------------

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

    def read(self, path: Path) -> None:
        """Opens a basket to be read: report, chart and pickers alone; what is picked is not kept."""
        self.desk.view.reading = self.desk.view.only_reads = True
        self.open_paths([path])

    def leaving(self, go_on: Callable[[], None]) -> None:
        """Goes on when unsaved work is saved, given up, or not there; asks which where there is any."""
        desk = self._desk
        if desk is None or not desk.history.changed or not desk.basket.sources or desk.view.only_reads:
            go_on()
            return
        answers = (dialogs.Answer("Save it", "save"), dialogs.Answer("Give it up", "give up"), dialogs.CANCEL)
        text = f"“{desk.basket.name}” has changes that are not saved."
        dialogs.ask(
            self, "Unsaved work", text, answers, lambda answer: save(self, go_on) if answer == "save" else go_on()
        )

    # --- questions ----------------------------------------------------------

    def _ask_password(self, server: Any) -> None:
        from foldbasket.baskets import passwords
        from foldbasket.desktop.source.database import keyed

        def typed(password: str) -> None:
            passwords.remember(server, password)
            self.desk.supply.retry()

        dialogs.ask_line(self, "Password", keyed(server), "", "Read the data", typed, secret=True)

    def _ask_trust(self, path: Path, outside: Sequence[str], servers: Sequence[str]) -> None:
        from foldbasket.styling.visible import visible
        from foldbasket.styling.words import number_of

        def agreed(_: str) -> None:
            from foldbasket.baskets.consent import digest

            memory.trust(digest(outside))
            self.desk.files.open_basket(path)

        text = f"“{visible(path.name)}” reads {number_of(len(outside), 'place')} outside its own folder."
        if servers:
            text += " It connects to:\n" + "\n".join(f"• {each}" for each in servers)
        answers = (dialogs.Answer("Don’t allow", ""), dialogs.Answer("Allow", "read"))
        listed = [visible(place, lines=True) for place in outside]
        dialogs.ask(self, "Allow access to other data?", text, answers, agreed, listed=listed)

    def _ask_changed(self, path: Path, with_data: bool, then: Callable[[], None] | None) -> None:
        """Somebody else has saved the basket since it was opened: both can be kept."""

        def chosen(answer: str) -> None:
            if answer == "both":
                save_as(self, with_data, then)
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
        let_go(self)  # with all that it shows: what is connected to its parts would keep it, its tables and their files

    def _leave(self) -> None:
        QTimer.singleShot(0, self.close_now)

    def close_now(self) -> None:
        """Closes it without a question about unsaved work."""
        self._leaves = True
        self.close()
        window_closed()
