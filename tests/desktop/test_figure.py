"""A chart on paper: what matplotlib draws is drawn by Qt in the same places and colours."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPainter

from foldbasket.desktop.drawing.figure import Said, drawn_figure
from foldbasket.desktop.widgets import theme
from foldbasket.folding.engine import Engine
from foldbasket.outputs.charted import chart_picture
from foldbasket.spec.chart import Chart, Drawn
from foldbasket.spec.fold import Fold
from foldbasket.spec.look import ReportLook
from tests.folding.build import measure, placed, source, table

WIDTH, HEIGHT = 480, 320
KINDS = {kind.__struct_config__.tag: kind for kind in Drawn.kinds}


def report(drawn, style=""):
    columns = {
        "A": [name for name in ("Fen", "Marsh", "Moor", "Cliff") for _ in range(3)],
        "B": ["x", "y", "z"] * 4,
        "N": [3, 9, 4, 12, 1, 7, 6, 2, 8, 5, 11, 10],
        "M": [1, 4, 2, 8, 5, 7, 3, 6, 9, 12, 10, 11],
    }
    several = drawn in ("points",)
    measures = (measure("sum", "T.N"), measure("sum", "T.M")) if several else (measure("sum", "T.N"),)
    across = () if several else (placed("T.B"),)
    fold = Fold(
        "F", measures, (placed("T.A"),), across, chart=Chart(drawn=KINDS[drawn]()), look=ReportLook(style=style)
    )
    return Engine(source(table("T", columns))).fold(fold)


def dots(image):
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    held = image.constBits().asarray(image.sizeInBytes())
    return np.frombuffer(held, np.uint8).reshape(image.height(), image.bytesPerLine())[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)  # fmt: skip


def both(made):
    """The chart as matplotlib's own picture, and as Qt draws it; grown soft, since letters differ by a hair."""
    picture = chart_picture(made, WIDTH, HEIGHT, ground="#FFFFFF")
    pixels, wide, tall = picture.canvas.pixels()
    theirs = QImage(pixels, wide, tall, QImage.Format.Format_RGBA8888).copy()
    figure = drawn_figure(picture.canvas.done(), WIDTH, HEIGHT)
    ours = QImage(WIDTH, HEIGHT, QImage.Format.Format_RGB32)
    ours.fill(Qt.GlobalColor.white)
    painter = QPainter(ours)
    figure.paint(painter)
    painter.end()
    small = [
        each.scaled(WIDTH // 4, HEIGHT // 4, transformMode=Qt.TransformationMode.SmoothTransformation)
        for each in (theirs, ours)
    ]
    return dots(small[0]), dots(small[1]), figure


@pytest.mark.parametrize("style", ["", "newsprint"])
@pytest.mark.parametrize("drawn", sorted(KINDS))
def test_it_looks_as_matplotlibs_own_picture(qapp, drawn, style):
    theirs, ours, figure = both(report(drawn, style))
    apart = np.abs(theirs - ours).max(axis=2)
    assert (apart > 60).mean() < 0.02, "but for the edges of letters"
    assert np.abs(theirs.mean() - ours.mean()) < 3
    assert len({each.text for each in figure.parts if isinstance(each, Said)}) > 3


def test_the_windows_own_fonts_stay_as_they_are(qapp):
    before = theme.font(12).families()
    both(report("lines", "newsprint"))
    assert theme.font(12).families() == before
