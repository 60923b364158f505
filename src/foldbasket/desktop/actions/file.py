"""The menu File: opening, saving, writing reports."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit

from foldbasket.desktop.actions.action import Window, action
from foldbasket.desktop.widgets.dialogs import ask_line
from foldbasket.errors import BasketError


def kinds_to_open() -> str:
    """What can be opened, as the file dialog filters by it."""
    from foldbasket.baskets.files import ENDINGS
    from foldbasket.tables.reading.readers import endings

    return f"Data and baskets ({' '.join(f'*{ending}' for ending in (*ENDINGS, *endings()))});;All files (*)"


def kinds_to_write(shape: str = "table") -> str:
    """The formats that have a shape, as the file dialog lists them."""
    from foldbasket.outputs.formats import OUTPUTS

    return ";;".join(f"{each.label} (*{each.ending})" for each in OUTPUTS if shape in each.shapes)


# --- opening ------------------------------------------------------------------


@action("Open…", "File", "Ctrl+O", also="load import file csv excel parquet")
def open_dialog(window: Any) -> None:
    """Asks for files, by hand or by names typed in quotes, and opens them all; names that are not there are told."""
    dialog = QFileDialog(window, "Open data or a basket", "", kinds_to_open())
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
    dialog.setOption(QFileDialog.Option.DontUseNativeDialog)  # another one would not say what was typed
    typed = [""]
    line = dialog.findChild(QLineEdit)
    if line is not None:  # what it says when the dialog ends is another text
        line.textChanged.connect(lambda text: typed.append(text) if text else None)
    dialog.accepted.connect(lambda: _open_chosen(window, dialog, typed[-1]))
    dialog.open()


def _open_chosen(window: Window, dialog: QFileDialog, typed: str) -> None:
    folder = Path(dialog.directory().absolutePath())
    wanted = [name for name in re.findall(r'"([^"]+)"', typed) if name.strip(" ,;")]
    missing = [name for name in wanted if not os.path.exists(folder / name)]
    # Of several names in quotes the dialog itself gives some and loses others without a word, full paths above all.
    chosen = [folder / name for name in wanted if name not in missing]
    if not wanted:
        chosen = [Path(path) for path in dialog.selectedFiles()]
    window.open_paths(chosen)
    if missing:
        listed = ", ".join(f"“{name}”" for name in missing)
        them = "it" if len(missing) == 1 else "them"
        todo = f"Look for {them} and open {them}, too; the others were opened." if chosen else f"Look for {them}."
        window.say_error(BasketError(f"{listed} {'is' if len(missing) == 1 else 'are'} not there.", todo=todo))


@action("Open a folder of like files…", "File")
def open_folder(window: Any) -> None:
    """Asks for a folder, whose like files become one source."""
    chosen = QFileDialog.getExistingDirectory(window, "Open a folder of like files")
    if chosen:
        window.open_paths([Path(chosen)])


@action("Open a database…", "File", also="sql postgres mysql mariadb sqlite connect import")
def open_database(window: Any) -> None:
    """Asks for a database and reads the chosen tables."""
    from foldbasket.desktop.source.database import DatabaseDialog

    def read() -> None:
        server = dialog.server()
        if server is not None:
            window.desk.sources.add_server(server, dialog.choices(), dialog.links, stay=dialog.stay.isChecked())

    dialog = DatabaseDialog(window)
    dialog.accepted.connect(read)
    dialog.open()


@action("Open files in an object store…", "File")
def open_objects(window: Any) -> None:
    """Asks for the address of Parquet files, whose records stay there."""
    text = "The address of Parquet files, such as s3://bucket/folder/. Where the store is and who asks is taken from the environment (AWS_ENDPOINT_URL, AWS_ACCESS_KEY_ID, …)."
    ask_line(
        window,
        "Open files in an object store",
        text,
        "s3://",
        "Open",
        lambda said: window.desk.sources.add_objects(said.strip()),
    )


@action("Paste as data", "File", "Ctrl+Shift+V", also="clipboard import")
def paste_data(window: Window) -> None:
    """Adds the block on the clipboard as a source."""
    clipboard = QApplication.clipboard()
    window.desk.sources.paste(clipboard.text() if clipboard is not None else "")


@action("Open the demo", "File")
def open_demo(window: Window) -> None:
    """Makes the demo in the user's data folder and opens it."""
    import platformdirs

    from foldbasket.demo.scenario import write_demo

    folder = Path(platformdirs.user_data_dir("fold-basket")) / "demo"
    window.leaving(lambda: window.desk.files.open_made(lambda: write_demo(folder)))


