"""The order of labels: compiled for many at once, and the same as one by one."""

import random

import pyarrow as pa
import pytest

from foldbasket.folding.members import collation
from foldbasket.folding.members.collation import natural_key, natural_order
from foldbasket.folding.members.domain import Domain
from foldbasket.tables.column import Dictionary
from foldbasket.tables.types import FieldType

SIGNS = "abAB01 239-éÉßåäöÅ٣zZøñ_~.İı"


def texts(seed, signs=SIGNS, many=3_000):
    draw = random.Random(seed)
    return sorted({"".join(draw.choice(signs) for _ in range(draw.randrange(9))) for _ in range(many)})


@pytest.mark.parametrize("locale", ["en", "de", "sv", "da", "tr", "hu", "es", "et"])
def test_many_texts_stand_in_the_order_of_their_keys(monkeypatch, locale):
    monkeypatch.setattr(collation, "MANY", 0)
    listed = texts(4)
    wanted = sorted(range(len(listed)), key=lambda at: natural_key(listed[at], locale))
    assert natural_order(pa.array(listed), locale).tolist() == wanted
    assert natural_order(pa.array(listed).slice(7), locale).tolist() == [at - 7 for at in wanted if at >= 7]


@pytest.mark.parametrize(
    "listed",
    [
        ["Plot 10", "Plot 9", "plot 9", "Plot 09", "Plot 9a", "Plot", "Plot 9 a"],
        ["", " ", "0", "00", "000", "1", "01", "a", "a\0", "a\1b", "a0"],
        ["9" * 400, "1" + "0" * 400, "é" * 3, "e" * 3],
        ["1" * 70_000, "2" + "0" * 69_999, "3"],
        [],
        ["one"],
    ],
)
def test_odd_texts_stand_in_the_order_of_their_keys(monkeypatch, listed):
    monkeypatch.setattr(collation, "MANY", -1)
    wanted = sorted(range(len(listed)), key=lambda at: natural_key(listed[at]))
    assert natural_order(pa.array(listed, pa.string())).tolist() == wanted


def test_ranks_among_some_members_stand_as_among_all():
    listed = texts(9)
    random.Random(1).shuffle(listed)
    whole = Domain(Dictionary(FieldType.TEXT, pa.array(listed)))
    some = [*range(3, len(listed), 40), whole.blank, whole.no_match]
    for turned in (False, True):
        among = Domain(whole.dictionary).ranks_of(pa.array(some).to_numpy(), turned=turned)
        every = whole.ranks_of(pa.array(some).to_numpy(), turned=turned)
        assert sorted(range(len(some)), key=lambda at: among[at]) == sorted(range(len(some)), key=lambda at: every[at])
        assert len(set(among.tolist())) == len(some)
