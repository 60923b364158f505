"""Links proposed from the data, how well they fit, and what they would make unclear."""

import pytest

from foldbasket.errors import LinkError
from foldbasket.links.findings import link_findings
from foldbasket.links.link import Link, find_partners, match_of
from foldbasket.links.source import Source
from foldbasket.links.suggest import question_of, suggested, words
from foldbasket.tables.column import text_column
from foldbasket.tables.detection import retyped
from foldbasket.tables.mending.mend import mended
from foldbasket.tables.table import Table


def table_of(name, **columns):
    table = Table.of(name, [text_column(field, values) for field, values in columns.items()])
    for field in columns:
        table = retyped(table, table.columns[field])
    return table


@pytest.fixture
def chain():
    """Lines, orders, customers, counties and regions, each named by the one before; and a table that belongs nowhere."""
    return {
        "Order lines": table_of("Order lines", **{"Order no.": [f"Q{n // 2}" for n in range(40)], "Net": [str(n) for n in range(40)]}),
        "Orders": table_of("Orders", **{"Order no.": [f"Q{n}" for n in range(20)], "Customer no.": [f"C{n % 7}" for n in range(20)]}),
        "Customers": table_of("Customers", **{"Customer no.": [f"C{n}" for n in range(7)], "County code": [str(n % 3) for n in range(7)]}),
        "Counties": table_of("Counties", Code=["0", "1", "2"], Region=["North", "South", "North"]),
        "Regions": table_of("Regions", Region=["North", "South"], Head=["Ada", "Bo"]),
        "Weather": table_of("Weather", Day=["2026-01-01", "2026-01-02"], Rain=["1.5", "2.5"]),
    }  # fmt: skip


def ends(links):
    return {(link.from_table, link.to_table, link.keys[0]) for link in links}


def test_a_chain_of_five_tables_is_proposed_and_nothing_else(chain):
    assert ends(suggested(chain)) == {
        ("Order lines", "Orders", ("Order no.", "Order no.")),
        ("Orders", "Customers", ("Customer no.", "Customer no.")),
        ("Customers", "Counties", ("County code", "Code")),
        ("Counties", "Regions", ("Region", "Region")),
    }


def test_what_is_linked_already_is_not_proposed_again(chain):
    links = suggested(chain)
    assert suggested(chain, links) == ()
    assert set(suggested(chain, links[:2])) == set(links[2:])


def test_a_databases_own_keys_come_first(chain):
    own = Link("Order lines", "Weather", (("Net", "Rain"),))
    assert suggested(chain, (), (own,))[0] == own


def test_values_that_are_not_found_or_names_that_differ_propose_nothing():
    far = table_of("Firms", **{"Firm no.": ["1", "2", "3"]})
    assert suggested({"A": table_of("A", **{"Firm no.": ["7", "8", "9", "1"]}), "Firms": far}) == ()
    assert suggested({"A": table_of("A", Pieces=["1", "2", "3", "1"]), "Firms": far}) == ()


def test_two_paths_are_asked_about_and_circles_refused():
    a, b = Link("Lines", "Orders", (("o", "o"),)), Link("Orders", "Customers", (("c", "c"),))
    assert "two ways from “Lines” to “Customers”" in question_of((a, b), Link("Lines", "Customers", (("c", "c"),)))
    assert "circle" in question_of((a, b), Link("Customers", "Lines", (("c", "c"),)))
    assert "itself" in question_of((), Link("Lines", "Lines", (("c", "c"),)))
    assert question_of((a,), b) is None


def test_names_mean_the_same_without_case_plural_and_signs():
    assert words("Customer_IDs") == words("customer no.") == ["customer", "id"]
    assert words("countyCode") == ["county", "id"]


def test_a_match_counts_found_not_found_blank_and_repeated():
    near = table_of("Near", K=["a", "b", "b", "x", None, "c"])
    far = table_of("Far", K=["a", "b", "c", "c", "d", None])
    link = Link("Near", "Far", (("K", "K"),))
    match = match_of(link, near, far)
    assert (match.matched, match.not_found, match.blank, match.repeats) == (4, 1, 1, 1)
    assert match.repeated == (("c", 2),)
    assert match.unused == 2
    assert match.label == "1 key repeated"
    with pytest.raises(LinkError, match="turn the link round"):
        find_partners(link, near, far)


def test_a_match_over_two_keys_counts_whole_keys():
    near = table_of("Near", A=["1", "1", "2", "2"], B=["x", "y", "x", None])
    far = table_of("Far", A=["1", "2"], B=["x", "x"])
    match = match_of(Link("Near", "Far", (("A", "A"), ("B", "B"))), near, far)
    assert (match.matched, match.not_found, match.blank, match.repeats) == (2, 1, 1, 0)


def test_keys_without_partner_are_a_finding_with_the_key_that_was_meant():
    near = table_of("Lines", Code=["V0101", "VO102", "v0103", "V0999", None])
    far = table_of("Varieties", Code=["V0101", "V0102", "V0103", "V0104"])
    source = Source({"Lines": near, "Varieties": far}, (Link("Lines", "Varieties", (("Code", "Code"),)),))
    (finding,) = link_findings(source, "Lines")
    assert finding.count == 3
    assert list(finding.records()) == [1, 2, 3]
    made, outcomes = mended(near, finding.offers[0].mends)
    assert [made.columns["Code"].text(record) for record in range(5)] == ["V0101", "V0102", "V0103", "V0999", None]
    assert outcomes[0].changed == 2