@action("New basket", "File", "Ctrl+N")
def new_basket(window: Window) -> None:
    """Begins anew, with the start view."""
    window.leaving(window.desk.files.begin_anew)


# --- saving -------------------------------------------------------------------


@action("Save", "File", "Ctrl+S", line=True, needs="basket", edits=True)
def save(window: Any, then: Callable[[], None] | None = None) -> None:
    """Saves in the background; `then` goes on when it is done."""
    if window.desk.path is not None:
        window.desk.files.save(window.desk.path, then=then)
    else:
        save_as(window, then=then)


@action("Save as…", "File", "Ctrl+Shift+S", needs="basket", edits=True)
def save_as(window: Any, with_data: bool = False, then: Callable[[], None] | None = None) -> None:
    """Asks for a file and saves the basket to it."""
    desk = window.desk
    suggested = str(desk.path or Path.cwd() / f"{desk.basket.name.lower().replace(' ', '-')}.basket")
    chosen, _ = QFileDialog.getSaveFileName(
        window, "Save the basket", suggested, "Basket (*.basket);;Plain JSON (*.json)"
    )
    if chosen:
        path = Path(chosen)
        path = path if path.suffix else path.with_suffix(".basket")
        desk.files.save(path, with_data=with_data, replace=True, then=then)


@action("Save with the data inside…", "File", needs="basket", edits=True, also="bundle embed share")
def save_with_data(window: Any) -> None:
    save_as(window, with_data=True)


# --- writing ------------------------------------------------------------------


def _file_to_write(window: Any, title: str, name: str, shape: str) -> Path | None:
    """The file that is asked for, with the ending of the chosen kind where none was typed; None where the question was left."""
    chosen, kind = QFileDialog.getSaveFileName(window, title, name, kinds_to_write(shape))
    if not chosen:
        return None
    path = Path(chosen)
    return path if path.suffix else path.with_suffix(kind.rpartition("*")[2].rstrip(")"))


@action(
    "Write the report to a file…",
    "File",
    "Ctrl+E",
    line=True,
    needs="report",
    also="export save excel xlsx csv html pdf ods",
)
def write_report(window: Any) -> None:
    """Asks for a file and writes the report in view to it."""
    ask_and_write(window, ".xlsx")


def ask_and_write(window: Any, ending: str) -> None:
    """Asks for a file, of a kind by itself, and writes the report in view to it."""
    from foldbasket.sentence.phrases import label_of

    desk = window.desk
    if desk.report is None:
        return
    name = label_of(desk.fold, desk.source) if desk.fold is not None else desk.report.name
    name = name.replace("/", "-").replace("›", "-")
    path = _file_to_write(window, "Write the report", f"{name}{ending}", "table")
    if path is not None:
        # What is seen is written. Pages list the records by themselves, and bear the chart as well.
        lists = desk.view.paged and desk.fold is not None and desk.fold.page.listing is not None
        desk.output.write_report(path, "listing" if lists and path.suffix.lower() != ".pdf" else "table")


def _write_as(window: Any, title: str, name: str, ending: str, shape: str, kinds: str = "") -> None:
    """Asks for a file for the report in view, named after it, and writes it in a shape; `kinds` are those of files, of the shape where none are
    said."""
    report = window.desk.report
    if report is None:
        return
    suggested = f"{report.name.replace('/', '-')}{name}{ending}"
    path = _file_to_write(window, title, suggested, kinds or shape)
    if path is not None:
        window.desk.output.write_report(path if path.suffix else path.with_suffix(ending), shape)


