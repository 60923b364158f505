"""Work done aside: its result comes back whenever it ends, and cancelling does not wait for it."""

from __future__ import annotations

import threading
import time
from concurrent.futures import Future

import pytest

from foldbasket.errors import Cancelled
from foldbasket.tables import progress as module
from foldbasket.tables.progress import Progress


class Late(Future[int]):
    """Work whose end falls just behind a look that waited in vain."""

    def result(self, timeout: float | None = None) -> int:
        if not self.done():
            self.set_result(7)
            if timeout is not None:
                raise TimeoutError
        return super().result(timeout)


def test_a_result_that_comes_between_two_looks_is_taken(monkeypatch: pytest.MonkeyPatch) -> None:
    class Aside:
        def submit(self, work: object) -> Future[int]:
            late = Late()
            threading.Timer(0.1, lambda: late.done() or late.set_result(7)).start()
            return late

    monkeypatch.setattr(module, "_aside", Aside())
    assert Progress().meanwhile("Working", lambda: 7) == 7


def test_work_that_cannot_be_stopped_is_left_to_itself_when_cancelled():
    progress, going, gate = Progress(), threading.Event(), threading.Event()

    def work() -> int:
        going.set()
        gate.wait(10)
        return 1

    def cancel() -> None:
        going.wait(10)
        progress.cancel()

    stopper = threading.Thread(target=cancel)
    stopper.start()
    with pytest.raises(Cancelled):
        progress.meanwhile("Sorting", work)
    assert not gate.is_set()  # it was left while the work still went on
    gate.set()
    stopper.join()
    assert Progress().meanwhile("Sorting", lambda: 2) == 2
    with pytest.raises(TimeoutError):
        Progress().meanwhile("Sorting", _late)


def _late() -> None:
    time.sleep(0)
    raise TimeoutError
