"""Work off the window's thread: what nobody waits for takes turns."""

import threading
import time
import weakref
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QObject

from foldbasket.desktop.state.workers import Worker

STEPS = 40


@pytest.fixture
def workers(qapp):
    made = [Worker(f"behind {at}", behind=True) for at in range(3)]
    yield made
    for each in made:
        each.close(wait=True)


def ended(qtbot, workers):
    qtbot.waitUntil(lambda: not any(each.busy for each in workers), timeout=20_000)


def test_what_nobody_waits_for_is_done_one_at_a_time_and_all_get_on(workers, qtbot):
    within, order, together = [0], [], []

    def work(name):
        def steps(progress):
            for step in range(STEPS):
                within[0] += 1
                time.sleep(0.001)
                together.append(within[0])
                within[0] -= 1
                order.append(name)
                progress.step("", step / STEPS)
            return name

        return steps

    for name, each in zip("abc", workers, strict=True):
        each.start(work(name))
    ended(qtbot, workers)
    assert together == [1] * 3 * STEPS
    assert order[:STEPS] != order[:1] * STEPS, "the first lets the others go as well"


def test_threads_that_help_do_not_give_the_turn_away(workers, qtbot):
    failed, results = [], []
    first, second, _ = workers
    first.failed.connect(failed.append)
    first.finished.connect(results.append)

    def helped(progress):
        with ThreadPoolExecutor(4) as pool:
            return sum(pool.map(lambda at: progress.step("", 0.5) or at, range(200)))

    first.start(helped)
    second.start(lambda progress: [progress.step("", 0.0) for _ in range(50)])
    ended(qtbot, workers)
    assert failed == []
    assert results == [sum(range(200))]


def test_work_that_waits_for_its_turn_can_be_given_up(workers, qtbot):
    first, second, _ = workers
    begun, go_on, done = threading.Event(), threading.Event(), []

    def long(_):
        begun.set()
        go_on.wait(20)

    first.start(long)
    assert begun.wait(20)
    second.start(lambda _: done.append("never"))
    second.cancel()
    second.start(lambda _: done.append("the newest"))
    time.sleep(0.1)
    assert done == []
    go_on.set()
    ended(qtbot, workers)
    assert done == ["the newest"]


def test_a_worker_may_go_with_its_window_while_its_thread_ends_its_work(qapp, qtbot):
    """A thread that told of its work by an object that went in the same moment ended the process: it knows none that can go."""
    for _ in range(20):
        window = QObject()
        begun, let_go = threading.Event(), threading.Event()

        def work(progress, begun=begun, let_go=let_go):
            begun.set()
            let_go.wait(5)
            for step in range(50):
                progress.step("on its way", step / 50)
            return "done"

        worker = Worker("goes", window)
        worker.finished.connect(lambda _: pytest.fail("nobody is there any more"))
        worker.start(work)
        assert begun.wait(5)
        here = weakref.ref(worker)
        sip.delete(window)
        del worker
        assert here() is None
        let_go.set()
        qapp.processEvents()
    qtbot.wait(50)


def test_what_work_holds_goes_in_the_windows_thread(workers, qtbot):
    class Held:
        def __del__(self):
            gone.append(threading.get_ident())

    gone = []
    kept = [Held()]
    workers[0].start(partial(lambda held, progress: None, kept.pop()))
    ended(qtbot, workers)
    qtbot.waitUntil(lambda: bool(gone), timeout=5_000)
    assert gone == [threading.get_ident()]
