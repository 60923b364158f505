"""Work without looking for garbage leaves Python as it was."""

import gc

import pytest

from foldbasket.undisturbed import undisturbed


def test_garbage_is_looked_for_again_afterwards_even_when_the_work_fails():
    assert gc.isenabled()
    with undisturbed():
        assert not gc.isenabled()
        with undisturbed():
            pass
        assert not gc.isenabled()
    assert gc.isenabled()
    with pytest.raises(ZeroDivisionError), undisturbed():
        1 / 0  # noqa: B018
    assert gc.isenabled()


def test_it_stays_off_where_it_was_off():
    gc.disable()
    try:
        with undisturbed():
            pass
        assert not gc.isenabled()
    finally:
        gc.enable()
