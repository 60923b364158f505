"""How a link fits whose near table is not held is what it is where it is held."""

import random
from decimal import Decimal

import pytest
from tests.folding.build import table
from tests.folding.streaming import streamed
from tests.rounds import seeds

from foldbasket.errors import Cancelled, LinkError
from foldbasket.links.apart import match_apart
from foldbasket.links.link import Link, match_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import parquetstream

KEYS = [
    (("No", "No"),),
    (("Site", "Site"),),
    (("Price", "No"),),
    (("Site", "Site"), ("No", "No")),
    (("No", "No"), ("Price", "Price")),
]


def both(draw):
    """Records of two tables whose keys meet here and there, some blank, some standing on several records of the far one."""

    def maybe(value):
        return None if draw.random() < 0.1 else value

    near, far = (
        {
            "No": [maybe(draw.randrange(12)) for _ in range(many)],
            "Site": [maybe(draw.choice("ABCDEFG")) for _ in range(many)],
            "Price": [maybe(Decimal(draw.randrange(8)) + Decimal(draw.choice(["0.00", "0.50"]))) for _ in range(many)],
        }
        for many in (draw.randrange(1, 90), draw.randrange(25))
    )
    return table("Near", near), table("Far", far)


@pytest.mark.parametrize("seed", seeds(10))
def test_keys_of_any_type_and_several_of_them(seed, tmp_path, monkeypatch):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    draw = random.Random(seed)
    near, far = both(draw)
    apart = streamed(near, tmp_path, draw)
    looks = []
    for pairs in KEYS:
        link = Link("Near", "Far", pairs)
        assert match_apart(link, apart, far, Progress(), lambda: looks.append(1)) == match_of(link, near, far), pairs
    assert len(looks) >= len(KEYS)


def test_what_cannot_be_matched_is_told_and_a_look_can_be_given_up(tmp_path):
    draw = random.Random(3)
    near, far = both(draw)
    apart = streamed(near, tmp_path, draw)
    with pytest.raises(LinkError, match="their values cannot be equal"):
        match_apart(Link("Near", "Far", (("Site", "No"),)), apart, far, Progress())
    stopped = Progress()
    stopped.cancel()
    with pytest.raises(Cancelled):
        match_apart(Link("Near", "Far", KEYS[0]), apart, far, stopped)
