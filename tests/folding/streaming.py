"""A table split over files of different dictionaries and orders of fields, as one that is not held."""

from collections.abc import Mapping
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from foldbasket.errors import FoldError
from foldbasket.tables.conversion import to_arrow
from foldbasket.tables.reading.parquet import read_parquet
from foldbasket.tables.reading.parquetstream import ParquetStream
from foldbasket.tables.stacking import stacked
from foldbasket.tables.table import Table
from foldbasket.tables.unread import bound, unread_columns
from tests.folding.statement.test_random_statements import random_fold


def split(table: Table, folder: Path, rng, files: int = 7) -> list[Path]:
    """Writes a table to so many files, each with some of its records in their order; some may be empty."""
    whole = to_arrow(table)
    cuts = sorted(rng.randrange(table.count + 1) for _ in range(files - 1))
    paths = []
    for at, (start, stop) in enumerate(zip([0, *cuts], [*cuts, table.count], strict=True)):
        names = list(whole.column_names)
        rng.shuffle(names)
        some = whole.slice(start, stop - start).select(names)
        path = folder / f"part {at}.parquet"
        pq.write_table(
            some.cast(plain_schema(some)), path, store_schema=False, row_group_size=rng.choice([3, 10, 1000])
        )
        paths.append(path)
    return paths


def plain_schema(table):
    """The schema with text as text."""
    return pa.schema(
        [
            pa.field(field.name, field.type.value_type if pa.types.is_dictionary(field.type) else field.type)
            for field in table.schema
        ]
    )


def streamed(table: Table, folder: Path, rng) -> Table:
    """The table as one whose records come from files."""
    paths = split(table, folder, rng)
    counts = [pq.read_metadata(path).num_rows for path in paths]

    def read(names, _) -> Mapping:
        tables = [read_parquet(path, table.name, only=names) for path in paths]
        return {name: stacked(name, tables).column for name in names}

    kinds = {name: (column.type, column.scale) for name, column in table.columns.items()}
    made = Table(table.name, unread_columns(kinds, table.count))
    return bound(made, read, ParquetStream(table.name, paths, counts, size=1))


def answered(engine, rng, many: int):
    """So many random folds, those that an engine refuses left out, with its report of each."""
    for _ in range(many):
        fold = random_fold(rng)
        try:
            yield fold, engine.fold(fold)
        except FoldError:
            continue
