"""A chain of five tables with only the suggested links, folded by its far end, against plain SQL in SQLite.

Lines, orders, customers, counties, regions; freight is held once per order. Some keys find no partner.
"""

import random
import sqlite3
from decimal import Decimal

import pytest

from foldbasket.folding.engine import Engine
from foldbasket.folding.lines.axis import Kind
from foldbasket.links.link import match_of
from foldbasket.links.source import Source
from foldbasket.links.suggest import suggested
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.reading.readers import read_table

FILES = ("order_lines", "orders", "customers", "counties", "regions", "varieties")
NAMES = {"order_lines": "Order lines", "orders": "Orders", "customers": "Customers", "counties": "Counties", "regions": "Regions", "varieties": "Varieties"}  # fmt: skip


@pytest.fixture(scope="module")
def chain(tmp_path_factory):
    """The tables as files and, independently, in SQLite with money as whole cents."""
    folder = tmp_path_factory.mktemp("chain")
    draw = random.Random(11)
    rows = {
        "regions": [("Region", "Head")] + [(f"R{n}", f"Head {n}") for n in range(4)],
        "counties": [("County code", "Region")] + [(f"K{n:02d}", f"R{n % 4}") for n in range(12)],
        "customers": [("Customer no.", "County code")] + [(f"C{n}", f"K{draw.randrange(13):02d}" if n % 9 else "") for n in range(60)],
        "orders": [("Order no.", "Customer no.", "Freight")] + [(f"Q{n}", f"C{draw.randrange(62)}", f"{draw.randrange(2000) / 100:.2f}") for n in range(400)],
        "varieties": [("Variety code", "Line")] + [(f"V{n}", f"Line {n % 5}") for n in range(30)],
        "order_lines": [("Order no.", "Line no.", "Variety code", "Net")]
        + [(f"Q{n // 3 if n % 50 else 9999}", n, f"V{draw.randrange(31)}", f"{draw.randrange(-500, 9000) / 100:.2f}") for n in range(1200)],
    }  # fmt: skip
    db = sqlite3.connect(":memory:")
    for stem, lines in rows.items():
        (folder / f"{stem}.csv").write_text("\n".join(",".join(map(str, line)) for line in lines) + "\n")
        db.execute(f"CREATE TABLE {stem} ({', '.join(chr(34) + name + chr(34) for name in lines[0])})")
        for line in lines[1:]:
            stored = [round(float(value) * 100) if name in ("Net", "Freight") else value or None for name, value in zip(lines[0], line, strict=True)]  # fmt: skip
            db.execute(f"INSERT INTO {stem} VALUES ({', '.join('?' * len(line))})", stored)
    tables = {NAMES[stem]: read_table(folder / f"{stem}.csv", NAMES[stem]) for stem in FILES}
    return tables, suggested(tables), db


JOINED = """order_lines l LEFT JOIN orders o ON l."Order no." = o."Order no."
 LEFT JOIN customers c ON o."Customer no." = c."Customer no." LEFT JOIN counties k ON c."County code" = k."County code"
 LEFT JOIN regions r ON k."Region" = r."Region" LEFT JOIN varieties v ON l."Variety code" = v."Variety code" """


def folded(tables, links, measure, *rows):
    placed = tuple(Placed(f"r{at}", FieldRef(*row)) for at, row in enumerate(rows))
    report = Engine(Source(tables, links)).fold(Fold("F", measures=(measure,), rows=placed))
    found = {}
    for line in range(report.height):
        if report.rows.kind[line] == Kind.GRAND:
            found["Everything"] = report.value(line, 0)
        elif report.rows.level[line] == len(rows):
            key = report.rows.key(line, 0)
            found[key if key is not None else report.rows.label(line, 0)] = report.value(line, 0)
    return found


def cents(value):
    return None if value is None else Decimal(value).scaleb(-2)


def test_only_the_suggested_links_join_the_chain(chain):
    _, links, _ = chain
    assert {(link.from_table, link.to_table) for link in links} == {
        ("Order lines", "Orders"), ("Order lines", "Varieties"), ("Orders", "Customers"), ("Customers", "Counties"), ("Counties", "Regions"),
    }  # fmt: skip


def test_net_by_the_head_of_the_region_is_what_sql_says(chain):
    tables, links, db = chain
    report = folded(tables, links, Measure("net", "sum", FieldRef("Order lines", "Net")), ("Regions", "Head"))
    wanted = dict(db.execute(f'SELECT coalesce(r."Head", "(no match)"), sum(l."Net") FROM {JOINED} GROUP BY 1'))
    assert report == {**{key: cents(value) for key, value in wanted.items()}, "Everything": cents(sum(wanted.values()))}
    assert "(no match)" in report


def test_freight_by_variety_line_counts_each_order_once_per_cell_and_once_in_the_total(chain):
    tables, links, db = chain
    report = folded(tables, links, Measure("f", "sum", FieldRef("Orders", "Freight")), ("Varieties", "Line"))
    once = f'SELECT DISTINCT coalesce(v."Line", "(no match)") AS line, o.rowid AS number, o."Freight" AS freight FROM {JOINED} WHERE o.rowid IS NOT NULL'
    wanted = dict(db.execute(f"SELECT line, sum(freight) FROM ({once}) GROUP BY line"))
    (total,) = db.execute(f"SELECT sum(freight) FROM (SELECT DISTINCT number, freight FROM ({once}))").fetchone()
    assert report == {**{key: cents(value) for key, value in wanted.items()}, "Everything": cents(total)}
    assert sum(wanted.values()) > total


def test_every_link_counts_its_orphans_as_sql_does_and_none_is_dropped(chain):
    tables, links, db = chain
    stems = {name: stem for stem, name in NAMES.items()}
    for link in links:
        near, far, key = stems[link.from_table], stems[link.to_table], link.keys[0][0]
        match = match_of(link, tables[link.from_table], tables[link.to_table])
        found, lost, blank = db.execute(
            f'SELECT count(f.rowid), sum(n."{key}" IS NOT NULL AND f.rowid IS NULL), sum(n."{key}" IS NULL) FROM {near} n LEFT JOIN {far} f ON n."{key}" = f."{key}"'
        ).fetchone()
        assert (match.matched, match.not_found, match.blank) == (found, lost, blank)
        assert match.matched + match.not_found + match.blank == tables[link.from_table].count
    counted = folded(tables, links, Measure("n", "count"), ("Order lines", "Variety code"), ("Varieties", "Line"))
    assert counted["Everything"] == 1200
