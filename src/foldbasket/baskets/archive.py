"""The archive that a basket's file is: bounded before it is unpacked, and written with the records of its sources."""

from __future__ import annotations

import contextlib
import errno
import shutil
import zipfile
from collections.abc import Mapping
from pathlib import Path

from foldbasket.baskets.basket import Basket
from foldbasket.errors import BasketError
from foldbasket.later import pq
from foldbasket.tables.reading.parquet import write_parquet
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.table import Table

INNER = "basket.json"


MOST_JSON = 32 << 20


MOST_DATA = 8 << 30


MOST_RATIO = 200
"""A packed file may unpack to so many times its size; anything tighter is not data of ours."""


def inner_json(path: Path) -> bytes:
    with archive_of(path) as archive:
        names = {info.filename: info for info in archive.infolist()}
        if INNER not in names:
            raise BasketError(
                f"the archive holds no {INNER}, so it is not a basket.", where=path.name, todo="Choose another file."
            )
        bounded(names[INNER], MOST_JSON, path)
        return _entry(archive, INNER, path)


def entries_told(path: Path) -> str:
    """What tells the entries of an archive from others: the name, size and checksum of each."""
    with archive_of(path) as archive:
        return repr([(each.filename, each.file_size, each.CRC) for each in archive.infolist()])


@contextlib.contextmanager
def archive_of(path: Path):  # type: ignore[no-untyped-def]
    try:
        with zipfile.ZipFile(path) as archive:
            yield archive
    except zipfile.BadZipFile as error:
        raise _broken("the basket's archive", error, path) from None


def _broken(what: str, error: Exception, path: Path) -> BasketError:
    todo = f"The earlier copy, “{path.name}~”, may still open."
    return BasketError(f"{what} is broken ({error}).", where=path.name, todo=todo)


def _entry(archive: zipfile.ZipFile, name: str, path: Path) -> bytes:
    try:
        return archive.read(name)
    except (zipfile.BadZipFile, EOFError, NotImplementedError, RuntimeError, zipfile.zlib.error, OSError) as error:  # type: ignore[attr-defined]
        raise _broken(f"“{name}” in the basket's archive", error, path) from None


def bounded(info: zipfile.ZipInfo, most: int, path: Path) -> None:
    if info.file_size > most or info.file_size > MOST_RATIO * max(1, info.compress_size) + 4096:
        raise BasketError(
            f"“{info.filename}” would unpack to {info.file_size:,} bytes, which no basket needs.",
            where=path.name,
            todo="Do not trust this file.",
        )


def pack(
    into: Path,
    content: bytes,
    basket: Basket,
    tables: Mapping[str, Table],
    earlier: Path | None,
    taken: Mapping[str, str],
) -> None:
    """The archive of a basket: its JSON and the records of its sources, from tables or as an earlier archive holds them; read again
    before it counts."""
    import tempfile

    with zipfile.ZipFile(into, "w") as archive:
        archive.writestr(zipfile.ZipInfo(INNER, (1980, 1, 1, 0, 0, 0)), content, zipfile.ZIP_DEFLATED)
        for source in basket.sources:
            if source.data is None:
                continue
            if source.key not in tables:
                assert earlier is not None
                with (
                    zipfile.ZipFile(earlier) as old,
                    old.open(taken[source.key]) as one,
                    archive.open(zipfile.ZipInfo(source.data, (1980, 1, 1, 0, 0, 0)), "w", force_zip64=True) as other,
                ):
                    shutil.copyfileobj(one, other)
                continue
            with tempfile.NamedTemporaryFile(suffix=".parquet", dir=into.parent, prefix=f"{into.name}-") as unpacked:
                table = tables[source.key]
                if is_sampled(table):
                    raise BasketError(
                        f"the {table.count:,} records of “{source.name}” are not held in memory, so they cannot go into the basket.",
                        where=source.name,
                        todo="Save it without its data.",
                    )
                write_parquet(table, Path(unpacked.name))
                if pq.read_metadata(unpacked.name).num_rows != table.count:
                    raise OSError(errno.EIO, f"the records of “{source.name}” did not come out whole")
                archive.write(unpacked.name, source.data, zipfile.ZIP_STORED)
    with zipfile.ZipFile(into) as archive:
        damaged = archive.testzip()
    if damaged is not None:
        raise OSError(errno.EIO, f"“{damaged}” did not come out whole")
