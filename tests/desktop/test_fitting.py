"""Names and figures are cut only where they do not fit; what surely fits is not measured by shaping it."""

import random

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetricsF

from foldbasket.desktop.grid.figures import LETTERS, figures_of
from foldbasket.desktop.widgets import theme


@pytest.mark.parametrize("size", [9.0, 13.0, 20.0])
def test_what_is_said_to_fit_does(qapp, size):
    draw = random.Random(int(size))
    font = theme.font(size)
    metrics, fits = QFontMetricsF(font), figures_of(font).fits
    for _ in range(400):
        text = "".join(draw.choices(LETTERS, k=draw.randrange(1, 30)))
        wide = metrics.horizontalAdvance(text)
        assert not fits(text, wide * 0.97 - 2), text
        assert fits(text, wide + 2 + len(text) * size * 0.02), text
        if fits(text, wide + 2):
            assert metrics.elidedText(text, Qt.TextElideMode.ElideRight, wide + 4) == text


def test_letters_that_join_are_measured(qapp):
    assert not figures_of(theme.font(13)).fits("نص", 1_000.0)
