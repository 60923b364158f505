"""What is kept is made once, from any thread, and never more than so many."""

import threading

import pytest

from foldbasket.kept import Kept


def test_what_was_asked_for_least_lately_goes_first() -> None:
    made: list[str] = []
    kept: Kept[str] = Kept(2)

    def of(key: str) -> str:
        return kept.get_or(key, lambda: made.append(key) or key.upper())  # type: ignore[func-returns-value]

    assert [of(key) for key in ("a", "b", "a", "c")] == ["A", "B", "A", "C"]
    assert [key in kept for key in ("a", "b", "c")] == [True, False, True]
    assert made == ["a", "b", "c"]


def test_two_threads_that_make_the_same_get_the_same_and_none_waits() -> None:
    kept: Kept[object] = Kept(2)
    both = threading.Barrier(2, timeout=20)
    got: list[object] = []

    def make() -> object:
        both.wait()  # reached only when both make at once
        return object()

    threads = [threading.Thread(target=lambda: got.append(kept.get_or("one", make))) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(got) == 2
    assert got[0] is got[1]


def test_what_fails_is_not_kept() -> None:
    kept: Kept[int] = Kept(2)
    with pytest.raises(ZeroDivisionError):
        kept.get_or("one", lambda: 1 // 0)
    assert kept.get_or("one", lambda: 1) == 1
