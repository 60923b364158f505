"""An analyst's everyday questions in one line of typing each, from data just opened; see `test_walks` for mouse and keys."""

import pytest

from tests.desktop.test_walks import BEST_SELLER, NET_BY_REGION
from tests.desktop.walk import Walk

GESTURES = 3
"""Twice the key into the sentence, and the line."""


@pytest.fixture
def walk(driver, demo):
    return Walk(driver, demo)


@pytest.mark.parametrize(
    ("name", "line", "said", "height"),
    [
        ("a-line", "net by region by quarter for trade customers", NET_BY_REGION, 6),
        ("b-line", "top 1 seller by net, herbs only, in March 2026", BEST_SELLER, 2),
        (
            "c-line",
            "Net, summed and Net, summed, as % of the column for each Customer (top 10 by Net, the rest as one; largest first by Net)",
            "Net, summed and Net, summed, as % of the column for each Customer (top 10 by Net, the rest as one)",
            12,
        ),
        (
            "d-line",
            "Net, summed and Planned net, summed and Net, summed, as % change from Planned net for each Region",
            "Net, summed and Planned net, summed and Net, summed, as % change from Planned net for each Region",
            6,
        ),
    ],
)
def test_a_question_in_one_line(walk, name, line, said, height):
    walk.sentence(line)
    walk.ended(name)
    assert walk.said == said
    assert walk.report.height == height
    assert walk.gestures == GESTURES
