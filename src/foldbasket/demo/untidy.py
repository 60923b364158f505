"""A small untidy file with the usual faults, each planted a known number of times, made from the tidy order lines."""

from __future__ import annotations

import csv
from pathlib import Path

import pyarrow as pa

RECORDS = 240


def write_untidy(order_lines: pa.Table, path: Path) -> dict[str, int]:
    """Writes the untidy file and returns how many records carry each planted fault."""
    rows = [list(map(_plain, record.values())) for record in order_lines.slice(0, RECORDS).to_pylist()]
    header = order_lines.column_names
    at = {name: header.index(name) for name in header}
    planted: dict[str, int] = {}

    def plant(fault: str, positions: range, change) -> None:  # type: ignore[no-untyped-def]
        touched = [row for number, row in enumerate(rows) if number in positions]
        for number, row in enumerate(touched):
            change(row, number)
        planted[fault] = len(touched)

    def put(field: str, values: list[str]):  # type: ignore[no-untyped-def]
        def change(row: list[str], number: int) -> None:
            row[at[field]] = values[number % len(values)].format(row[at[field]])

        return change

    plant("one name spelled three ways", range(3, RECORDS, 11), put("Channel", ["trade", "Trade ", "TRADE"]))
    plant(
        "dates held as text",
        range(5, RECORDS, 31),
        lambda row, _: row.__setitem__(at["Order date"], _day_first(row[at["Order date"]])),
    )
    plant("numbers held as text", range(7, RECORDS, 29), put("Net", ["{} EUR", "€{}", "{}-"]))
    plant("blank amounts", range(9, RECORDS, 41), put("Net", ["", "n/a"]))
    plant("keys that match nothing", range(13, RECORDS, 53), put("Variety code", ["V9999", "V0000"]))
    blank_rows = list(range(20, RECORDS, 60))
    planted["blank rows"] = len(blank_rows)
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        for number, row in enumerate(rows):
            if number in blank_rows:
                writer.writerow([""] * len(header))
            writer.writerow(row)
    return planted


def _plain(value: object) -> str:
    return "" if value is None else str(value)


def _day_first(iso: str) -> str:
    year, month, day = iso.split("-")
    return f"{int(day)}/{int(month)}/{year[2:]}?"
