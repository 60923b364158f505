"""The thread that goes first: others stand still between their steps while it is at something, for a while."""

import threading
import time

import pytest

from foldbasket import turns


@pytest.fixture
def first():
    yield turns.go_first
    turns.go_first(wanted=False)


def stepping(steps, stop):
    """A thread that counts its steps."""

    def run():
        while not stop.is_set():
            turns.give_way()
            steps.append(time.perf_counter())
            time.sleep(0.0002)

    made = threading.Thread(target=run)
    made.start()
    return made


def rest(seconds):
    time.sleep(seconds)


def steps_while(do):
    """How many steps another thread makes while this one does something."""
    steps, stop = [], threading.Event()
    thread = stepping(steps, stop)
    try:
        rest(0.01)
        before = len(steps)
        do()
        return len(steps) - before
    finally:
        stop.set()
        thread.join()


def at_work(seconds):
    end = time.perf_counter() + seconds
    while time.perf_counter() < end:
        sum(range(1000))


def test_steps_wait_for_the_thread_that_goes_first_and_not_while_it_rests(first):
    first()
    # On a machine that takes the processor away this thread is not at work either; once in a few times it is left alone.
    assert min(steps_while(lambda: at_work(turns.MOST / 2)) for _ in range(8)) <= 2
    assert steps_while(lambda: rest(0.3)) > 5


def test_nobody_stands_still_for_ever(first):
    first()
    assert steps_while(lambda: at_work(4 * turns.MOST)) > 5


def test_where_none_goes_first_nothing_waits_and_neither_does_the_first_itself(first, monkeypatch):
    assert steps_while(lambda: at_work(0.3)) > 5
    first()
    monkeypatch.setattr(turns.time, "sleep", lambda seconds: pytest.fail("it stood still"))
    turns.give_way()
