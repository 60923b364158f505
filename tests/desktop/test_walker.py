"""A short walk of `make walker`: random gestures over demo and hostile data."""

import pytest
from PyQt6.QtWidgets import QFileDialog

from tests.desktop import walker


@pytest.mark.parametrize("seed", [1, 2])
def test_random_gestures_raise_nothing_hold_nothing_and_can_all_be_undone(qapp, demo, tmp_path, seed, monkeypatch):
    for name in ("getOpenFileName", "open", "getSaveFileName", "getExistingDirectory"):
        monkeypatch.setattr(QFileDialog, name, getattr(QFileDialog, name))
    wrong, holds = walker.walked(seed, 60, [demo] if seed % 2 else [walker.hostile(tmp_path)])
    assert wrong == []
    # The bound of 0.2 s is held by `make walker` on a quiet machine; here others work beside it.
    assert max((each[0] for each in holds), default=0) < 2.0
