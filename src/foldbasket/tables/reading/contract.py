"""What every reader is held to.

A reader takes a place, the user's corrections and a `Progress`, and hands on a `Table`. Most do it as a stream: batches of
records, each field's values typed as the format types them, gathered here into encoded columns. A reader calls
`progress.step` for every batch, which is also where it learns that it was cancelled, and raises ReadError for everything
that is wrong with what it reads. Nothing is kept from a reading that failed.
"""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any

import msgspec

from foldbasket.errors import ReadError
from foldbasket.registry import Kinds
from foldbasket.tables.cells import Gathered, Judging
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Chosen, Table
from foldbasket.tables.types import FieldType
from foldbasket.tables.unread import Stream

LAST_HEADER = 1_000_000
"""No line below this one names fields."""


class Reading(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What the user corrected about how a source is read; None means: as found. A reader ignores what does not concern it.

    `header` is the line that names the fields, counted from 1; 0 when no line does. `cells` is a range such as ``B3:F200``; `table` or `query` say what
    to read from a database.
    """

    encoding: str | None = None
    delimiter: str | None = None
    decimal_mark: str | None = None
    header: Annotated[int, msgspec.Meta(ge=0, le=LAST_HEADER)] | None = None
    sheet: str | None = None
    cells: str | None = None
    table: str | None = None
    query: str | None = None
    types: Mapping[str, FieldType] = msgspec.field(default_factory=dict)


AS_FOUND = Reading()
"""No corrections."""


class Parts(msgspec.Struct, frozen=True, omit_defaults=True):
    """What of a table is read: `only` some fields, None for all; `lazily` without the values that can be read when they are asked for. A format that
    is not read by column is read whole."""

    only: tuple[str, ...] | None = None
    lazily: bool = False


WHOLE = Parts()
"""All of it, now."""


class Reader(msgspec.Struct, frozen=True):
    """A format: its name for people, the endings of its files, how it is read, and which corrections concern it."""

    label: str
    endings: tuple[str, ...]
    read: Callable[..., Table]
    """Is given the file, the name of its table, the corrections and a progress; of a format that is read `by_column` also `only`, the fields to read
    (None for all), and `lazily`, whether the values may be read later."""
    corrections: tuple[str, ...] = ()
    apart: bool = False
    """Whether it runs in a process of its own: compiled code of others that a damaged file can stop, or code that cannot be
    cancelled in the middle."""
    by_column: bool = False
    """Whether some fields can be read without the others."""
    stream: Callable[..., Stream] | None = None
    """Is given the name of a table, its files, how many records each has, and a table with a record for each of what its folders are called, or None;
    gives the records part by part. None where the format cannot."""
    repack: Callable[[Path, Path, Reading, Progress], None] | None = None
    """Writes all records of a file, the first path, as Parquet to the second, a part of them in memory at a time. None where the format cannot, or comes
    part by part itself."""
    standing: int = 100


READERS: Kinds[Reader] = Kinds("reader", "foldbasket.tables.reading")
"""Every format that can be read, by its label."""


def changed_since(path: Any) -> ReadError:
    """The error for a file that is another than it was when it was opened."""
    where = path if isinstance(path, str) else path.name
    return ReadError("the file changed after it was opened.", where=where, todo="Open it again.")


COPIES: dict[Path, str] = {}
"""What this process reads from the user's cache instead of its own place, by the file there."""


def damaged_copy(path: Any, why: str) -> ReadError | None:
    """Delete a cached copy that cannot be read, and return the error that says so; None for a file that is no such copy."""
    if path not in COPIES:
        return None
    path.unlink(missing_ok=True)
    return ReadError(
        f"the cached copy was damaged and has been deleted ({why}).",
        where=Path(COPIES[path]).name,
        todo="Reload the data.",
    )


SHARE = 0.4
"""So much of the free memory the fields of a table may take, unless it is said otherwise."""
ALLOWED = "FOLD_BASKET_MEMORY"
"""The variable of the environment that says otherwise."""


def bytes_said(text: str) -> int:
    """How many bytes a size such as 500MB or 2GB is. Raises ValueError."""
    found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*([kmgt]?)i?b?\s*", text, re.IGNORECASE)
    if found is None:
        raise ValueError("a size such as 500MB or 2GB")
    return int(float(found[1]) * 1000 ** " kmgt".index(found[2].lower() or " "))


_chosen: list[int] = []
"""What this process was told to allow."""


def allow_memory(size: str) -> None:
    """Sets how much memory the fields of a table may take in this process, as it is written; empty for what the environment or the machine says. Raises
    ValueError for what is no size."""
    _chosen[:] = [bytes_said(size)] if size else []


def memory_allowed() -> int:
    """How many bytes the fields of a table may take and still be held: as chosen, else as the environment says, else a share of what is free. A size in the
    environment that cannot be understood counts as none."""
    if _chosen:
        return _chosen[0]
    with contextlib.suppress(ValueError):
        return bytes_said(os.environ.get(ALLOWED, ""))
    return int(memory_at_hand() * SHARE)


def memory_at_hand() -> int:
    """Bytes that can be used now, as the system says."""
    try:
        with open("/proc/meminfo", encoding="ascii") as file:
            return next(int(line.split()[1]) * 1024 for line in file if line.startswith("MemAvailable"))
    except (OSError, StopIteration):
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2


class Batch(msgspec.Struct, frozen=True):
    """Some records of a stream: values by field, each list as long as the others. `share` says how far the reading is."""

    values: Mapping[str, Sequence[Any]]
    share: float


def gathered(
    name: str,
    origin: str,
    batches: Iterable[Batch],
    progress: Progress,
    *,
    judging: Judging = "text",
    types: Mapping[str, FieldType] | None = None,
    notes: Sequence[str] = (),
    titles: int = 0,
    loose: bool = False,
) -> Table:
    """A stream as a table. Fields that come up late are blank before; `judging` says which text is judged for its type.

    `loose` is for formats that know only doubles and time stamps: doubles with few digits are decimals, midnights are days.
    """
    fields: dict[str, Gathered] = {}
    count = 0
    for batch in batches:
        progress.step(f"Reading {Path(origin).name}", batch.share)
        length = len(next(iter(batch.values.values()))) if batch.values else 0
        for field, values in batch.values.items():
            if field not in fields:
                fields[field] = Gathered(field, count)
            fields[field].add(values)
        count += length
        for gathering in fields.values():
            gathering.fill_to(count)
    columns, texts = {}, {}
    for field, gathering in fields.items():
        progress.step(f"Encoding {Path(origin).name}", 1.0)
        found = gathering.column(judging, (types or {}).get(field), loose)
        columns[field] = found.column
        if found.text is not None:
            texts[field] = found.text
    chosen = {field: Chosen(kind) for field, kind in (types or {}).items()}
    return Table(name, columns, origin, texts, tuple(notes), titles, chosen=chosen)
