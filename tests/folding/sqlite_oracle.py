"""The same questions asked of SQLite: an independent answer to a fold, cell by cell, over the same CSV files.

Shares no code with the engine. Money is held in SQLite as whole cents, blanks as NULL; a joined table has one row per
order line with the row numbers of its partners, so that unmatched keys and coarser fields can be told apart.
"""

import csv
import sqlite3
from fractions import Fraction
from pathlib import Path

CENTS = {"Unit price", "Net", "Cost", "Freight", "Unit cost"}
WHOLE = {"Quantity"}
TABLES = {
    "Order lines": "order_lines",
    "Orders": "orders",
    "Customers": "customers",
    "Varieties": "varieties",
    "Sellers": "sellers",
}
SHORT = {"Order lines": "l", "Orders": "o", "Customers": "c", "Varieties": "v", "Sellers": "s"}


def open_oracle(folder: Path) -> sqlite3.Connection:
    db = sqlite3.connect(":memory:")
    for stem in TABLES.values():
        with (folder / f"{stem}.csv").open(encoding="utf-8", newline="") as file:
            reader = csv.reader(file)
            names = next(reader)
            db.execute(f"CREATE TABLE {stem} ({', '.join(_quoted(name) for name in names)})")
            rows = [[_stored(name, text) for name, text in zip(names, row, strict=True)] for row in reader]
            db.executemany(f"INSERT INTO {stem} VALUES ({', '.join('?' * len(names))})", rows)
    for stem, key in (
        ("orders", "Order no."),
        ("customers", "Customer no."),
        ("varieties", "Variety code"),
        ("sellers", "Seller code"),
    ):
        db.execute(f"CREATE INDEX {stem}_key ON {stem} ({_quoted(key)})")
    return db


def _stored(name, text):
    if text.strip() == "":
        return None
    if name in CENTS:
        whole, _, part = text.partition(".")
        sign = -1 if whole.startswith("-") else 1
        return sign * (abs(int(whole)) * 100 + int(part.ljust(2, "0") or 0))
    return int(text) if name in WHOLE else text


def _quoted(name):
    return '"' + name.replace('"', '""') + '"'


FROM = """order_lines l
 LEFT JOIN orders o ON l."Order no." = o."Order no."
 LEFT JOIN varieties v ON l."Variety code" = v."Variety code"
 LEFT JOIN customers c ON o."Customer no." = c."Customer no."
 LEFT JOIN sellers s ON o."Seller code" = s."Seller code" """


def column(ref):
    return f"{SHORT[ref['table']]}.{_quoted(ref['field'])}"


def member(placed):
    """SQL for the canonical key of a placed field's member."""
    of = column(placed["field"])
    part = {
        None: f"CAST({of} AS TEXT)",
        "year": f"substr({of}, 1, 4)",
        "quarter": f"substr({of}, 1, 4) || '-Q' || ((substr({of}, 6, 2) + 2) / 3)",
        "month": f"substr({of}, 1, 7)",
        "day": of,
        "month of year": f"substr({of}, 6, 2)",
        "quarter of year": f"'Q' || ((substr({of}, 6, 2) + 2) / 3)",
        "weekday": f"CAST((strftime('%w', {of}) + 6) % 7 + 1 AS TEXT)",
    }[placed.get("part")]
    if placed["field"]["field"] in CENTS:
        part = f"printf('%s%d.%02d', CASE WHEN {of} < 0 THEN '-' ELSE '' END, abs({of}) / 100, abs({of}) % 100)"
    missing = f"{SHORT[placed['field']['table']]}.rowid IS NULL"
    return f"CASE WHEN {missing} THEN '(no match)' WHEN {of} IS NULL THEN '(blank)' ELSE {part} END"


def condition(rule):
    """SQL for a record filter, decided on the member's key or the stored value."""
    key = member(rule)
    if rule["kind"] == "members":
        listed = (
            list(rule.get("members", ()))
            + ["(blank)"] * rule.get("blank", False)
            + ["(no match)"] * rule.get("no_match", False)
        )
        return f"{key} {'NOT IN' if rule.get('exclude') else 'IN'} ({', '.join(_text(each) for each in listed)})"
    of = column(rule["field"])
    if rule["kind"] == "blank":
        return f"{of} IS {'NOT ' if rule.get('exclude') else ''}NULL"
    number = rule["field"]["field"] in CENTS | WHOLE

    def value(text):
        if not number:
            return _text(text)
        return str(Fraction(text) * (100 if rule["field"]["field"] in CENTS else 1)).replace("/", ".0/")

    if rule["kind"] == "between":
        return f"{of} BETWEEN {value(rule['low'])} AND {value(rule['high'])}"
    return f"{of} {rule['sign'].replace('≠', '<>').replace('≤', '<=').replace('≥', '>=')} {value(rule['value'])}"


def _text(value):
    return "'" + value.replace("'", "''") + "'"


def answer(db, fold):
    """{(row members, column members, measure id): value as text} for every cell, subtotal and total the fold shows."""
    rows, columns = fold.get("rows", []), fold.get("columns", [])
    where = " AND ".join(condition(rule) for rule in fold.get("filters", [])) or "1"
    found = {}
    for row_level in _levels(rows, fold.get("row_total", "after")):
        for column_level in _levels(columns, fold.get("column_total", "after")):
            keys = [member(placed) for placed in rows[:row_level] + columns[:column_level]]
            for measure in fold["measures"]:
                for cells in _grouped(db, keys, measure, where):
                    *members, value = cells
                    row = (*members[:row_level], *[""] * (len(rows) - row_level))
                    across = (*members[row_level:], *[""] * (len(columns) - column_level))
                    if value is not None:
                        found[row, across, measure["id"]] = value
    return found


def _levels(placed, grand):
    depth = len(placed)
    levels = [depth]
    levels += [level for level in range(1, depth) if placed[level - 1].get("subtotal", "after") != "off"]
    return levels + ([0] if depth and grand != "off" else [])


def _grouped(db, keys, measure, where):
    group = ", ".join(f"{key} AS k{at}" for at, key in enumerate(keys))
    by = ", ".join(f"k{at}" for at in range(len(keys)))
    ref = measure.get("field")
    if ref is None:
        source, value = f"SELECT {group + ',' if group else ''} 1 AS x FROM {FROM} WHERE {where}", "COUNT(*)"
        total = "SUM(x)"
    else:
        # One row per different record of the field's own table in each group: the rule for coarser measures.
        own = f"{SHORT[ref['table']]}.rowid"
        source = (
            f"SELECT DISTINCT {group + ',' if group else ''} {own} AS r, {column(ref)} AS x FROM {FROM} WHERE {where}"
        )
        total = "SUM(x)"
        value = {
            "sum": "SUM(x)",
            "count values": "COUNT(x)",
            "average": "COUNT(x)",
            "smallest": "MIN(x)",
            "largest": "MAX(x)",
        }[measure["aggregate"]]
    sql = f"SELECT {by + ',' if by else ''} {value}, {total}, COUNT(*) FROM ({source}) {'GROUP BY ' + by if by else ''}"
    for *members, result, summed, records in db.execute(sql):
        if records == 0:
            continue
        yield (*members, _written(measure, ref, result, summed))


def _written(measure, ref, result, summed):
    if ref is None or measure["aggregate"] == "count values":
        return str(result)
    scale = 100 if ref["field"] in CENTS else 1
    if measure["aggregate"] == "average":
        return repr(summed / (result * scale)) if result else None
    if result is None or scale == 1:
        return None if result is None else str(result)
    return f"{'-' if result < 0 else ''}{abs(result) // 100}.{abs(result) % 100:02d}"
