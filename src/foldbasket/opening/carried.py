"""Records that a basket's archive carries."""

from __future__ import annotations

import zipfile
from pathlib import Path

import msgspec

from foldbasket.baskets.archive import MOST_DATA, archive_of, bounded
from foldbasket.baskets.basket import SourceSpec
from foldbasket.errors import BasketError, ReadError, reason_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.table import Table


def carried_table(path: Path, source: SourceSpec, progress: Progress | None) -> Table:
    """The records of a source that the basket at a path carries. Raises BasketError where they are damaged or not there."""
    import tempfile

    assert source.data is not None
    broken = BasketError(
        f"the records of “{source.name}” in the basket are damaged.",
        where=path.name,
        todo=f"Open the earlier copy, “{path.name}~”, or read them from their own file.",
    )
    with archive_of(path) as archive:
        try:
            info = archive.getinfo(source.data)
        except KeyError:
            raise BasketError(
                f"the archive does not hold “{source.data}”.", where=path.name, todo="Open the earlier copy."
            ) from None
        bounded(info, MOST_DATA, path)
        with tempfile.NamedTemporaryFile(suffix=".parquet") as unpacked:
            try:
                with archive.open(info) as packed:
                    while some := packed.read(1 << 20):
                        if progress is not None:
                            progress.step(f"Unpacking {source.name}", 0.0)
                        unpacked.write(some)
                unpacked.flush()
            except (zipfile.BadZipFile, EOFError, NotImplementedError, RuntimeError, zipfile.zlib.error):  # type: ignore[attr-defined]
                raise broken from None
            except OSError as error:
                raise BasketError(
                    f"the records of “{source.name}” cannot be unpacked ({reason_of(error)}).",
                    where=path.name,
                    todo="Is the disk full?",
                ) from None
            try:
                read = read_table(Path(unpacked.name), source.name, progress=progress)
                return msgspec.structs.replace(read, origin=str(path))
            except ReadError as error:  # damaged, or more than its reader had time or memory for
                raise BasketError(
                    f"the records of “{source.name}” in the basket cannot be read: {error.what}",
                    where=path.name,
                    todo=broken.todo,
                ) from None
