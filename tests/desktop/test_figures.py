"""What is drawn with belongs to the thread that draws."""

import gc
import random
import threading

import pytest
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QImage, QPainter

from foldbasket.desktop.drawing.pages import Pages
from foldbasket.desktop.grid.figures import figures_of
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import MOST_SIGNS, elided, short
from tests.desktop.inking import inked
from tests.folding.build import fold, measure, placed, source, table


def on_a_thread(work):
    done = []
    thread = threading.Thread(target=lambda: done.append(work()))
    thread.start()
    thread.join()
    return done[0]


def drawn(pages):
    image = QImage(pages.size.toSize(), QImage.Format.Format_RGB32)
    image.fill(0xFFFFFF)
    painter = QPainter(image)
    pages.draw(painter, 0)
    painter.end()
    return image


def test_each_thread_has_figures_of_its_own(qapp):
    font = theme.font(17)
    here = figures_of(font)
    there = on_a_thread(lambda: figures_of(font))
    assert here is figures_of(font)
    assert there is not here


def test_pages_laid_out_and_drawn_on_a_thread_that_has_ended_are_drawn_on_another(qapp):
    of = source(table("T", {"a": [f"row {at}" for at in range(40)], "v": [at * 1_234 for at in range(40)]}))
    for size in range(3):
        report = fold(of, [measure("sum", "T.v")], [placed("T.a")])
        pages, before = on_a_thread(lambda report=report: (made := Pages(report).ready(), drawn(made)))
        del before
        gc.collect()
        image = drawn(pages)
        assert image == drawn(Pages(report)), size


def test_a_run_that_is_drawn_once_is_set_anew_for_each_text(qapp):
    figures = figures_of(theme.font(15))

    def dots(run):
        image = QImage(120, 40, QImage.Format.Format_RGB32)
        image.fill(0xFFFFFF)
        painter = QPainter(image)
        painter.drawGlyphRun(QPointF(110, 20), run)
        painter.end()
        return image

    for text in ("1,234", "−56.7 %", "8"):
        assert dots(figures.run_once(text)) == dots(figures.run(text))
    assert figures.run_once("twelve") is None


@pytest.mark.parametrize("text", ["AVATAR To. Wye (7) 1:1 A-B", "Member 0000017, all lines", "Ærø Žďár ÿ fi ffl -> x"])
@pytest.mark.parametrize("size", [11, 13, 20])
def test_a_name_of_glyphs_stands_as_one_that_is_drawn_as_text(qapp, text, size):
    font = theme.font(size)
    names = figures_of(font).names

    as_run = inked(font, 500, lambda painter: painter.drawGlyphRun(QPointF(10, 30), names.run(text)))
    as_text = inked(font, 500, lambda painter: painter.drawText(QPointF(10, 30 + names.base), text))
    ink = (255 - as_text).sum()
    assert ink > 10_000
    assert abs(as_run - as_text).sum() < 0.05 * ink


def test_letters_that_are_joined_or_come_from_elsewhere_are_left_to_the_ordinary_way(qapp):
    names = figures_of(theme.font(13)).names
    for text in ("日付", "سلام", "e\u0301", "क्षत्रिय", "a\tb"):
        assert names.run(text) is None


@pytest.mark.parametrize("seed", range(8))
def test_a_name_has_room_for_all_the_lines_that_qt_sets(qapp, seed):
    draw = random.Random(seed)
    words = ["Eastfen", "Süd", "at the", "W", "northern-most", "ill", "株式会社", "Æther", "AVAVAVAV", "of", "(closed)"]
    for bold in (False, True):
        font = theme.font(15)
        font.setBold(bold)
        metrics, names = QFontMetricsF(font), figures_of(font).names
        for _ in range(300):
            text = " ".join(draw.choices(words, k=draw.randint(1, 9)))
            room = draw.uniform(40, 260)
            high = metrics.boundingRect(QRectF(0, 0, room, 10_000), Qt.TextFlag.TextWordWrap, text).height()
            set_by_qt = round(high / metrics.lineSpacing())
            assert set_by_qt <= names.lines(text, room) <= set_by_qt + 2, (text, room)


def test_of_a_text_of_any_length_the_beginning_is_measured_and_drawn(qapp):
    long, names = "word " * 20_000, figures_of(theme.font()).names
    drawn = short(long)
    assert (len(drawn), drawn[:MOST_SIGNS], drawn[-1]) == (MOST_SIGNS + 1, long[:MOST_SIGNS], "…")
    assert (short("a note"), short("on\nthree\r\nlines")) == ("a note", "on three lines")
    assert names.wide(long) == names.wide(drawn)
    assert names.lines(long, 160) == names.lines(drawn, 160) < 60
    metrics = QFontMetricsF(theme.font())
    assert elided(metrics, long, 100) == elided(metrics, drawn, 100)
    assert metrics.horizontalAdvance(elided(metrics, long, 100)) <= 100
