"""The dialog for a database on a server: where it is, who asks, and which tables or query to read. Never stores a password
in the basket; the desktop's keyring keeps it if the user wishes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from foldbasket.baskets import passwords
from foldbasket.desktop.card.controls import Chooser
from foldbasket.desktop.state.workers import Worker
from foldbasket.desktop.widgets.plain import Label
from foldbasket.errors import FoldBasketError
from foldbasket.links.link import Link
from foldbasket.styling.words import number_of
from foldbasket.tables.reading.anydatabase import DIALECT
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import PORTS, Listed, Server, contents, readable

KINDS = (("postgresql", "PostgreSQL"), ("mariadb", "MariaDB"), ("other", "another, by its dialect"))
STAYS = "For tables that are too large to be read, or that must be as they are now at every fold"
STAYS_NOT = "Only PostgreSQL and MariaDB fold: how another rounds, compares and counts is not known here"


class DatabaseDialog(QDialog):
    """`choices()` and `links()` say what to read once it was accepted."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Open a database")
        self.resize(620, 560)
        self.listed: list[Listed] = []
        self._worker = Worker("database", self)
        self._worker.finished.connect(self.show_listed)
        self._worker.failed.connect(self._say)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        form.setHorizontalSpacing(14)
        column.addLayout(form)
        self.kind = Chooser(self)
        for value, label in KINDS:
            self.kind.addItem(label, value)
        self.kind.currentIndexChanged.connect(self._choose_kind)
        self.host, self.port, self.database, self.user, self.password, self.dialect = (
            QLineEdit(self) for _ in range(6)
        )
        self.dialect.setPlaceholderText("oracle, mssql+pyodbc, …")
        self.dialect.setToolTip("The name of its dialect in SQLAlchemy; the package that brings it must be installed")
        self.host.setPlaceholderText("localhost")
        self.port.setPlaceholderText(str(PORTS["postgresql"]))
        self.port.setMaximumWidth(90)
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.keep = QCheckBox("Keep the password in the desktop's keyring", self)
        place = QHBoxLayout()
        place.setSpacing(8)
        place.addWidget(self.host, 1)
        place.addWidget(Label("port", self))
        place.addWidget(self.port)
        for label, widget in (("Server", self.kind), ("Dialect", self.dialect), ("Host", place), ("Database", self.database), ("User", self.user), ("Password", self.password), ("", self.keep)):  # fmt: skip
            form.addRow(label, widget)
            if isinstance(widget, QWidget):
                widget.setAccessibleName(label or "Keep the password in the desktop's keyring")
        self.form = form
        self.host.setAccessibleName("Host")
        self.port.setAccessibleName("Port")
        self.look = QPushButton("Look what is there", self)
        self.look.clicked.connect(self.ask)
        self.told = Label(
            "Only reads; nothing in the database is ever changed. The password is not saved in the basket.", self
        )
        self.told.setProperty("role", "quiet")
        self.told.setWordWrap(True)
        asking = QHBoxLayout()
        asking.addWidget(self.look)
        asking.addWidget(self.told, 1)
        column.addLayout(asking)
        self._add_choice(column)
        self._add_buttons(column)
        self.look.setDefault(True)
        self._choose_kind()
        self._renew()

    def _choose_kind(self) -> None:
        """Asks for what the chosen kind needs."""
        kind = self.kind.currentData()
        other = kind == "other"
        self.port.setPlaceholderText(str(PORTS.get(kind, "")))
        self.host.setPlaceholderText("" if other else "localhost")
        self.form.setRowVisible(self.dialect, other)
        self.stay.setEnabled(not other)
        self.stay.setToolTip(STAYS_NOT if other else STAYS)
        if other:
            self.stay.setChecked(False)

    def _add_choice(self, column: QVBoxLayout) -> None:
        """The tables to tick, and a query instead."""
        self.tables = QListWidget(self)
        self.tables.setObjectName("members")
        self.tables.setAccessibleName("Tables and views")
        self.tables.itemChanged.connect(lambda _: self._renew())
        column.addWidget(self.tables, 1)
        asked = Label("Or a query that reads, in the database's own SQL:", self)
        column.addWidget(asked)
        self.query = QPlainTextEdit(self)
        self.query.setAccessibleName("Query")
        self.query.setPlaceholderText("SELECT region, sum(net) AS net FROM sales GROUP BY region")
        self.query.setFixedHeight(66)
        self.query.setTabChangesFocus(True)
        self.query.textChanged.connect(self._renew)
        asked.setBuddy(self.query)
        column.addWidget(self.query)

    def _add_buttons(self, column: QVBoxLayout) -> None:
        self.stay = QCheckBox("Leave the records there: the database folds them", self)
        column.addWidget(self.stay)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        cancel = QPushButton("Cancel", self)
        cancel.clicked.connect(self.reject)
        self.read = QPushButton("Read", self)
        self.read.setProperty("role", "main")
        self.read.clicked.connect(self.accept)
        buttons.addWidget(cancel)
        buttons.addWidget(self.read)
        column.addLayout(buttons)

    # --- what was chosen ------------------------------------------------------

    def server(self) -> Server | None:
        """The server as typed, or None with a word on what is missing."""
        port = self.port.text().strip()
        if port and not (port.isdigit() and 0 < int(port) < 65536):
            self._tell(f"“{port}” is not a port: type a number up to 65535, or leave it empty.", wrong=True)
            return None
        other = self.kind.currentData() == "other"
        wanted = ((self.dialect, "dialect"), (self.database, "database"))
        for line, name in wanted if other else ((self.database, "database"), (self.user, "user")):
            if not line.text().strip():
                self._tell(f"Type the name of the {name}.", wrong=True)
                line.setFocus()
                return None
        dialect = self.dialect.text().strip().lower() if other else ""
        if other and not DIALECT.fullmatch(dialect):
            self._tell(f"“{dialect}” is no dialect: type its name, and its driver behind a plus.", wrong=True)
            return None
        return Server(
            self.kind.currentData(), self.host.text().strip() or ("" if other else "localhost"), self.database.text().strip(),
            self.user.text().strip(), int(port) if port else None, dialect,
        )  # fmt: skip

    def chosen_tables(self) -> list[Listed]:
        """The tables and views that are ticked."""
        items = [self.tables.item(at) for at in range(self.tables.count())]
        return [
            self.listed[at]
            for at, item in enumerate(items)
            if item is not None and item.checkState() == Qt.CheckState.Checked
        ]

    def choices(self) -> list[tuple[str, Reading]]:
        """What to read: a name for the source, and the table or the query."""
        chosen = [(readable(each.name), Reading(table=each.name)) for each in self.chosen_tables()]
        query = self.query.toPlainText().strip()
        return [*chosen, *([("Query", Reading(query=query))] if query else [])]

    def links(self, names: Sequence[str]) -> list[Link]:
        """The foreign keys between the chosen tables as links between the sources of those names."""
        chosen = self.chosen_tables()
        name_of = {each.name: name for each, name in zip(chosen, names, strict=False)}
        return [
            Link(name_of[each.name], name_of[other], pairs)
            for each in chosen
            for other, pairs in each.links
            if other in name_of and other != each.name
        ]

    # --- asking ---------------------------------------------------------------

    def ask(self) -> None:
        """Asks the server for its tables, in the background."""
        server = self.server()
        if server is None:
            return
        password = self.password.text() or passwords.password_of(server)
        if self.password.text():
            passwords.remember(server, self.password.text(), keep=self.keep.isChecked())
        self._tell(f"Asking {server.host or server.database}…")
        self.look.setEnabled(False)
        self._worker.start(lambda progress: contents(server, password))

    def show_listed(self, listed: list[Listed]) -> None:
        """Shows what the server has, nothing ticked."""
        self.look.setEnabled(True)
        self.listed = listed
        self.tables.clear()
        for each in listed:
            kind = "view" if each.is_view else "table"
            fields = f", {number_of(len(each.fields), 'field')}" if each.fields else ""
            item = QListWidgetItem(f"{each.name}   {kind}{fields}")
            item.setToolTip(", ".join(each.fields[:30]))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.tables.addItem(item)
        self._tell(
            f"{len(listed)} tables and views. Tick those to read."
            if listed
            else "There is no table that this user may read."
        )
        self._renew()

    def tick(self, name: str) -> None:
        """Chooses a table or view to read."""
        item = self.tables.item([each.name for each in self.listed].index(name))
        if item is not None:
            item.setCheckState(Qt.CheckState.Checked)

    def _say(self, error: FoldBasketError) -> None:
        self.look.setEnabled(True)
        self._tell(f"{error.what[:1].upper()}{error.what[1:]} {error.todo}", wrong=True)

    def _tell(self, text: str, wrong: bool = False) -> None:
        self.told.setText(text)
        self.told.setProperty("role", "warning" if wrong else "quiet")
        self.told.style().polish(self.told)

    def _renew(self) -> None:
        count = len(self.choices())
        self.read.setEnabled(bool(count))
        self.read.setText(f"Read {count} sources" if count > 1 else "Read")

    def accept(self) -> None:
        server = self.server()
        if server is None:
            return
        if self.password.text():
            passwords.remember(server, self.password.text(), keep=self.keep.isChecked())
        super().accept()

    def done(self, result: int) -> None:
        self._worker.close()
        super().done(result)


def keyed(server: Any) -> str:
    """What to ask for when a password is needed."""
    return f"Password of “{server.user}” for {server.label}"
