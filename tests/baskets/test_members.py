"""Members put in order by hand and in groups: against orders and groups made the plain way."""

import random

import pytest

from foldbasket.baskets.members import grouped, put_between, taken_apart
from foldbasket.errors import BasketError
from foldbasket.spec.cut import Group, Groups
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Placed


def shown_with(first, natural):
    """Members as a report shows them: those fixed by hand, then the others as they stand by themselves."""
    return [each for each in first if each in natural] + [each for each in natural if each not in first]


def test_members_stand_where_they_were_put_in_a_thousand_random_moves():
    draw = random.Random(5)
    natural = list("abcdefgh")
    first = ()
    for _ in range(1_000):
        shown = shown_with(first, natural)
        moved = set(draw.sample(natural, draw.randint(1, 3)))
        at = draw.randint(0, len(shown))
        before = [each for each in shown[:at] if each not in moved]
        behind = [each for each in shown[at:] if each not in moved]
        wanted = before + [each for each in shown if each in moved] + behind
        first = put_between(first, shown, moved, at)
        assert shown_with(first, natural) == wanted


def test_no_more_is_fixed_than_it_takes():
    assert put_between((), list("abcd"), {"d"}, 0) == ("d",)
    assert put_between((), list("abcd"), {"a"}, 3) == ("b", "c", "a")
    assert put_between((), list("abcd"), {"b"}, 2) == ()
    assert put_between(("x",), list("abcd"), {"d"}, 1) == ("a", "d", "x"), "what is fixed elsewhere stays so"
    assert put_between((), list("dcba"), {"a"}, 0, whole=True) == ("a", "d", "c", "b")


def site(groups=None):
    return Placed("site", FieldRef("Customers", "Site"), groups=groups)


def test_members_and_groups_are_put_together():
    coast = grouped(site(), ["Eastfen", "Saltby"], " Coast ")
    assert coast.groups == (Group("Coast", ("Eastfen", "Saltby")),)
    wider = grouped(site(coast), ["Coast", "Hythe"], "Seaside")
    assert wider.groups == (Group("Seaside", ("Eastfen", "Saltby", "Hythe")),)
    into = grouped(site(coast), ["Hythe"], "Coast")
    assert into.groups == (Group("Coast", ("Hythe", "Eastfen", "Saltby")),)
    assert taken_apart(site(wider), ["Seaside"]) is None
    assert taken_apart(site(), ["Seaside"]) is None


@pytest.mark.parametrize(("chosen", "name"), [(["a"], "  "), (["Others"], "More")])
def test_a_group_without_a_name_or_of_what_is_in_none_is_refused(chosen, name):
    with pytest.raises(BasketError):
        grouped(site(Groups((Group("Coast", ("b",)),), rest="Others")), chosen, name)
