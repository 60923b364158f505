"""Mutated files of every format, read as the program reads them: nothing but our own errors, nothing that never ends.

`make fuzz` runs some thousands for each format with fixed seeds; the test suite a few. A round is a seed, a format and a mutation, so
that whatever is found can be made again: ``python -m tests.fuzz.fuzz --format ods --first 17 --rounds 1``.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import random
import resource
import select
import signal
import sqlite3
import sys
import tempfile
import time
import traceback
import zipfile
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import open_basket, save_basket
from foldbasket.errors import FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.column import text_column
from foldbasket.tables.findings.findings import findings_of
from foldbasket.tables.profile import profile_of
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.table import Table

SECONDS, MEMORY = 12.0, 1 << 30
"""No file under a megabyte may take longer, or more memory; the seconds with a margin for slow machines."""

ROWS = 40
HEADS = ["Site", "Net", "Day", "Note", "No."]


def rows(rng: random.Random) -> list[list[str]]:
    odd = [
        "",
        " ",
        "Oak",
        "1,5",
        "1.5",
        "-3",
        "2026-04-01",
        "1.4.2026",
        "=1+1",
        "ß",
        "9" * 21,
        "1e400",
        "nan",
        "0000-01-01",
        "\u0000",
        '"',
        "yes",
    ]
    return [[rng.choice(["Oak", "Ash"]), f"{rng.randint(-999, 99999) / 100:.2f}", f"2026-{rng.randint(1, 12):02d}-{rng.randint(1, 28):02d}", rng.choice(odd), f"{n:05d}"] for n in range(ROWS)]  # fmt: skip


def csv_bytes(rng: random.Random) -> bytes:
    sign = rng.choice([",", ";", "\t", "|"])
    text = "\r\n".join(sign.join(row) for row in [HEADS, *rows(rng)])
    return text.encode(rng.choice(["utf-8", "utf-8-sig", "latin-1", "utf-16", "utf-16-le"]), "replace")


def arrow_table(rng: random.Random) -> pa.Table:
    made = rows(rng)
    return pa.table(
        {
            "Site": pa.array([row[0] for row in made]).dictionary_encode(),
            "Net": pa.array([float(row[1]) for row in made]),
            "Day": pa.array([rng.randint(-800_000, 3_000_000) for _ in made], pa.int32()).cast(pa.date32()),
            "Note": pa.array([row[3] or None for row in made]),
            "n": pa.array(range(len(made)), pa.uint64()),
        }
    )


def parquet_bytes(rng: random.Random) -> bytes:
    into = io.BytesIO()
    pq.write_table(arrow_table(rng), into, compression=rng.choice(["none", "snappy", "zstd", "gzip"]))
    return into.getvalue()


def arrow_bytes(rng: random.Random) -> bytes:
    into = io.BytesIO()
    table = arrow_table(rng)
    maker = rng.choice([pa.ipc.new_file, pa.ipc.new_stream])
    with maker(into, table.schema) as writer:
        writer.write_table(table)
    return into.getvalue()


def xlsx_bytes(rng: random.Random) -> bytes:
    import xlsxwriter

    into = io.BytesIO()
    with xlsxwriter.Workbook(into, {"in_memory": True}) as book:
        sheet = book.add_worksheet("Sheet")
        for at, row in enumerate([HEADS, *rows(rng)]):
            sheet.write_row(at, 0, row)
        sheet.merge_range(2, 0, 4, 0, "Oak")
    return into.getvalue()


def ods_bytes(rng: random.Random) -> bytes:
    body = "".join(
        "<table:table-row>"
        + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{cell.replace("&", "").replace("<", "").replace(chr(0), "")}</text:p></table:table-cell>'
            for cell in row
        )
        + "</table:table-row>"
        for row in [HEADS, *rows(rng)]
    )
    content = (
        '<?xml version="1.0" encoding="UTF-8"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
        'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0">'
        f'<office:body><office:spreadsheet><table:table table:name="S">{body}</table:table></office:spreadsheet></office:body></office:document-content>'
    )
    into = io.BytesIO()
    with zipfile.ZipFile(into, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr(
            "META-INF/manifest.xml",
            '<?xml version="1.0"?><m:manifest xmlns:m="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
        )
        archive.writestr("content.xml", content)
    return into.getvalue()


def xls_bytes(rng: random.Random) -> bytes:
    """A workbook of the older kind is not written by anything at hand: the head of a compound file, and records behind it."""
    head = (
        bytes.fromhex("d0cf11e0a1b11ae1")
        + bytes(16)
        + bytes.fromhex("3e000300feff0900")
        + bytes(6)
        + (1).to_bytes(4, "little") * 3
    )
    return (
        head.ljust(512, b"\xff")
        + bytes(rng.randrange(256) for _ in range(2048))
        + b"\x09\x08\x10\x00\x00\x06\x05\x00" * 40
    )


def jsonl_bytes(rng: random.Random) -> bytes:
    lines = [json.dumps(dict(zip(HEADS, row, strict=True))) for row in rows(rng)]
    return "\n".join(lines).encode() if rng.random() < 0.6 else ("[" + ",".join(lines) + "]").encode()


def sqlite_bytes(rng: random.Random) -> bytes:
    with tempfile.NamedTemporaryFile(suffix=".sqlite") as file:
        db = sqlite3.connect(file.name)
        db.execute("create table sales (site text, net real, day text, note text, no text)")
        db.executemany("insert into sales values (?, ?, ?, ?, ?)", rows(rng))
        db.execute("create view big as select * from sales where net > 3")
        db.commit()
        db.close()
        return Path(file.name).read_bytes()


def basket_bytes(rng: random.Random) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "b.basket"
        table = Table.of("s", [text_column("Site", [row[0] for row in rows(rng)])])
        fold = Fold("F", (Measure("m", "count"),), (Placed("r", FieldRef("s", "Site")),))
        save_basket(Basket("b", (SourceSpec("s", "s.csv"),), folds=(fold,)), path, {"s": table})
        return path.read_bytes()


FORMATS = {
    "csv": (".csv", csv_bytes), "parquet": (".parquet", parquet_bytes), "arrow": (".arrow", arrow_bytes), "xlsx": (".xlsx", xlsx_bytes),
    "ods": (".ods", ods_bytes), "xls": (".xls", xls_bytes), "json": (".jsonl", jsonl_bytes), "sqlite": (".sqlite", sqlite_bytes), "basket": (".basket", basket_bytes),
}  # fmt: skip
WORDS = [
    b"\x00" * 8,
    b"\xff" * 8,
    b"-1",
    b"9" * 30,
    b"\x7f\xff\xff\xff",
    b"\x80\x00\x00\x00",
    b'"',
    b"'",
    b"<",
    b">",
    b"{",
    b"}",
    b"[",
    b",",
    b";",
    b"\n",
    b"\\ud800",
    b"NaN",
    b"1e999",
    b"PAR1",
    b"ARROW1",
]


def mutated(data: bytes, rng: random.Random, inner: bool = True) -> bytes:
    """The bytes changed in one to a few places; of an archive, often what stands in one of its entries."""
    if inner and data[:2] == b"PK" and rng.random() < 0.7:
        made = _within_archive(data, rng)
        if made is not None:
            return made
    changed = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 5, 20])):
        at = rng.randrange(max(1, len(changed)))
        how = rng.randrange(7)
        if how == 0 and changed:
            changed[at] ^= 1 << rng.randrange(8)
        elif how == 1 and changed:
            changed[at] = rng.randrange(256)
        elif how == 2:
            del changed[at : at + rng.choice([1, 4, 64, 4000])]
        elif how == 3:
            changed[at:at] = rng.choice(WORDS) * rng.choice([1, 1, 3, 200])
        elif how == 4:
            changed[at : at + 8] = rng.choice(WORDS)[:8]
        elif how == 5:
            stretch = changed[at : at + rng.choice([2, 16, 512])]
            changed[at:at] = stretch * rng.choice([1, 2, 50])
        else:
            del changed[at:]
    return bytes(changed)


def _within_archive(data: bytes, rng: random.Random) -> bytes | None:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = [(info.filename, archive.read(info)) for info in archive.infolist()]
    except zipfile.BadZipFile:
        return None
    at = rng.randrange(len(entries))
    entries[at] = (entries[at][0], mutated(entries[at][1], rng, inner=False))
    into = io.BytesIO()
    with zipfile.ZipFile(into, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, body in entries:
            archive.writestr(name, body)
    return into.getvalue()


READINGS = [Reading(), Reading(), Reading(header=0), Reading(encoding="utf-16"), Reading(delimiter=";"), Reading(decimal_mark=","), Reading(encoding="no-such"), Reading(delimiter=""), Reading(header=3), Reading(cells="A1:C9"), Reading(sheet="S")]  # fmt: skip


def once(kind: str, seed: int, folder: Path) -> str | None:
    """One round: what is wrong, or None. A file is read, looked through and folded."""
    rng = random.Random(f"{kind} {seed}")
    ending, make = FORMATS[kind]
    path = folder / f"{kind}-{seed}{ending}"
    path.write_bytes(mutated(make(rng), rng))
    reading = rng.choice(READINGS)
    before, started = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.monotonic()
    try:
        tables = list(_of_basket(path).values()) if kind == "basket" else [read_table(path, "t", reading)]
        for table in tables:
            _use(table)
    except FoldBasketError as error:
        said = str(error)
        if not error.what or "Traceback" in said:
            return f"an error that says nothing: {said!r}"
    except Exception:
        return traceback.format_exc(limit=-4)
    took, grown = time.monotonic() - started, (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024
    path.unlink(missing_ok=True)
    if took > SECONDS:
        return f"it took {took:.1f} s"
    return f"it took {grown / 1e9:.1f} GB" if grown > MEMORY else None


def aside(kind: str, seed: int, folder: Path) -> str | None:
    """One round in a process of its own, whose death is noticed. It is forked, which costs a moment and must be done from a process
    without threads: the pools of one that has some would wait for them forever."""
    out, told = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(out)
        code = 1
        try:
            os.write(told, (once(kind, seed, folder) or "").encode("utf-8", "replace")[:60_000])
            code = 0
        finally:
            os._exit(code)
    os.close(told)
    said, end = b"", time.monotonic() + SECONDS + 10
    while time.monotonic() < end:
        ready, _, _ = select.select([out], [], [], 0.5)
        if ready:
            some = os.read(out, 1 << 16)
            if not some:
                break
            said += some
    else:
        os.kill(child, signal.SIGKILL)
        said = b"it never ended"
    os.close(out)
    code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    return said.decode("utf-8", "replace") or (f"the process ended with {code}" if code else None)


def _of_basket(path: Path) -> dict[str, Table]:
    from foldbasket.opening.reading import load_tables

    return load_tables(open_basket(path))


def _use(table: Table) -> None:
    findings_of(table)
    for column in list(table.columns.values())[:30]:
        profile_of(column)
    if table.columns:
        first = next(iter(table.columns))
        fold = Fold(
            "F",
            (Measure("m", "count"), Measure("n", "count different", FieldRef(table.name, first))),
            (Placed("r", FieldRef(table.name, first)),),
        )
        Engine(Source({table.name: table})).fold(fold)


def run(kinds: list[str], seeds: range, folder: Path, say: bool = False) -> list[str]:
    """What went wrong in all rounds."""
    wrong = []
    for kind in kinds:
        started = time.monotonic()
        for seed in seeds:
            found = aside(kind, seed, folder)
            if found is not None:
                wrong.append(f"{kind} {seed}: {found}")
                if say:
                    print(wrong[-1], flush=True)
        if say:
            print(f"{kind}: {len(seeds):,} files in {time.monotonic() - started:.0f} s", flush=True)
    return wrong


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--format", choices=FORMATS, action="append")
    parser.add_argument("--rounds", type=int, default=2_000)
    parser.add_argument("--first", type=int, default=0, help="the seed of the first round")
    options = parser.parse_args()
    seeds = range(options.first, options.first + options.rounds)
    with tempfile.TemporaryDirectory() as folder:
        wrong = run(options.format or list(FORMATS), seeds, Path(folder), say=True)
    print(f"{len(wrong)} failed")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
