"""Two small untidy files with the usual faults, each planted a known number of times, made from tidy records.

Every fault can be mended: after the mends the untidy order lines hold what `tidy_sample` holds, and the plan what it held
before its months were laid side by side.
"""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterable
from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc

RECORDS = 240
TITLES = ("Quillmoor Growers", "Order lines, exported 5 October 2026", "")
UNTIDY_LINES, UNTIDY_PLAN = "untidy_order_lines.csv", "untidy_plan.csv"

Row = list[str]


def tidy_sample(order_lines: pa.Table) -> pa.Table:
    """The tidy records that the untidy file is made from: order lines at even steps, some not yet invoiced (no Net)."""
    sample = order_lines.take(list(range(0, order_lines.num_rows, max(1, order_lines.num_rows // RECORDS)))[:RECORDS])
    unbilled = pa.array([at % 60 in (9, 49) for at in range(sample.num_rows)])
    at = sample.column_names.index("Net")
    return sample.set_column(at, "Net", pc.if_else(unbilled, None, sample["Net"].combine_chunks()))


def write_untidy(order_lines: pa.Table, path: Path) -> dict[str, int]:
    """Writes the untidy order lines and returns how many records carry each kind of fault, by the kind's name in findings."""
    header = order_lines.column_names
    rows = [list(map(_plain, record.values())) for record in tidy_sample(order_lines).to_pylist()]
    at = {name: header.index(name) for name in header}
    planted: dict[str, int] = {}
    spoiled: set[int] = set()

    def plant(fault: str, field: str, numbers: Iterable[int], change: Callable[[str, int], str]) -> None:
        touched = [number for number in numbers if rows[number][at[field]]]
        for count, number in enumerate(touched):
            rows[number][at[field]] = change(rows[number][at[field]], count)
        spoiled.update(touched)
        planted[f"{fault}: {field}"] = len(touched)

    trade = [number for number, row in enumerate(rows) if row[at["Channel"]] == "Trade"]
    plant(
        "spellings",
        "Channel",
        trade[2:60:3],
        lambda _, n: "Trdae" if n in (4, 9) else ("trade", "Trade ", "TRADE")[n % 3],
    )
    plant("misfits", "Order date", range(5, RECORDS, 31), lambda iso, _: _day_first(iso))
    plant("far dates", "Order date", range(17, RECORDS, 97), lambda iso, _: iso[0] + iso[2] + iso[1] + iso[3:])
    plant("misfits", "Net", range(7, RECORDS, 31), lambda net, n: (f"{net} EUR", f"€{net}")[n % 2])
    plant("spaces", "Order no.", _ends(rows, at["Order no."]), lambda number, _: f" {number} ")
    plant("no partner", "Variety code", range(13, RECORDS, 53), lambda code, _: code.replace("V0", "VO", 1))
    large = sorted(range(RECORDS), key=lambda number: -float(rows[number][at["Cost"]] or 0))[8:10]
    plant("far amounts", "Cost", large, lambda cost, _: f"{float(cost) * 100:.2f}")
    unbilled = [number for number, row in enumerate(rows) if not row[at["Net"]]]
    for number in unbilled[::2]:
        rows[number][at["Net"]] = "n/a"
    planted["blank words: Net"] = len(unbilled[::2])
    planted["no amount: Net"] = len(unbilled) - len(unbilled[::2])
    untouched = [number for number in range(RECORDS) if number not in spoiled and number not in unbilled]
    empty, repeated, totals = range(20, RECORDS, 60), untouched[10::60], range(119, RECORDS, 120)
    planted |= {"empty rows: ": len(empty), "repeated rows: ": len(repeated), "total lines: Order no.": len(totals)}
    planted["title lines: "] = len(TITLES)
    with path.open("w", newline="", encoding="utf-8") as file:
        file.write("".join(f"{title}\n" for title in TITLES))
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        for number, row in enumerate(rows):
            if number in empty:
                writer.writerow([""] * len(header))
            writer.writerow(row)
            if number in repeated:
                writer.writerow(row)
            if number in totals:
                half = rows[number - 119 : number + 1]
                total = sum(int(each[at["Quantity"]]) for each in half)
                writer.writerow([f"Total {number // 120 + 1}" if name == "Order no." else str(total) if name == "Quantity" else "" for name in header])  # fmt: skip
    return planted


def write_untidy_plan(plan: pa.Table, path: Path) -> int:
    """Writes the plan with its months side by side, as people lay plans out; returns how many months there are."""
    months = sorted(set(plan["Month"].to_pylist()))
    cells = {
        (region, line, month): planned
        for month, region, line, planned in zip(*(plan[name].to_pylist() for name in ("Month", "Region", "Line", "Planned net")), strict=True)
    }  # fmt: skip
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["Region", "Line", *(month.strftime("%b %Y") for month in months)])
        for region, line in dict.fromkeys((region, line) for region, line, _ in cells):
            writer.writerow([region, line, *(_plain(cells.get((region, line, month))) for month in months)])
    return len(months)


def _ends(rows: list[Row], at: int) -> list[int]:
    """Some records whose order has no other line, so that odd spaces make no second spelling."""
    orders = [row[at] for row in rows]
    alone = [number for number, order in enumerate(orders) if orders.count(order) == 1]
    return alone[::9]


def _plain(value: object) -> str:
    return "" if value is None else str(value)


def _day_first(iso: str) -> str:
    year, month, day = iso.split("-")
    return f"{int(day)}/{int(month)}/{year[2:]}"
