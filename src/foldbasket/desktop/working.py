"""What is being done, how far it is, and a way to stop it. Imports nothing heavy, since the start view shows it too."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QSizePolicy, QWidget


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
        self.doing = QLabel(self)
        self.doing.setProperty("role", "quiet")
        self.doing.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.doing.setMinimumWidth(40)
        self.stop = QPushButton("Cancel", self)
        self.stop.setProperty("role", "link")
        self.stop.clicked.connect(self.cancel_wanted)
        line.addWidget(self.bar)
        line.addWidget(self.stop)
        line.addWidget(self.doing, 1)
        self.hide()

    def tell(self, what: str, share: float) -> None:
        """Shows what is being done and how far it is; a share of 0 that stays 0 is work of unknown length."""
        metrics = self.doing.fontMetrics()
        room = max(120, self.doing.width())
        self.doing.setText(metrics.elidedText(f"{what}…", Qt.TextElideMode.ElideMiddle, room))
        self.bar.setValue(round(share * 100))
        self.show()
