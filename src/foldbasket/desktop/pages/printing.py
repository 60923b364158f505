"""Printing through the desktop's own dialog: the pages as they are shown."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtPrintSupport import QPrintDialog, QPrinter, QPrinterInfo

from foldbasket.desktop.drawing.book import Book
from foldbasket.desktop.drawing.pages import Pages
from foldbasket.desktop.drawing.pdf import print_out
from foldbasket.errors import OutputError


def print_fold(window: Any) -> None:
    """Prints the report in view, once its pages are made. What cannot be printed is told, with what to do instead."""
    if not QPrinterInfo.availablePrinters():
        window.desk.failed.emit(
            OutputError("there is no printer.", todo="Set one up on this desktop, or write the pages as PDF.")
        )
        return
    window.workspace.pages.when_made(lambda pages: ask_and_print(window, pages))


def ask_and_print(window: Any, pages: Pages | Book) -> None:
    """Asks for a printer and prints pages that are made."""
    desk = window.desk
    try:
        printer = printer_for(pages)
    except OutputError as error:
        desk.failed.emit(error)
        return
    dialog = QPrintDialog(printer, window)
    dialog.setMinMax(1, len(pages))
    if dialog.exec() == QPrintDialog.DialogCode.Accepted:
        first, last = printer.fromPage(), printer.toPage()
        try:
            if printer.outputFileName():
                desk.output.guard().check(Path(printer.outputFileName()))
            print_out(printer, pages, max(0, first - 1), last or None)
            desk.news.emit(f"Printed {(last or len(pages)) - max(0, first - 1)} pages.")
        except OutputError as error:
            desk.failed.emit(error)


def printer_for(pages: Pages | Book) -> QPrinter:
    """A printer set up for the paper of some pages. Raises OutputError where the paper is too small for the report."""
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setPageLayout(pages.layout)
    printer.setFullPage(True)
    printer.setDocName(pages.report.title or pages.report.name)
    pages.sheets  # noqa: B018 - what is wrong with the paper is told before the dialog
    return printer
