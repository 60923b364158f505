"""What is being done, how far it is, and a way to stop it. Imports nothing heavy, since the start view shows it too."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QSizePolicy, QWidget

from foldbasket.desktop.widgets.plain import elided, tip


class ShortLabel(QLabel):
    """A line of text that is cut with an ellipsis where there is no room; the tool tip says all of it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._whole = ""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.setMinimumWidth(40)

    def say(self, text: str) -> None:
        """Shows a text."""
        self._whole = text
        self.setToolTip(tip(text))
        self.setAccessibleName(text)
        self._fit()

    @property
    def whole(self) -> str:
        """The text, uncut."""
        return self._whole

    def _fit(self) -> None:
        self.setText(elided(self.fontMetrics(), self._whole, max(40, self.width())))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()


class Working(QWidget):
    """Hidden while nothing is done. `cancel_wanted` says that the user wants it stopped."""

    cancel_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(10)
        self.bar = QProgressBar(self)
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(110)
        self.bar.setAccessibleName("How far the work is")
        self.doing = ShortLabel(self)
        self.doing.setProperty("role", "quiet")
        self.stop = QPushButton("Cancel", self)
        self.stop.setProperty("role", "link")
        self.stop.clicked.connect(self.cancel_wanted)
        line.addWidget(self.bar)
        line.addWidget(self.stop)
        line.addWidget(self.doing, 1)
        self.hide()

    def tell(self, what: str, share: float) -> None:
        """Shows what is being done and how far it is; a share of 0 that stays 0 is work of unknown length."""
        self.doing.say(f"{what}…")
        self.bar.setValue(round(share * 100))
        self.show()
