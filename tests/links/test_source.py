"""Sources: the base table, paths over several hops, and fields aligned to the base records."""

import pytest
from tests.folding.build import source, table

from foldbasket.errors import LinkError
from foldbasket.links.link import Link, find_partners
from foldbasket.spec.field import FieldRef

LINES = table("Lines", {"Order": [1, 1, 2, 3, None], "Item": ["a", "b", "a", "z", "a"]})
ORDERS = table("Orders", {"Order": [1, 2, 3], "Customer": ["C1", "C2", "C9"]})
CUSTOMERS = table("Customers", {"Customer": ["C2", "C1"], "County": ["North", None]})
COUNTIES = table("Counties", {"County": ["North"], "Region": ["Far"]})
ITEMS = table("Items", {"Item": ["b", "a"], "Line": ["Trees", "Herbs"]})
PLAN = table("Plan", {"Line": ["Herbs"], "Planned": [5]})
CHAIN = source(
    LINES, ORDERS, CUSTOMERS, COUNTIES, ITEMS, PLAN,
    links=[
        Link("Lines", "Orders", (("Order", "Order"),)),
        Link("Orders", "Customers", (("Customer", "Customer"),)),
        Link("Customers", "Counties", (("County", "County"),)),
        Link("Lines", "Items", (("Item", "Item"),)),
    ],
)  # fmt: skip


def members(base, table_name, field):
    aligned = CHAIN.aligned(base, FieldRef(table_name, field))
    names = {aligned.blank: "(blank)", aligned.no_match: "(no match)"}
    return [names.get(code) or aligned.dictionary.key(code) for code in aligned.codes.tolist()]


def test_fields_are_reached_over_any_number_of_hops():
    assert members("Lines", "Orders", "Customer") == ["C1", "C1", "C2", "C9", "(no match)"]
    assert members("Lines", "Customers", "County") == ["(blank)", "(blank)", "North", "(no match)", "(no match)"]
    assert members("Lines", "Counties", "Region") == ["(no match)", "(no match)", "Far", "(no match)", "(no match)"]
    assert members("Lines", "Items", "Line") == ["Herbs", "Trees", "Herbs", "(no match)", "Herbs"]
    assert members("Orders", "Customers", "County") == ["(blank)", "North", "(no match)"]


def test_the_base_is_the_finest_of_the_tables_in_use():
    assert CHAIN.base_for(["Customers"]) == "Customers"
    assert CHAIN.base_for(["Customers", "Orders"]) == "Orders"
    assert CHAIN.base_for(["Customers", "Items"]) == "Lines"
    assert CHAIN.reachable("Orders") == ("Orders", "Customers", "Counties")


def test_tables_that_no_links_join_are_refused_by_name():
    with pytest.raises(LinkError, match="no links lead from one table to “Items” and “Plan”"):
        CHAIN.base_for(["Items", "Plan"])
    with pytest.raises(LinkError, match="there is no source “Nowhere”"):
        CHAIN.base_for(["Nowhere"])
    with pytest.raises(LinkError, match="cannot be reached"):
        CHAIN.rows("Items", "Plan")


def test_keys_of_types_that_cannot_be_equal_are_refused():
    with pytest.raises(LinkError, match="“Order” is whole number, “Item” is text"):
        find_partners(Link("Lines", "Items", (("Order", "Item"),)), LINES, ITEMS)
    with pytest.raises(LinkError, match="names no key fields"):
        find_partners(Link("Lines", "Items", ()), LINES, ITEMS)


def test_links_to_and_from_empty_tables_find_nothing():
    empty = table("Empty", {"Order": [], "Item": []})
    assert find_partners(Link("Lines", "Empty", (("Item", "Item"),)), LINES, empty).tolist() == [-1] * 5
    assert find_partners(Link("Empty", "Items", (("Item", "Item"),)), empty, ITEMS).tolist() == []
