"""Garbage is collected on the window's thread, never on a worker's."""

import gc
import shutil
import threading
import weakref
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QEvent, Qt
from PyQt6.QtWidgets import QLineEdit, QWidget

import foldbasket
from foldbasket.desktop.sentence.typed import read_typed
from foldbasket.desktop.state.workers import Worker, is_at_work
from foldbasket.desktop.widgets import collecting
from foldbasket.desktop.widgets.collecting import Collector, let_go
from foldbasket.sentence.vocabulary import Vocabulary


class Circle:
    def __init__(self):
        self.me = self


def test_circles_made_by_a_worker_are_taken_apart_by_the_windows_thread(qapp, qtbot):
    ended = []
    collector = Collector(qapp)
    collector.look()
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


def test_what_was_set_aside_is_looked_through_when_the_window_is_left(qapp, qtbot):
    collector = Collector(qapp)
    circle = Circle()
    gone = weakref.ref(circle)
    del circle
    collector.look()  # so much was loaded since that all is set aside
    assert gc.get_freeze_count() > 10_000
    gc.collect()
    assert gone() is not None
    qapp.applicationStateChanged.emit(Qt.ApplicationState.ApplicationInactive)
    qtbot.waitUntil(lambda: gone() is None, timeout=10_000)
    assert gc.get_freeze_count() > 10_000
    collector.deleteLater()
    gc.enable()


def test_who_comes_back_at_once_waits_for_nothing(qapp, qtbot, monkeypatch):
    monkeypatch.setattr(collecting, "LEFT", 50)
    looked = []
    monkeypatch.setattr(collecting, "look_through", lambda: looked.append(1))
    collector = Collector(qapp)
    qapp.applicationStateChanged.emit(Qt.ApplicationState.ApplicationInactive)
    qapp.applicationStateChanged.emit(Qt.ApplicationState.ApplicationActive)
    qtbot.wait(200)
    assert looked == []
    qapp.applicationStateChanged.emit(Qt.ApplicationState.ApplicationInactive)
    qtbot.waitUntil(lambda: bool(looked))
    collector.deleteLater()
    gc.enable()


def test_so_many_objects_that_looking_through_them_would_hold_the_window_are_set_aside(qapp, monkeypatch):
    collector = Collector(qapp)
    for _ in range(2):
        collector.look()
    monkeypatch.setattr(collecting, "MUCH", 5_000)
    before = gc.get_freeze_count()
    made = [[] for _ in range(6_000)]
    gone = weakref.ref(circle := Circle())
    del circle
    collector.look()
    assert gc.get_freeze_count() >= before + len(made)
    assert gone() is not None
    collecting.look_through()
    assert gone() is None
    collector.deleteLater()
    gc.enable()


def test_after_a_window_was_closed_all_is_looked_through_once_nobody_is_at_anything(qapp, qtbot, monkeypatch):
    looked, at_work = [], [1]
    monkeypatch.setattr(collecting, "look_through", lambda: looked.append(1))
    collector = Collector(qapp, lambda: bool(at_work))
    for _ in range(2):  # what the tests before have loaded and made
        collector.look()
    collector.much_has_gone()
    made = []
    for at in range(3 * collecting.LOOKS):  # somebody is at something, and pauses now and then
        if at % 3 == 0:
            made += [[] for _ in range(1_000)]
        collector.look()
    for _ in range(2 * collecting.LOOKS):  # somebody waits for what is at work
        collector.look()
    assert looked == []
    at_work.clear()
    for _ in range(2 * collecting.LOOKS):
        collector.look()
    assert looked == [1]
    collector.deleteLater()
    gc.enable()


def test_a_worker_is_at_work_until_its_work_is_done(qapp, qtbot):
    qtbot.waitUntil(lambda: not is_at_work())
    worker, stop = Worker("long"), threading.Event()
    worker.start(lambda progress: stop.wait(20))
    qtbot.waitUntil(is_at_work)
    worker.cancel()
    assert is_at_work(), "its thread is still at it"
    stop.set()
    qtbot.waitUntil(lambda: not is_at_work())
    worker.close()


def test_an_idle_window_makes_next_to_nothing(driver, demo, qtbot):
    driver.window.open_paths([demo])
    driver.settle()
    gc.disable()
    try:
        qtbot.wait(1_500)
        before = gc.get_count()[0]
        qtbot.wait(1_400)
        assert abs(gc.get_count()[0] - before) < 2 * collecting.QUIET
    finally:
        gc.enable()


def test_what_was_read_and_folded_goes_at_once_when_it_is_read_again(driver, demo, tmp_path):
    """Large as it is, it must not wait until garbage is looked for: what is in use then is set aside."""
    shutil.copytree(demo.parent, tmp_path / "demo")
    driver.window.open_paths([tmp_path / "demo" / demo.name])
    driver.settle()
    desk = driver.desk
    gc.collect()
    gc.disable()
    try:
        for fold in desk.basket.folds:
            desk.show_fold(fold.key)
            driver.settle()
        typed = driver.workspace
        typed.type_sentence("net by region ((")
        driver.settle()
        typed.typed.put_back()
        held = [
            weakref.ref(each)
            for each in (desk.source, desk.engine, desk.report, next(iter(desk.source.tables.values())))
        ]
        driver.act("Read all sources again")
        driver.settle()
        desk.show_fold(desk.basket.folds[0].key)
        driver.settle()
        assert [type(each()).__name__ for each in held if each() is not None] == []
    finally:
        gc.enable()


def test_names_that_could_be_said_go_at_once(driver, demo):
    driver.window.open_paths([demo])
    driver.settle()
    desk = driver.desk
    gc.disable()
    try:
        for text in ("net by region, trade only", "net by region ((", "top 3 by", ""):
            words = Vocabulary(desk.source, desk.fold, desk.basket.locale)
            _ = words.known
            read_typed(text, len(text), words, completing=True)
            gone = weakref.ref(words)
            del words
            assert gone() is None, text
    finally:
        gc.enable()


def test_nothing_else_is_deleted_later():
    for path in Path(foldbasket.__file__).parent.rglob("*.py"):
        if path.name != "collecting.py":
            assert ".deleteLater(" not in path.read_text("utf-8"), path
