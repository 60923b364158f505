"""Garbage is collected on the window's thread, never on a worker's."""

import gc
import threading
import weakref

from foldbasket.desktop.collecting import Collector
from foldbasket.desktop.workers import Worker


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
