"""Garbage is collected on the window's thread, never on a worker's."""

import gc
import threading
import weakref
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

import foldbasket
from foldbasket.desktop.state.workers import Worker
from foldbasket.desktop.widgets.collecting import Collector, let_go


class Circle:
    def __init__(self):
        self.me = self


def test_circles_made_by_a_worker_are_taken_apart_by_the_windows_thread(qapp, qtbot):
    ended = []
    collector = Collector(qapp)
    worker = Worker("test")

    def work(_):
        for _ in range(3_000):
            each = Circle()
            weakref.finalize(each, lambda: ended.append(threading.get_ident()))
        return len(ended)

    with qtbot.waitSignal(worker.finished, timeout=20_000) as made:
        worker.start(work)
    assert made.args == [0]
    for _ in range(5):
        collector.look()
    gc.collect()
    assert set(ended) == {threading.get_ident()}
    worker.close(wait=True)
    collector.deleteLater()
    gc.enable()


def test_what_is_to_be_deleted_stays_whole_until_it_is(qtbot):
    """A signal of a part that Python had taken apart already would end the process."""
    window, heard = QWidget(), []
    qtbot.addWidget(window)

    def made():
        card = QWidget(window)
        line = QLineEdit(card)
        line.editingFinished.connect(lambda: heard.append((line.text(), card)))  # a circle, as cards are full of
        return card

    gone = weakref.ref(card := made())
    let_go(card)
    del card
    gc.collect()
    window.findChild(QLineEdit).editingFinished.emit()
    assert [text for text, _ in heard] == [""]
    heard.clear()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    assert window.findChild(QLineEdit) is None
    qtbot.waitUntil(lambda: gc.collect() >= 0 and gone() is None)


def test_nothing_else_is_deleted_later():
    for path in Path(foldbasket.__file__).parent.rglob("*.py"):
        if path.name != "collecting.py":
            assert ".deleteLater(" not in path.read_text("utf-8"), path
