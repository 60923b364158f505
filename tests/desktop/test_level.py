"""What was closed is gone: windows, and with them their tables and the files that those are mapped from."""

import gc
import weakref

import pytest

from tests.desktop import level


@pytest.fixture
def paths(demo):
    return [demo]


def test_a_closed_window_is_gone_with_all_that_it_showed(qtbot, demo):
    window = level.opened(demo)
    gone = [
        weakref.ref(each) for each in (window, window.desk, window.desk.report, *window.desk.source.tables.values())
    ]
    level.close(window)
    del window

    def is_gone():
        gc.collect()
        assert [each() for each in gone if each() is not None] == []

    qtbot.waitUntil(is_gone, timeout=20_000)  # a worker may still be in the middle of something


@pytest.mark.parametrize(("way", "times"), [("windows", 6), ("baskets", 10), ("undo", 80)])
def test_open_files_are_as_many_after_more_rounds(qapp, paths, way, times):
    found = level.measured(way, paths, times)
    assert len({each.handles for each in found[1:]}) <= 2
    assert found[-1].handles <= found[1].handles + 1


def test_growth_is_found(qapp):
    states = [level.State(300 + at * 4, 20) for at in range(10)]
    assert not level.is_level(states)
    assert level.is_level([level.State(300 + at % 2, 20) for at in range(10)])
    assert not level.is_level([level.State(300, 20 + at) for at in range(10)])