@action("Write the records of each group…", "File", needs="report")
def write_listing(window: Any) -> None:
    """Asks for a file and writes the records under the groups of the report in view, as its pages would list them."""
    _write_as(window, "Write the records of each group", " records", ".xlsx", "listing", "table")


@action("Write cells as records…", "File", needs="report", also="export unpivot flat long")
def write_cells(window: Any) -> None:
    """Asks for a file and writes the cells as records to it."""
    _write_as(window, "Write cells as records", " cells", ".csv", "cells")


@action("Write a workbook that adds up itself…", "File", needs="report")
def write_sums(window: Any) -> None:
    """Asks for a file and writes the report with totals as sums."""
    _write_as(window, "Write a workbook that adds up itself", "", ".xlsx", "sums")


@action("Write the fold as SQL for a server…", "File", needs="report")
def write_sql(window: Any) -> None:
    """Asks for a file and a server's dialect, and writes the fold as one statement."""
    from foldbasket.sql.dialects import DIALECTS

    report = window.desk.report
    if report is not None:
        kinds = {f"SQL for {each.label} (*.sql)": name for name, each in DIALECTS.items()}
        chosen, kind = QFileDialog.getSaveFileName(
            window, "Write the fold as SQL", f"{report.name}.sql", ";;".join(kinds)
        )
        if chosen:
            window.desk.output.write_report(Path(chosen).with_suffix(".sql"), kinds.get(kind, "table"))


@action("Write a file for each member…", "File", needs="report", also="export burst split separate")
def write_each(window: Any) -> None:
    """Asks for a field and a file, and writes one for each of its members, with an index."""
    from foldbasket.desktop.widgets.finder import Choice
    from foldbasket.spec.field import FieldRef
    from foldbasket.tables.types import FieldType

    desk = window.desk
    fold = desk.fold
    if fold is None or desk.report is None:
        return
    near = list(
        dict.fromkeys(
            [word.field for word in (*fold.rows, *fold.columns)]
            + [ref for rule in fold.filters for ref in rule.fields()]
        )
    )
    reached = desk.source.reachable(desk.report.base)
    every = [
        FieldRef(key, name)
        for key in reached
        for name, column in desk.source.tables[key].columns.items()
        if column.type is FieldType.TEXT
    ]
    fields = [*near, *(ref for ref in every if ref not in near)]

    def chosen(field: FieldRef) -> None:
        path = _file_to_write(
            window, f"A file for each {field.field}", f"{fold.name.replace('/', '-')} {{member}}.pdf", "table"
        )
        if path is not None:
            named = path if "{member}" in path.name else path.with_name(f"{path.stem} {{member}}{path.suffix}")
            desk.output.write_each(field, str(named))

    window.offer(
        "A file for each member of", [Choice(ref.field, desk.source.called(ref.table), ref) for ref in fields], chosen
    )


@action("Print…", "File", "Ctrl+P", line=True, needs="report", also="paper printer")
def print_pages(window: Any) -> None:
    """Prints the pages of the fold in view through the desktop's own dialog."""
    from foldbasket.desktop.pages.printing import print_fold

    print_fold(window)


@action("Clear what is kept of files", "File", also="cache empty delete")
def clear_kept(window: Any) -> None:
    """Takes out of the user's cache what is kept of files that were read, so that they open at once."""
    from foldbasket.tables.store import STORE

    many, size = STORE.clear()
    tables = f"{many:,} table{'s' if many != 1 else ''}"
    window.desk.news.emit(f"{tables}, {size / 1e6:,.1f} MB, taken out; files are read anew when they are next opened.")


@action("Quit", "File", "Ctrl+Q", line=True)
def leave(window: Any) -> None:
    window.close()
