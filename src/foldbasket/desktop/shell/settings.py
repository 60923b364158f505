"""The settings, in one small page: what holds for this machine, whatever basket is open. Each holds at once, or says when."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from foldbasket.desktop import memory
from foldbasket.desktop.card.controls import Chooser
from foldbasket.desktop.card.number import CURRENCIES
from foldbasket.desktop.card.settings import LOCALES, language
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import Label, link
from foldbasket.styling.words import number_of
from foldbasket.tables.reading.contract import ALLOWED, allow_memory
from foldbasket.tables.store import MOST, STORE

WIDTH = 470
CACHES = (1, 2, 4, 8, 16, 32)
"""So many gigabytes may be kept of files that were read."""
HOLDS = ("500MB", "1GB", "2GB", "4GB", "8GB", "16GB")


def _gigabytes() -> int:
    """How much may be kept of files that were read."""
    return int(memory.chosen("cache", str(MOST >> 30)))


def hold_what_was_chosen() -> None:
    """Lets the chosen bounds of memory and disk hold, from the start of the program on; what the environment says comes first."""
    if ALLOWED not in os.environ:
        with contextlib.suppress(ValueError):  # one that an earlier version kept
            allow_memory(memory.chosen("memory"))
    STORE.most = _gigabytes() << 30


class SettingsDialog(QDialog):
    """A line for each setting, with what it means beneath."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Settings")
        self.setFixedWidth(WIDTH)
        self._window: Any = window
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 16)
        column.setSpacing(10)
        title = Label("Settings of this machine", self)
        title.setProperty("role", "title")
        column.addWidget(title)
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(4)
        self._grid.setHorizontalSpacing(16)
        self._grid.setColumnStretch(1, 1)
        column.addLayout(self._grid)
        self._fill()
        column.addLayout(self._kept_line())
        closing = QHBoxLayout()
        closing.addStretch(1)
        close = QPushButton("Close", self)
        close.setProperty("role", "main")
        close.setDefault(True)
        close.clicked.connect(self.close)
        closing.addWidget(close)
        column.addLayout(closing)

    def _fill(self) -> None:
        """A line for each setting."""
        sizes = [(size, f"{size} %") for size in memory.TYPE_SIZES]
        self._line(
            "Size of everything",
            sizes,
            memory.type_size(),
            memory.keep_type_size,
            "From the next start on. Ctrl with + and − makes the report alone larger or smaller.",
        )
        self._line("Look", list(memory.APPEARANCES.items()), memory.appearance(), self._wear)
        languages = sorted(((each, language(each)) for each in LOCALES), key=lambda each: each[1])
        self._line(
            "New baskets are in",
            languages,
            memory.chosen("locale", "en"),
            partial(memory.choose, "locale"),
            "How numbers and dates are written. A basket's own stands on the card of its report.",
        )
        self._line(
            "and their currency is",
            [(each, each) for each in CURRENCIES],
            memory.chosen("currency", "EUR"),
            partial(memory.choose, "currency"),
        )
        held = [("", "what fits into half of what is free"), *((each, each) for each in HOLDS)]
        self._line(
            "Of a table is held",
            held,
            memory.chosen("memory"),
            self._hold,
            "What is larger is read part by part, whenever it is asked for. Holds for what is opened from now on.",
        )
        caches = [(each, f"{each} GB") for each in CACHES]
        self._line(
            "Kept of files read",
            caches,
            _gigabytes(),
            self._keep,
            "At most; what was not used for longest goes first.",
        )

    def _kept_line(self) -> QHBoxLayout:
        """What is kept at present, and a way to forget it."""
        self.kept = Label(self)
        self.kept.setProperty("role", "quiet")
        line = QHBoxLayout()
        line.addWidget(self.kept, 1)
        line.addWidget(link("Forget it", "Files are read anew the next time", self._forget, self))
        self._say_kept()
        return line

    def _line(
        self, label: str, choices: Sequence[tuple[Any, str]], now: Any, act: Callable[[Any], None], remark: str = ""
    ) -> None:
        """A setting with its choices; one that is not among them is added."""
        row = self._grid.rowCount()
        name, chooser = Label(label, self), Chooser(self)
        if now not in [value for value, _ in choices]:
            choices = [*choices, (now, str(now))]
        for value, text in choices:
            chooser.addItem(text, value)
        chooser.setCurrentIndex([value for value, _ in choices].index(now))
        chooser.setAccessibleName(label)
        name.setBuddy(chooser)
        chooser.activated.connect(lambda at: act(chooser.itemData(at)))
        self._grid.addWidget(name, row, 0)
        self._grid.addWidget(chooser, row, 1)
        if remark:
            said = Label(remark, self)
            said.setProperty("role", "quiet")
            said.setWordWrap(True)
            said.setContentsMargins(0, 0, 0, 8)
            self._grid.addWidget(said, row + 1, 0, 1, 2)

    def _wear(self, appearance: str) -> None:
        memory.keep_appearance(appearance)
        theme.wear(appearance)
        self._window.renew_colours()

    def _hold(self, size: str) -> None:
        memory.choose("memory", size)
        allow_memory(size)

    def _keep(self, gigabytes: int) -> None:
        memory.choose("cache", str(gigabytes))
        STORE.most = gigabytes << 30

    def _forget(self) -> None:
        STORE.clear()
        self._say_kept()

    def _say_kept(self) -> None:
        many, size = STORE.size()
        self.kept.setText(
            f"Now {size / 1e6:,.0f} MB of {number_of(many, 'table')} {'is' if many == 1 else 'are'} kept in {STORE.folder}."
            if many
            else "Nothing is kept of files at present."
        )
        self.kept.setWordWrap(True)
